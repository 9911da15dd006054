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
    const i = Math.max(0, (x / n - box[0]!) * scale) | 0
    const j = Math.max(0, (y / n - box[1]!) * scale) | 0
    const k = Math.max(0, (z / n - box[2]!) * scale) | 0
    let key = 0
    let state = 0
    for (let b = BITS - 1; b >= 0; b--) {
      const step = STEPS[(state << 3) | (((i >> b) & 1) << 2) | (((j >> b) & 1) << 1) | ((k >> b) & 1)]!
      key = (key << 3) | (step & 7)
      state = step >> 3
    }
    keys[c] = key
  }
  return keys
}

/**
 * The curve as an automaton: by state and octant (x y z), the octant's place along the curve, and the next state above it. The
 * states are the ways in which the curve lies in a cube, told apart by the order of its octants; some are met at once, others
 * deeper down.
 */
function makeSteps(): Uint8Array {
  const ordersAt = (x: number, y: number, z: number, level: number): number[] =>
    Array.from({ length: 8 }, (_, octant) => {
      const shift = BITS - 1 - level
      const key = hilbertKey(x | ((octant >> 2) << shift), y | (((octant >> 1) & 1) << shift), z | ((octant & 1) << shift))
      return (key >> (3 * shift)) & 7
    })
  const states = new Map<string, number>()
  const cubes = [{ x: 0, y: 0, z: 0, level: 0, orders: ordersAt(0, 0, 0, 0) }]
  states.set(cubes[0]!.orders.join(), 0)
  const steps: number[] = []
  for (let s = 0; s < cubes.length; s++) {
    const { x, y, z, level, orders } = cubes[s]!
    const shift = BITS - 1 - level
    orders.forEach((order, octant) => {
      const inner = { x: x | ((octant >> 2) << shift), y: y | (((octant >> 1) & 1) << shift), z: z | ((octant & 1) << shift), level: level + 1 }
      const own = ordersAt(inner.x, inner.y, inner.z, inner.level)
      const key = own.join()
      if (!states.has(key)) states.set(key, cubes.push({ ...inner, orders: own }) - 1)
      steps.push((states.get(key)! << 3) | order)
    })
  }
  return Uint8Array.from(steps)
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

const STEPS = makeSteps()
