/**
 * Cell values at points: the plane through the values of the cells round a point that fits best, weighted by 1/d², within the
 * range of these values (after Holmes and Connell, AIAA 89-1932). Faces of the boundary with values of their own count as cells do.
 * Exact for linear fields inside; at the boundary a value never leaves those of the cells and faces there.
 */
import type { FieldValues, FloatArray, MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import { tetrahedraOf } from '../mesh/tetrahedra'
import type { BoundarySurface } from './boundaryFaces'
import { neighbourhoodOf } from './neighbourhood'
import { inverseOfSymmetric } from './symmetric'

/**
 * @param valuesOf  cell values of a block
 * @param surfaces  that bound the part and have values of their own
 * @returns (components × nPoints)
 */
export function smoothedValues(
  part: PartBlocks,
  k: number,
  valuesOf: (block: number) => FieldValues,
  surfaces?: readonly BoundarySurface[],
): Float64Array {
  const { components, centroids, values, cellsOfPoint } = neighbourhoodOf(part, k, valuesOf, surfaces)
  const { points, pointNumbers, pointCells } = part.block(k)
  const n = points.length / 3
  const out = new Float64Array(components * n)
  const matrix = new Float64Array(6)
  const inverse = new Float64Array(6)
  const most = cellsOfPoint.starts.reduce((m, start, i, starts) => (i ? Math.max(m, start - starts[i - 1]!) : m), 0)
  const [weights, xs, ys, zs] = [0, 1, 2, 3].map(() => new Float64Array(most)) as [Float64Array, Float64Array, Float64Array, Float64Array]
  for (let p = 0; p < n; p++) {
    const first = cellsOfPoint.starts[p]!
    const count = cellsOfPoint.starts[p + 1]! - first
    // a corner of another cell at the same point
    if (count === 0) continue
    // positions of the cells, seen from the point, and their weighted mean
    let total = 0,
      mx = 0,
      my = 0,
      mz = 0
    for (let i = 0; i < count; i++) {
      const cell = 3 * cellsOfPoint.items[first + i]!
      const x = centroids[cell]! - points[3 * p]!
      const y = centroids[cell + 1]! - points[3 * p + 1]!
      const z = centroids[cell + 2]! - points[3 * p + 2]!
      const w = 1 / (x * x + y * y + z * z)
      xs[i] = x
      ys[i] = y
      zs[i] = z
      weights[i] = w
      total += w
      mx += w * x
      my += w * y
      mz += w * z
    }
    mx /= total
    my /= total
    mz /= total
    matrix.fill(0)
    for (let i = 0; i < count; i++) {
      const w = weights[i]!
      const x = (xs[i]! -= mx)
      const y = (ys[i]! -= my)
      const z = (zs[i]! -= mz)
      matrix[0]! += w * x * x
      matrix[1]! += w * y * y
      matrix[2]! += w * z * z
      matrix[3]! += w * x * y
      matrix[4]! += w * y * z
      matrix[5]! += w * x * z
    }
    inverseOfSymmetric(matrix, inverse)
    const gx = inverse[0]! * mx + inverse[3]! * my + inverse[5]! * mz
    const gy = inverse[3]! * mx + inverse[1]! * my + inverse[4]! * mz
    const gz = inverse[5]! * mx + inverse[4]! * my + inverse[2]! * mz
    // share of each value in the fitted plane at the point itself
    for (let i = 0; i < count; i++) weights[i]! *= 1 / total - gx * xs[i]! - gy * ys[i]! - gz * zs[i]!
    for (let c = 0; c < components; c++) {
      let sum = 0,
        low = Infinity,
        high = -Infinity
      for (let i = 0; i < count; i++) {
        const value = values[components * cellsOfPoint.items[first + i]! + c]!
        sum += weights[i]! * value
        if (value < low) low = value
        if (value > high) high = value
      }
      // not-a-number stays
      out[components * p + c] = sum < low ? low : sum > high ? high : sum
    }
  }
  if (pointCells) spreadToCorners(out, pointNumbers, components)
  return out
}

/** All corners at a point have the value of the first. */
function spreadToCorners(values: Float64Array, numbers: Uint32Array, components: number): void {
  const firsts = new Map<number, number>()
  numbers.forEach((number, p) => {
    const first = firsts.get(number)
    if (first === undefined) firsts.set(number, p)
    else values.copyWithin(components * p, components * first, components * (first + 1))
  })
}

/**
 * Values on points as values on cells: the mean over each cell of what is linear on its tetrahedra, so that integrals stay what they
 * are and linear fields are exact at the centroid. Cells without volume have the mean over their points.
 */
export function cellMeans({ types, offsets, connectivity, points, pointNumbers }: MeshBlock, field: FieldValues): Float64Array {
  const { values, components } = field
  const out = new Float64Array(components * types.length)
  const [plain, weighted] = [new Float64Array(components), new Float64Array(components)]
  for (let c = 0; c < types.length; c++) {
    const start = offsets[c]!
    const tets = tetrahedraOf(types[c]!, connectivity, start, pointNumbers)
    plain.fill(0)
    weighted.fill(0)
    // faces and lines: the mean over their points
    const end = offsets[c + 1]!
    if (!tets.length)
      for (let i = start; i < end; i++)
        for (let k = 0; k < components; k++) plain[k]! += values[components * connectivity[i]! + k]! / (end - start)
    let volume = 0
    for (let t = 0; t < tets.length; t += 4) {
      const own = Math.abs(sixVolumes(points, connectivity, start, tets, t))
      volume += own
      for (let i = 0; i < 4; i++) {
        const p = components * connectivity[start + tets[t + i]!]!
        for (let k = 0; k < components; k++) {
          plain[k]! += values[p + k]! / tets.length
          weighted[k]! += (own * values[p + k]!) / 4
        }
      }
    }
    for (let k = 0; k < components; k++) out[components * c + k] = volume > 0 ? weighted[k]! / volume : plain[k]!
  }
  return out
}

function sixVolumes(points: FloatArray, nodes: Uint32Array, start: number, tets: Uint8Array, t: number): number {
  const [a, b, c, d] = [0, 1, 2, 3].map((i) => 3 * nodes[start + tets[t + i]!]!) as [number, number, number, number]
  const from = (p: number, k: number): number => points[p + k]! - points[a + k]!
  return (
    from(b, 0) * (from(c, 1) * from(d, 2) - from(c, 2) * from(d, 1)) -
    from(b, 1) * (from(c, 0) * from(d, 2) - from(c, 2) * from(d, 0)) +
    from(b, 2) * (from(c, 0) * from(d, 1) - from(c, 1) * from(d, 0))
  )
}
