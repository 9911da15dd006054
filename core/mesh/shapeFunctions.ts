/**
 * Linear shape functions of the volume cells, and the inverse map by Newton's method.
 *
 * Hexahedron, wedge: products of linear functions; pyramid: the rational functions of Bedrosian (1992), exact for
 * linear fields and conforming on the square base; tetra: barycentric. See Zienkiewicz and Taylor, "The Finite Element
 * Method", chapter on standard element families.
 *
 * Not re-entrant: scratch arrays are shared by all calls of a thread.
 */
import { CellType, cellNodeCount } from './cellTypes'
import type { FloatArray } from './MeshBlock'

/** Eight nodes at most, three derivatives each. */
const derivatives = new Float64Array(24)
const nodes = new Float64Array(24)

/** Newton stops when the step in parametric coordinates is below this. */
const NEWTON_TOLERANCE = 1e-13
const NEWTON_STEPS = 25
/** How far outside [0, 1] a parametric coordinate may lie and still count as inside: closes rounding gaps. */
export const INSIDE_TOLERANCE = 1e-9

/**
 * Values of the shape functions at parametric coordinates (r, s, t) in the unit cell.
 *
 * @param weights  filled with one value per node; their sum is 1
 */
export function shapeFunctions(type: number, r: number, s: number, t: number, weights: Float64Array): void {
  const w = weights
  switch (type) {
    case CellType.tetra:
      w[0] = 1 - r - s - t
      w[1] = r
      w[2] = s
      w[3] = t
      return
    case CellType.hexahedron: {
      const r0 = 1 - r
      const s0 = 1 - s
      const t0 = 1 - t
      w[0] = r0 * s0 * t0
      w[1] = r * s0 * t0
      w[2] = r * s * t0
      w[3] = r0 * s * t0
      w[4] = r0 * s0 * t
      w[5] = r * s0 * t
      w[6] = r * s * t
      w[7] = r0 * s * t
      return
    }
    case CellType.wedge: {
      const q = 1 - r - s
      w[0] = q * (1 - t)
      w[1] = r * (1 - t)
      w[2] = s * (1 - t)
      w[3] = q * t
      w[4] = r * t
      w[5] = s * t
      return
    }
    case CellType.pyramid: {
      // (r, s) run over the square base shrunk towards the apex: 0 ≤ r, s ≤ 1 - t
      const h = 1 - t
      if (h < 1e-12) {
        w[0] = w[1] = w[2] = w[3] = 0
        w[4] = 1
        return
      }
      w[0] = ((h - r) * (h - s)) / h
      w[1] = (r * (h - s)) / h
      w[2] = (r * s) / h
      w[3] = ((h - r) * s) / h
      w[4] = t
      return
    }
    default:
      throw new Error(`no shape functions for cell type ${type}`)
  }
}

function shapeDerivatives(type: number, r: number, s: number, t: number, d: Float64Array): void {
  switch (type) {
    case CellType.tetra:
      d.set([-1, -1, -1, 1, 0, 0, 0, 1, 0, 0, 0, 1])
      return
    case CellType.hexahedron: {
      const r0 = 1 - r
      const s0 = 1 - s
      const t0 = 1 - t
      d[0] = -s0 * t0; d[1] = -r0 * t0; d[2] = -r0 * s0
      d[3] = s0 * t0; d[4] = -r * t0; d[5] = -r * s0
      d[6] = s * t0; d[7] = r * t0; d[8] = -r * s
      d[9] = -s * t0; d[10] = r0 * t0; d[11] = -r0 * s
      d[12] = -s0 * t; d[13] = -r0 * t; d[14] = r0 * s0
      d[15] = s0 * t; d[16] = -r * t; d[17] = r * s0
      d[18] = s * t; d[19] = r * t; d[20] = r * s
      d[21] = -s * t; d[22] = r0 * t; d[23] = r0 * s
      return
    }
    case CellType.wedge: {
      const q = 1 - r - s
      const t0 = 1 - t
      d[0] = -t0; d[1] = -t0; d[2] = -q
      d[3] = t0; d[4] = 0; d[5] = -r
      d[6] = 0; d[7] = t0; d[8] = -s
      d[9] = -t; d[10] = -t; d[11] = q
      d[12] = t; d[13] = 0; d[14] = r
      d[15] = 0; d[16] = t; d[17] = s
      return
    }
    case CellType.pyramid: {
      const h = Math.max(1 - t, 1e-9)
      const rs = (r * s) / (h * h)
      d[0] = -(h - s) / h; d[1] = -(h - r) / h; d[2] = -1 + rs
      d[3] = (h - s) / h; d[4] = -r / h; d[5] = -rs
      d[6] = s / h; d[7] = r / h; d[8] = rs
      d[9] = -s / h; d[10] = (h - r) / h; d[11] = -rs
      d[12] = 0; d[13] = 0; d[14] = 1
      return
    }
    default:
      throw new Error(`no shape functions for cell type ${type}`)
  }
}

/**
 * Loads the nodes of one cell for `invertCell`.
 *
 * @returns number of nodes
 */
export function loadCell(type: number, points: FloatArray, connectivity: Uint32Array, start: number): number {
  const n = cellNodeCount[type]!
  for (let i = 0; i < n; i++) {
    const p = 3 * connectivity[start + i]!
    nodes[3 * i] = points[p]!
    nodes[3 * i + 1] = points[p + 1]!
    nodes[3 * i + 2] = points[p + 2]!
  }
  return n
}

/**
 * Parametric coordinates of a position in the cell loaded last, by Newton's method.
 *
 * @param parametric  start value on entry, result on return (3)
 * @param weights     filled with the shape functions at the result
 * @returns whether the position lies in the cell (to INSIDE_TOLERANCE); false too when the cell is degenerate
 */
export function invertCell(
  type: number,
  x: number,
  y: number,
  z: number,
  parametric: Float64Array,
  weights: Float64Array,
): boolean {
  const n = cellNodeCount[type]!
  const d = derivatives
  let r = parametric[0]!
  let s = parametric[1]!
  let t = parametric[2]!
  for (let step = 0; step < NEWTON_STEPS; step++) {
    shapeFunctions(type, r, s, t, weights)
    shapeDerivatives(type, r, s, t, d)
    let fx = -x, fy = -y, fz = -z
    let a = 0, b = 0, c = 0, e = 0, f = 0, g = 0, h = 0, k = 0, l = 0
    for (let i = 0, j = 0; i < n; i++, j += 3) {
      const px = nodes[j]!, py = nodes[j + 1]!, pz = nodes[j + 2]!
      const w = weights[i]!, dr = d[j]!, ds = d[j + 1]!, dt = d[j + 2]!
      fx += w * px; fy += w * py; fz += w * pz
      a += dr * px; b += ds * px; c += dt * px
      e += dr * py; f += ds * py; g += dt * py
      h += dr * pz; k += ds * pz; l += dt * pz
    }
    const m0 = f * l - g * k, m1 = g * h - e * l, m2 = e * k - f * h
    const determinant = a * m0 + b * m1 + c * m2
    if (!(Math.abs(determinant) > 0)) return false
    const q = 1 / determinant
    const stepR = (fx * m0 + fy * (c * k - b * l) + fz * (b * g - c * f)) * q
    const stepS = (fx * m1 + fy * (a * l - c * h) + fz * (c * e - a * g)) * q
    const stepT = (fx * m2 + fy * (b * h - a * k) + fz * (a * f - b * e)) * q
    r -= stepR
    s -= stepS
    t -= stepT
    // far outside: report the direction, do not chase a root that is not there
    if (!(Math.abs(r - 0.5) < 20 && Math.abs(s - 0.5) < 20 && Math.abs(t - 0.5) < 20)) break
    if (Math.abs(stepR) + Math.abs(stepS) + Math.abs(stepT) < NEWTON_TOLERANCE) break
  }
  parametric[0] = r
  parametric[1] = s
  parametric[2] = t
  if (!isInside(type, r, s, t)) return false
  shapeFunctions(type, r, s, t, weights)
  return true
}

function isInside(type: number, r: number, s: number, t: number): boolean {
  const lo = -INSIDE_TOLERANCE
  const hi = 1 + INSIDE_TOLERANCE
  if (!(r >= lo && s >= lo && t >= lo && t <= hi)) return false
  switch (type) {
    case CellType.tetra:
      return r + s + t <= hi
    case CellType.wedge:
      return r + s <= hi
    case CellType.pyramid:
      return r + t <= hi && s + t <= hi
    default:
      return r <= hi && s <= hi
  }
}
