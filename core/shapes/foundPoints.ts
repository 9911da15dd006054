/** Points of a case that were found one by one, as pieces of a shape. */
import type { Vector } from '../mesh/vectors'
import type { Piece } from './Shape'

export interface FoundPoint {
  part: string
  block: number
  /** Cell of the block that it lies in. */
  cell: number
  /** What it is called. */
  number: number
  /** Tells it apart within its part. */
  id: number
  at: number[]
  /** Points of the block, and the weights with which values there make its own. */
  sources: number[]
  weights: number[]
}

/** A piece for each block, in the order of the points, with their numbers as its column. */
export function foundPieces(found: readonly FoundPoint[]): Piece[] {
  const blocks = new Map<string, FoundPoint[]>()
  for (const point of found) {
    const key = `${point.block} ${point.part}`
    const own = blocks.get(key)
    if (own) own.push(point)
    else blocks.set(key, [point])
  }
  return [...blocks.values()].map((points) => {
    const n = points.length
    const ends = points.map(
      (
        (end) =>
        ({ sources }) =>
          (end += sources.length)
      )(0),
    )
    return {
      points: Float64Array.from(points.flatMap(({ at }) => at as Vector)),
      elements: Uint32Array.from(points.keys()),
      cells: Uint32Array.from(points, ({ cell }) => cell),
      weightStarts: Uint32Array.from([0, ...ends]),
      sources: Uint32Array.from(points.flatMap(({ sources }) => sources)),
      weights: Float64Array.from(points.flatMap(({ weights }) => weights)),
      ranges: [{ part: points[0]!.part, block: points[0]!.block, pointStart: 0, pointEnd: n, elementStart: 0, elementEnd: n }],
      columns: [Float64Array.from(points, ({ number }) => number)],
    }
  })
}
