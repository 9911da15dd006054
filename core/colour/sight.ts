/**
 * How colours look to readers who tell some of them apart less well.
 *
 * Machado, Oliveira, Fernandes: "A physiologically-based model for simulation of color vision deficiency" (IEEE TVCG 15(6), 2009),
 * full deficiency, on linear sRGB. Differences of colours are distances in CIELAB (CIE 1976, white D65).
 */
export const sights = ['protanopia', 'deuteranopia', 'tritanopia', 'greys'] as const
export type Sight = (typeof sights)[number]

const matrices: Record<Sight, readonly number[]> = {
  protanopia: [0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882, -0.048116, 1.051998],
  deuteranopia: [0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.01182, 0.04294, 0.968881],
  tritanopia: [1.255528, -0.076749, -0.178779, -0.078411, 0.930809, 0.147602, 0.004733, 0.691367, 0.3039],
  // printed without colours: luminance (IEC 61966-2-1)
  greys: [0.2126, 0.7152, 0.0722, 0.2126, 0.7152, 0.0722, 0.2126, 0.7152, 0.0722],
}

export type Colour = readonly [number, number, number]

/** A colour as it is seen. Bytes in, bytes out. */
export function seenBy(sight: Sight, [r, g, b]: Colour): [number, number, number] {
  const m = matrices[sight]
  const linear = [r, g, b].map((c) => linearOf(c / 255))
  return [0, 1, 2].map((row) =>
    Math.round(
      255 * encoded(Math.min(1, Math.max(0, m[3 * row]! * linear[0]! + m[3 * row + 1]! * linear[1]! + m[3 * row + 2]! * linear[2]!))),
    ),
  ) as [number, number, number]
}

/** Distance in CIELAB; about 2 can just be seen side by side. */
export function difference(a: Colour, b: Colour): number {
  const [p, q] = [lab(a), lab(b)]
  return Math.hypot(p[0]! - q[0]!, p[1]! - q[1]!, p[2]! - q[2]!)
}

/** Steps into which a map is divided to be looked at, and how far apart two of them must be to be compared. */
const STEPS = 12
const APART = 4
/** Colours nearer than this are taken for one another across a picture. */
const ALIKE = 10

/** Readers for whom values far apart have colours that look alike. */
export function mistakenBy(colourOf: (share: number) => Colour): Sight[] {
  return sights.filter((sight) => {
    const seen = Array.from({ length: STEPS }, (_, i) => seenBy(sight, colourOf(i / (STEPS - 1))))
    return seen.some((a, i) => seen.some((b, k) => k >= i + APART && difference(a, b) < ALIKE))
  })
}

function linearOf(c: number): number {
  return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4
}

function encoded(c: number): number {
  return c <= 0.0031308 ? 12.92 * c : 1.055 * c ** (1 / 2.4) - 0.055
}

function lab([r, g, b]: Colour): number[] {
  const [x, y, z] = [r, g, b].map((c) => linearOf(c / 255)) as [number, number, number]
  const f = (t: number): number => (t > (6 / 29) ** 3 ? Math.cbrt(t) : t / (3 * (6 / 29) ** 2) + 4 / 29)
  const [X, Y, Z] = [
    (0.4124 * x + 0.3576 * y + 0.1805 * z) / 0.9505,
    0.2126 * x + 0.7152 * y + 0.0722 * z,
    (0.0193 * x + 0.1192 * y + 0.9505 * z) / 1.089,
  ]
  return [116 * f(Y) - 16, 500 * (f(X) - f(Y)), 200 * (f(Y) - f(Z))]
}
