/**
 * Cell values at points: the plane through the values of the cells round a point that fits best, weighted by 1/d², within the
 * range of these values (after Holmes and Connell, AIAA 89-1932). Exact for linear fields inside; at the boundary a value never
 * leaves those of the cells there. Values of the boundary itself are not looked at.
 */
import type { FieldValues, PartBlocks } from '../mesh/MeshBlock'
import { neighbourhoodOf } from './neighbourhood'
import { inverseOfSymmetric } from './symmetric'

/**
 * @param valuesOf  cell values of a block
 * @returns (components × nPoints)
 */
export function smoothedValues(part: PartBlocks, k: number, valuesOf: (block: number) => FieldValues): Float64Array {
  const { components, centroids, values, cellsOfPoint } = neighbourhoodOf(part, k, valuesOf)
  const { points } = part.block(k)
  const n = points.length / 3
  const out = new Float64Array(components * n)
  const matrix = new Float64Array(6)
  const inverse = new Float64Array(6)
  for (let p = 0; p < n; p++) {
    const cells = cellsOfPoint.items.subarray(cellsOfPoint.starts[p], cellsOfPoint.starts[p + 1])
    const offsets = Array.from(cells, (cell) => [0, 1, 2].map((d) => centroids[3 * cell + d]! - points[3 * p + d]!) as [number, number, number])
    const weights = offsets.map(([x, y, z]) => 1 / (x * x + y * y + z * z))
    const total = weights.reduce((sum, w) => sum + w, 0)
    const mean = [0, 1, 2].map((d) => offsets.reduce((sum, at, i) => sum + weights[i]! * at[d]!, 0) / total)
    matrix.fill(0)
    offsets.forEach((at, i) => {
      const [x, y, z] = [at[0] - mean[0]!, at[1] - mean[1]!, at[2] - mean[2]!]
      const w = weights[i]!
      ;[x * x, y * y, z * z, x * y, y * z, x * z].forEach((xx, m) => (matrix[m]! += w * xx))
    })
    inverseOfSymmetric(matrix, inverse)
    const [xx, yy, zz, xy, yz, xz] = inverse as unknown as [number, number, number, number, number, number]
    // weight of each value in the fitted plane at the point itself
    const [mx, my, mz] = mean as [number, number, number]
    const [gx, gy, gz] = [xx * mx + xy * my + xz * mz, xy * mx + yy * my + yz * mz, xz * mx + yz * my + zz * mz]
    const shares = offsets.map(([x, y, z], i) => weights[i]! * (1 / total - gx * (x - mx) - gy * (y - my) - gz * (z - mz)))
    for (let c = 0; c < components; c++) {
      let sum = 0, low = Infinity, high = -Infinity
      for (let i = 0; i < cells.length; i++) {
        const value = values[components * cells[i]! + c]!
        sum += shares[i]! * value
        if (value < low) low = value
        if (value > high) high = value
      }
      // not-a-number stays
      out[components * p + c] = sum < low ? low : sum > high ? high : sum
    }
  }
  return out
}
