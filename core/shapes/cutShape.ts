/**
 * Cuts a piece of a surface along the zero level of a function given at its points: lines.
 *
 * Linear on every triangle, so that the lines of a plane through a surface are exact, and the lines of a field on a
 * surface are the lines of its linear interpolation. Weights are composed: the new points refer to points of the case.
 * A point on the level counts as above, as in `cutCells`, and the ends of an edge are in the order of their coordinates, so that copies of
 * an edge in other blocks are cut at bitwise the same place. O(nTriangles).
 */
import { isAfter } from './cutCells'
import { joinPieces } from './Shape'
import type { Piece, ShapeRange } from './Shape'

/** @param level  (nPoints of the piece), not-a-number leaves the triangle out. @returns undefined when it is not met */
export function cutPiece(piece: Piece, level: Float64Array): Piece | undefined {
  const parts = piece.ranges.map((range) => cutRange(piece, range, level)).filter((part) => part.cells.length > 0)
  return parts.length ? joinPieces(parts) : undefined
}

function cutRange(shape: Piece, range: ShapeRange, level: Float64Array): Piece {
  const found = new Map<number, number>()
  const ends: number[] = []
  const segments: number[] = []
  const cells: number[] = []
  const nPoints = level.length
  const crossing = (p: number, q: number): number => {
    let [a, b] = isAfter(shape.points, p, q) ? [q, p] : [p, q]
    if (level[a] === 0) b = a
    else if (level[b] === 0) a = b
    const key = a * nPoints + b
    let index = found.get(key)
    if (index === undefined) {
      index = ends.length / 2
      ends.push(a, b)
      found.set(key, index)
    }
    return index
  }
  for (let e = range.elementStart; e < range.elementEnd; e++) {
    const i = shape.elements[3 * e]!
    const j = shape.elements[3 * e + 1]!
    const k = shape.elements[3 * e + 2]!
    const li = level[i]!
    const lj = level[j]!
    const lk = level[k]!
    if (!(li === li && lj === lj && lk === lk)) continue
    const si = li >= 0
    const sj = lj >= 0
    const sk = lk >= 0
    if (si === sj && sj === sk) continue
    // p is alone on its side
    const [p, q, r] = si === sj ? [k, i, j] : sj === sk ? [i, j, k] : [j, k, i]
    const a = crossing(p, q)
    const b = crossing(p, r)
    if (a === b) continue
    segments.push(a, b)
    cells.push(shape.cells[e]!)
  }
  return composed(shape, range, level, ends, segments, cells)
}

function composed(shape: Piece, range: ShapeRange, level: Float64Array, ends: number[], segments: number[], cells: number[]): Piece {
  const n = ends.length / 2
  const points = new Float64Array(3 * n)
  const weightStarts = new Uint32Array(n + 1)
  const sources: number[] = []
  const weights: number[] = []
  const addWeights = (p: number, factor: number): void => {
    for (let w = shape.weightStarts[p]!; w < shape.weightStarts[p + 1]!; w++) {
      sources.push(shape.sources[w]!)
      weights.push(factor * shape.weights[w]!)
    }
  }
  for (let i = 0; i < n; i++) {
    const a = ends[2 * i]!
    const b = ends[2 * i + 1]!
    const t = a === b ? 0 : level[a]! / (level[a]! - level[b]!)
    for (let d = 0; d < 3; d++) points[3 * i + d] = shape.points[3 * a + d]! * (1 - t) + shape.points[3 * b + d]! * t
    addWeights(a, 1 - t)
    if (a !== b) addWeights(b, t)
    weightStarts[i + 1] = sources.length
  }
  return {
    points,
    elements: Uint32Array.from(segments),
    cells: Uint32Array.from(cells),
    weightStarts,
    sources: Uint32Array.from(sources),
    weights: Float64Array.from(weights),
    ...(shape.motion && { motion: shape.motion }),
    ranges: [{ part: range.part, block: range.block, pointStart: 0, pointEnd: n, elementStart: 0, elementEnd: cells.length }],
  }
}
