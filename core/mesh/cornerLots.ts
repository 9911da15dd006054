/** Cells put into the memory of kernels lot by lot, with the coordinates of their corners. */
import type { Kernels } from '../kernels/Kernels'
import { sharedKernels } from '../kernels/Kernels'
import type { FloatArray } from './MeshBlock'

/** Cells of a lot: their corners stay in the fast memory of a core. */
export const LOT_CELLS = 1 << 12

/** Where the arrays of cells [from, to) stand. */
export interface CornerLot {
  kernels: Kernels
  from: number
  to: number
  /** u32 (n + 1), from 0 */
  offsets: number
  /** f64 (3 × nodes) */
  corners: number
}

export function overCornerLots(points: FloatArray, { offsets, connectivity }: { offsets: Uint32Array; connectivity: Uint32Array }, work: (lot: CornerLot) => void): void {
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

/** Offsets of cells [from, to), counted from 0. */
export function putOffsets(kernels: Kernels, offsets: Uint32Array, from: number, to: number): number {
  const at = kernels.take(Uint32Array, to - from + 1)
  offsetsFrom(offsets, from, to, kernels.view(Uint32Array, at, to - from + 1))
  return at
}

/** The same as an array. */
export function offsetsFrom(offsets: Uint32Array, from: number, to: number, own = new Uint32Array(to - from + 1)): Uint32Array {
  for (let c = 0; c < own.length; c++) own[c] = offsets[from + c]! - offsets[from]!
  return own
}
