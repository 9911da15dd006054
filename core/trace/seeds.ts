/** Where lines and paths start. */
import { DataError } from '../errors'
import type { Vector } from '../mesh/vectors'
import { evenPlaces, spacingFor } from '../shapes/placing'
import { elementCount, joinPieces } from '../shapes/Shape'
import type { Shape } from '../shapes/Shape'

/**
 * Evenly by arc length over all segments of lines, half a spacing in from both ends; evenly on a surface, about
 * so many; at points as they are.
 */
export function seedPoints(shape: Shape, count: number): Vector[] {
  if (!elementCount(shape)) throw new DataError('no-seeds', 'Choose what to start from: a line, a surface or points, under “from”.')
  if (shape.kind !== 'lines') {
    const placed = shape.kind === 'points' ? shape.pieces : evenPlaces(shape, spacingFor(shape, count)).map(({ piece }) => piece)
    return placed.flatMap(({ points }) =>
      Array.from({ length: points.length / 3 }, (_, p) => Array.from(points.subarray(3 * p, 3 * p + 3)) as Vector),
    )
  }
  const { points, elements } = joinPieces(shape.pieces)
  const ends = [0]
  for (let e = 0; e < elements.length; e += 2) {
    const a = 3 * elements[e]!
    const b = 3 * elements[e + 1]!
    ends.push(
      ends[ends.length - 1]! + Math.hypot(points[b]! - points[a]!, points[b + 1]! - points[a + 1]!, points[b + 2]! - points[a + 2]!),
    )
  }
  const total = ends[ends.length - 1]!
  const seeds: Vector[] = []
  for (let i = 0, e = 0; i < count; i++) {
    const s = (total * (i + 0.5)) / count
    while (e < ends.length - 2 && ends[e + 1]! < s) e++
    const length = ends[e + 1]! - ends[e]!
    const t = length > 0 ? (s - ends[e]!) / length : 0
    const a = 3 * elements[2 * e]!
    const b = 3 * elements[2 * e + 1]!
    seeds.push([0, 1, 2].map((d) => points[a + d]! * (1 - t) + points[b + d]! * t) as Vector)
  }
  return seeds
}
