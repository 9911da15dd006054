/** Cells put into the memory of kernels lot by lot, with the coordinates of their corners. */
import type { Kernels } from '../kernels/Kernels'
import { sharedKernels } from '../kernels/Kernels'
import type { Cells } from './faceMatching'
import type { FloatArray } from './MeshBlock'

/** Cells of a lot: their corners stay in the fast memory of a core. */
export const LOT_CELLS = 1 << 12

/** Addresses of the arrays of cells [from, to). */
export interface CornerLot {
  kernels: Kernels
  from: number
  to: number
  /** u32 (n + 1), from 0 */
  offsets: number
  /** f64 (3 × nodes) */
  corners: number
}

export function overCornerLots(
  points: FloatArray,
  { offsets, connectivity }: { offsets: Uint32Array; connectivity: Uint32Array },
  work: (lot: CornerLot) => void,
): void {
  const kernels = sharedKernels()
  const nCells = offsets.length - 1
  for (let from = 0; from < nCells; from += LOT_CELLS) {
    const to = Math.min(from + LOT_CELLS, nCells)
    kernels.within(() => {
      const first = offsets[from]!
      const n = offsets[to]! - first
      const own = putOffsets(kernels, offsets, from, to)
      const at = kernels.take(Float64Array, 3 * n)
      const corners = kernels.view(Float64Array, at, 3 * n)
      for (let i = 0; i < n; i++) {
        const p = 3 * connectivity[first + i]!
        corners[3 * i] = points[p]!
        corners[3 * i + 1] = points[p + 1]!
        corners[3 * i + 2] = points[p + 2]!
      }
      work({ kernels, from, to, offsets: own, corners: at })
    })
  }
}

/** Addresses of the arrays of cells. Offsets count from `nodes`, which may be outside of the memory where the first one is not 0. */
export interface CellLot {
  types: number
  offsets: number
  nodes: number
  n: number
}

/** Cells [from, to) with their offsets as they are. */
export function putCells(kernels: Kernels, { types, offsets, connectivity }: Cells, from: number, to: number): CellLot {
  const first = offsets[from]!
  return {
    types: kernels.put(types.subarray(from, to)),
    offsets: kernels.put(offsets.subarray(from, to + 1)),
    nodes: kernels.put(connectivity.subarray(first, offsets[to])) - 4 * first,
    n: to - from,
  }
}

/** Offsets of cells [from, to), counted from 0. */
function putOffsets(kernels: Kernels, offsets: Uint32Array, from: number, to: number): number {
  const at = kernels.take(Uint32Array, to - from + 1)
  offsetsFrom(offsets, from, to, kernels.view(Uint32Array, at, to - from + 1))
  return at
}

/** The same as an array. */
export function offsetsFrom(offsets: Uint32Array, from: number, to: number, own = new Uint32Array(to - from + 1)): Uint32Array {
  for (let c = 0; c < own.length; c++) own[c] = offsets[from + c]! - offsets[from]!
  return own
}
