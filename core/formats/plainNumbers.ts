/**
 * Plain decimal numbers in text, byte by byte: nearly all there are, without a string for each.
 *
 * Digits that make a whole number below 2^53, with a power of ten up to 22, give the nearest float64 by one multiplication or division
 * (Clinger, "How to read floating point numbers accurately", 1990), the same as `Number` does. Other notations, or
 * with more digits, is left to the caller. O(bytes), a nanosecond or two each.
 */
const EXACT = 2 ** 53
const POWERS = Float64Array.from({ length: 23 }, (_, i) => Number(`1e${i}`))
const [PLUS, MINUS, POINT, ZERO, NINE, UPPER_E, LOWER_E] = [0x2b, 0x2d, 0x2e, 0x30, 0x39, 0x45, 0x65] as const

let value = 0

/**
 * Reads the number that begins at a byte; `plainValue` then tells it. Not re-entrant.
 *
 * @returns the byte behind it, which may be anything; -1 when no plain number begins there
 */
export function plainNumber(bytes: Uint8Array, at: number): number {
  const end = bytes.length
  let i = at
  let byte = i < end ? bytes[i]! : 0
  const isNegative = byte === MINUS
  if (isNegative || byte === PLUS) byte = ++i < end ? bytes[i]! : 0
  let digits = 0
  let whole = 0
  let power = 0
  for (; byte >= ZERO && byte <= NINE; digits++) {
    whole = whole * 10 + (byte - ZERO)
    byte = ++i < end ? bytes[i]! : 0
  }
  if (byte === POINT) {
    byte = ++i < end ? bytes[i]! : 0
    for (; byte >= ZERO && byte <= NINE; digits++, power--) {
      whole = whole * 10 + (byte - ZERO)
      byte = ++i < end ? bytes[i]! : 0
    }
  }
  if (digits === 0 || whole >= EXACT) return -1
  if (byte === LOWER_E || byte === UPPER_E) {
    byte = ++i < end ? bytes[i]! : 0
    const isSmall = byte === MINUS
    if (isSmall || byte === PLUS) byte = ++i < end ? bytes[i]! : 0
    const first = i
    let exponent = 0
    for (; byte >= ZERO && byte <= NINE && exponent < 1000; byte = ++i < end ? bytes[i]! : 0) exponent = exponent * 10 + (byte - ZERO)
    if (i === first) return -1
    power += isSmall ? -exponent : exponent
  }
  if (power > 22 || power < -22) return -1
  const size = power < 0 ? whole / POWERS[-power]! : whole * POWERS[power]!
  value = isNegative ? -size : size
  return i
}

export function plainValue(): number {
  return value
}
