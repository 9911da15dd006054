/**
 * Gradients of cell values by weighted least squares over all cells that share a point with a cell, in its own block and in
 * those that touch it, and over faces of the boundary with values of their own (Barth, "Aspects of unstructured grids and
 * finite-volume solvers", VKI lecture series 1994-05; weights 1/d²).
 *
 * Exact for linear fields, up to the boundary. Where all neighbours lie in a plane, as in a mesh of one layer, the slope across
 * it is 0. O(nCells × neighbours); the values of the blocks around a block are read.
 */
import type { FieldValues, PartBlocks } from '../mesh/MeshBlock'
import type { BoundarySurface } from './boundaryFaces'
import { neighbourhoodOf } from './neighbourhood'
import type { Neighbourhood } from './neighbourhood'
import { inverseOfSymmetric } from './symmetric'

/**
 * @param valuesOf  cell values of a block
 * @param surfaces  that bound the part and have values of their own
 * @returns (3 × components × nCells): of each component its slopes along x, y and z, in the values' unit over the block's length unit
 */
export function neighbourGradients(
  part: PartBlocks,
  k: number,
  valuesOf: (block: number) => FieldValues,
  surfaces?: readonly BoundarySurface[],
): Float64Array {
  const near = neighbourhoodOf(part, k, valuesOf, surfaces)
  const slopes = slopesOf(near)
  const size = 3 * near.components
  const out = new Float64Array(size * near.cellOf.length)
  for (let c = 0; c < near.cellOf.length; c++) for (let i = 0; i < size; i++) out[size * c + i] = slopes[size * near.cellOf[c]! + i]!
  return out
}

/** Of the cells of the block. */
function slopesOf({ nOwn, components, centroids, values, cellsOfPoint: byPoint, pointsOfCell: byCell }: Neighbourhood): Float64Array {
  const out = new Float64Array(3 * components * nOwn)
  const matrix = new Float64Array(6)
  const inverse = new Float64Array(6)
  const right = new Float64Array(3 * components)
  // a neighbour that shares several points is met as often, and counts as often
  for (let cell = 0; cell < nOwn; cell++) {
    const cx = centroids[3 * cell]!,
      cy = centroids[3 * cell + 1]!,
      cz = centroids[3 * cell + 2]!
    let mxx = 0,
      myy = 0,
      mzz = 0,
      mxy = 0,
      myz = 0,
      mxz = 0
    right.fill(0)
    const last = byCell.starts[cell + 1]!
    for (let q = byCell.starts[cell]!; q < last; q++) {
      const point = byCell.items[q]!
      const end = byPoint.starts[point + 1]!
      for (let i = byPoint.starts[point]!; i < end; i++) {
        const other = byPoint.items[i]!
        if (other === cell) continue
        const x = centroids[3 * other]! - cx
        const y = centroids[3 * other + 1]! - cy
        const z = centroids[3 * other + 2]! - cz
        const w = 1 / (x * x + y * y + z * z)
        mxx += w * x * x
        myy += w * y * y
        mzz += w * z * z
        mxy += w * x * y
        myz += w * y * z
        mxz += w * x * z
        for (let c = 0; c < components; c++) {
          const step = w * (values[components * other + c]! - values[components * cell + c]!)
          right[3 * c]! += step * x
          right[3 * c + 1]! += step * y
          right[3 * c + 2]! += step * z
        }
      }
    }
    matrix[0] = mxx
    matrix[1] = myy
    matrix[2] = mzz
    matrix[3] = mxy
    matrix[4] = myz
    matrix[5] = mxz
    inverseOfSymmetric(matrix, inverse)
    const [xx, yy, zz, xy, yz, xz] = inverse as unknown as [number, number, number, number, number, number]
    for (let c = 0; c < components; c++) {
      const [x, y, z] = [right[3 * c]!, right[3 * c + 1]!, right[3 * c + 2]!]
      const at = 3 * (components * cell + c)
      out[at] = xx * x + xy * y + xz * z
      out[at + 1] = xy * x + yy * y + yz * z
      out[at + 2] = xz * x + yz * y + zz * z
    }
  }
  return out
}
