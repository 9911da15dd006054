/**
 * Order of cells along a Hilbert curve through their centres.
 *
 * Transposition method of Skilling, "Programming the Hilbert curve" (AIP Conf. Proc. 707, 2004), ten bits per axis.
 * Ties keep the source order. O(nCells) by radix sort.
 */
import { Kernels } from '../kernels/Kernels'
import { overCornerLots } from './cornerLots'
import type { Cells } from './faceMatching'
import type { FloatArray } from './MeshBlock'

const BITS = 10
/** Bits of a key; `kernels/assembly/records.ts` sorts by as many. */
export const KEY_BITS = 3 * BITS

/** Cells in curve order. @param cellNumbers  pieces with the same number, one after the other, stay together */
export function curveOrder(points: FloatArray, cells: Cells, box: readonly number[], cellNumbers?: Uint32Array): Uint32Array {
  const keys = curveKeys(points, cells, box)
  if (cellNumbers) for (let c = 1; c < keys.length; c++) if (cellNumbers[c] === cellNumbers[c - 1]) keys[c] = keys[c - 1]!
  return sortByKey(keys)
}

/** Places of the cells' centres along the curve through a box, of 30 bits. */
export function curveKeys(points: FloatArray, cells: Pick<Cells, 'offsets' | 'connectivity'>, box: readonly number[]): Uint32Array {
  const keys = new Uint32Array(cells.offsets.length - 1)
  overCornerLots(points, cells, ({ kernels, from, to, offsets, corners }) => {
    const at = curveKeysOf(kernels, { offsets, corners, n: to - from }, box)
    keys.set(kernels.view(Uint32Array, at, to - from), from)
  })
  return keys
}

/** Points in curve order. */
export function curveOrderOfPoints(points: FloatArray, box: readonly number[]): Uint32Array {
  const n = points.length / 3
  const identity = Uint32Array.from({ length: n + 1 }, (_, i) => i)
  return sortByKey(curveKeys(points, { offsets: identity, connectivity: identity.subarray(0, n) }, box))
}

/** Places of cells in the memory of kernels. @returns where the keys are */
function curveKeysOf(
  kernels: Kernels,
  { offsets, corners, n }: { offsets: number; corners: number; n: number },
  box: readonly number[],
): number {
  const keys = kernels.take(Uint32Array, n)
  kernels.run.curvePlaces(offsets, corners, n, box[0]!, box[1]!, box[2]!, scaleOf(box), kernels.put(STEPS), keys)
  return keys
}

/** Addresses for the kernels of the curve through a box: its lower corner and scale, and its steps. */
export interface CurveAt {
  corner: number
  steps: number
}

export function putCurve(kernels: Kernels, box: readonly number[]): CurveAt {
  return { corner: kernels.put(Float64Array.of(box[0]!, box[1]!, box[2]!, scaleOf(box))), steps: kernels.put(STEPS) }
}

/** Places on an axis per length. */
function scaleOf([x, y, z, ...upper]: readonly number[]): number {
  return ((1 << BITS) - 1e-6) / Math.max(upper[0]! - x!, upper[1]! - y!, upper[2]! - z!, 1e-300)
}

/**
 * The curve as an automaton: by state and octant (x y z), the octant's place along the curve, and the next state above it. The
 * states are the orientations of the curve in a cube, distinguished by the order of its octants; some are met at once, others
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
      const inner = {
        x: x | ((octant >> 2) << shift),
        y: y | (((octant >> 1) & 1) << shift),
        z: z | ((octant & 1) << shift),
        level: level + 1,
      }
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
  const kernels = new Kernels()
  const order = kernels.take(Uint32Array, keys.length)
  kernels.run.orderByKey(kernels.put(keys), keys.length, order)
  return kernels.view(Uint32Array, order, keys.length).slice()
}

/** Two levels of the automaton in one: by state, two bits of x, of y and of z, the place along the curve and the next state above it. */
function doubleSteps(steps: Uint8Array): Uint16Array {
  return Uint16Array.from({ length: 8 * steps.length }, (_, at) => {
    const octant = (shift: number): number => (((at >> (4 + shift)) & 1) << 2) | (((at >> (2 + shift)) & 1) << 1) | ((at >> shift) & 1)
    const outer = steps[((at >> 6) << 3) | octant(1)]!
    const inner = steps[((outer >> 3) << 3) | octant(0)]!
    return ((inner >> 3) << 6) | ((outer & 7) << 3) | (inner & 7)
  })
}

const STEPS = doubleSteps(makeSteps())
