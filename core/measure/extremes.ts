/** Extremes of values on one block, of the magnitude for vectors and tensors. O(n), no allocation. */
import type { FloatArray } from '../mesh/MeshBlock'
import { magnitude } from './integrateCells'

export interface Extremes {
  /** Infinity when no value is finite. */
  min: number
  /** -Infinity when no value is finite. */
  max: number
  nonFinite: number
}

export function extremesOf(values: FloatArray, components: number): Extremes {
  if (components === 1) return scalarExtremes(values)
  const n = values.length / components
  // squares are compared: one root at the end instead of one per item
  if (components === 3) return rootOf(squareExtremes(values))
  const sizes = new Float64Array(n)
  for (let i = 0; i < n; i++) sizes[i] = magnitude(values, i, components)
  return scalarExtremes(sizes)
}

function scalarExtremes(values: FloatArray): Extremes {
  let min = Infinity
  let max = -Infinity
  let nonFinite = 0
  for (let i = 0; i < values.length; i++) {
    const x = values[i]!
    // true for finite values only: infinities and not-a-number give not-a-number
    if (x - x === 0) {
      if (x < min) min = x
      if (x > max) max = x
    } else nonFinite++
  }
  return { min, max, nonFinite }
}

function squareExtremes(values: FloatArray): Extremes {
  let min = Infinity
  let max = -Infinity
  let nonFinite = 0
  for (let i = 0; i + 2 < values.length; i += 3) {
    const x = values[i]!,
      y = values[i + 1]!,
      z = values[i + 2]!
    const s = x * x + y * y + z * z
    if (s - s === 0) {
      if (s < min) min = s
      if (s > max) max = s
    } else nonFinite++
  }
  return { min, max, nonFinite }
}

function rootOf({ min, max, nonFinite }: Extremes): Extremes {
  return min <= max ? { min: Math.sqrt(min), max: Math.sqrt(max), nonFinite } : { min, max, nonFinite }
}
