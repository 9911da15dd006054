/** Surfaces of which every triangle has corners of its own: for values that belong to triangles, or to the cells behind them. */
import type { Piece } from './Shape'

/** The same surface, with the values of the case on it. What belonged to its points follows to the corners. */
export function withOwnCorners(piece: Piece): Piece {
  const { points, elements, weightStarts, sources, weights, columns, ranges } = piece
  const n = elements.length
  const starts = new Uint32Array(n + 1)
  elements.forEach((p, i) => (starts[i + 1] = starts[i]! + weightStarts[p + 1]! - weightStarts[p]!))
  const own = { sources: new Uint32Array(starts[n]!), weights: new Float64Array(starts[n]!), points: new Float64Array(3 * n) }
  elements.forEach((p, i) => {
    own.points.set(points.subarray(3 * p, 3 * p + 3), 3 * i)
    own.sources.set(sources.subarray(weightStarts[p], weightStarts[p + 1]), starts[i])
    own.weights.set(weights.subarray(weightStarts[p], weightStarts[p + 1]), starts[i])
  })
  const { whole: _, ...rest } = piece
  return {
    ...rest,
    ...own,
    elements: Uint32Array.from(elements, (_, i) => i),
    weightStarts: starts,
    ranges: ranges.map((range) => ({ ...range, pointStart: 3 * range.elementStart, pointEnd: 3 * range.elementEnd })),
    ...(columns && { columns: columns.map((values) => Float64Array.from(elements, (p) => values[p]!)) }),
  }
}
