/**
 * Order of cells along a Hilbert curve through their centres.
 *
 * Transposition method of Skilling, "Programming the Hilbert curve" (AIP Conf. Proc. 707, 2004), ten bits per axis.
 * Ties keep the source order. O(nCells) by radix sort.
 */
import type { FloatArray } from './MeshBlock'
import type { Cells } from './faceMatching'

const BITS = 10
/** Bits of a key. */
export const KEY_BITS = 3 * BITS

/** Cells in curve order. @param cellNumbers  pieces with the same number, one after the other, stay together */
export function curveOrder(points: FloatArray, cells: Cells, box: readonly number[], cellNumbers?: Uint32Array): Uint32Array {
  const keys = curveKeys(points, cells, box)
  if (cellNumbers) for (let c = 1; c < keys.length; c++) if (cellNumbers[c] === cellNumbers[c - 1]) keys[c] = keys[c - 1]!
  return sortByKey(keys)
}

/** Places of the cells' centres along the curve through a box, of 30 bits. */
export function curveKeys(points: FloatArray, cells: Pick<Cells, 'offsets' | 'connectivity'>, box: readonly number[]): Uint32Array {
  const { offsets, connectivity } = cells
  const nCells = offsets.length - 1
  const keys = new Uint32Array(nCells)
  const extent = Math.max(box[3]! - box[0]!, box[4]! - box[1]!, box[5]! - box[2]!, 1e-300)
  const scale = ((1 << BITS) - 1e-6) / extent
  for (let c = 0; c < nCells; c++) {
    const start = offsets[c]!
    const end = offsets[c + 1]!
    let x = 0, y = 0, z = 0
    for (let i = start; i < end; i++) {
      const p = 3 * connectivity[i]!
      x += points[p]!
      y += points[p + 1]!
      z += points[p + 2]!
    }
    const n = Math.max(end - start, 1)
    keys[c] = hilbertKey(
      Math.max(0, (x / n - box[0]!) * scale) | 0,
      Math.max(0, (y / n - box[1]!) * scale) | 0,
      Math.max(0, (z / n - box[2]!) * scale) | 0,
    )
  }
  return keys
}

/** Position along the curve of a point of the 1024³ grid. */
export function hilbertKey(x: number, y: number, z: number): number {
  for (let q = 1 << (BITS - 1); q > 1; q >>= 1) {
    const p = q - 1
    if (x & q) x ^= p
    if (y & q) x ^= p
    else {
      const t = (x ^ y) & p
      x ^= t
      y ^= t
    }
    if (z & q) x ^= p
    else {
      const t = (x ^ z) & p
      x ^= t
      z ^= t
    }
  }
  y ^= x
  z ^= y
  let t = 0
  for (let q = 1 << (BITS - 1); q > 1; q >>= 1) if (z & q) t ^= q - 1
  x ^= t
  y ^= t
  z ^= t
  let key = 0
  for (let b = BITS - 1; b >= 0; b--) key = (key << 3) | (((x >> b) & 1) << 2) | (((y >> b) & 1) << 1) | ((z >> b) & 1)
  return key
}

/** Numbers of keys in their order; equal ones stay in theirs. */
export function sortByKey(keys: Uint32Array): Uint32Array {
  const n = keys.length
  let order = new Uint32Array(n)
  let other = new Uint32Array(n)
  for (let i = 0; i < n; i++) order[i] = i
  for (let shift = 0; shift < KEY_BITS; shift += 10) {
    const counts = new Uint32Array(1025)
    for (let i = 0; i < n; i++) counts[((keys[i]! >>> shift) & 1023) + 1]!++
    for (let i = 1; i <= 1024; i++) counts[i]! += counts[i - 1]!
    for (let i = 0; i < n; i++) {
      const cell = order[i]!
      other[counts[(keys[cell]! >>> shift) & 1023]!++] = cell
    }
    ;[order, other] = [other, order]
  }
  return order
}
