/** Places along a curve by their distance from its start. */
import { DataError } from '../errors'
import { direction } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { chainSegments } from './chainSegments'
import { joinPieces } from './Shape'
import type { Shape } from './Shape'

/** The longest polyline of a shape of lines. */
export class CurvePlaces {
  readonly length: number
  private readonly places: Vector[]
  private readonly distances: number[]

  /** @throws DataError when there is no line */
  constructor({ kind, pieces }: Shape) {
    if (kind !== 'lines') throw new DataError('no-curve', 'This is no curve; choose lines.')
    const own = pieces.filter(({ cells }) => cells.length > 0)
    if (!own.length) throw new DataError('no-curve', 'The curve is empty here; choose one with a length.')
    const piece = joinPieces(own)
    const lines = chainSegments(piece).map(({ points }) =>
      points.map((p): Vector => [0, 1, 2].map((d) => piece.points[3 * p + d]!) as Vector),
    )
    const lengths = lines.map((line) => distancesOf(line))
    const longest = lengths.reduce((best, list, i) => (list[list.length - 1]! > lengths[best]![lengths[best]!.length - 1]! ? i : best), 0)
    this.places = lines[longest]!
    this.distances = lengths[longest]!
    this.length = this.distances[this.distances.length - 1]!
    if (!(this.length > 0)) throw new DataError('no-curve', 'The curve has no length here; choose another.')
  }

  /** Position and direction at a distance from the start, which is brought between the ends. */
  at(distance: number): { position: Vector; along: Vector } {
    const { places, distances } = this
    const s = Math.min(Math.max(distance, 0), this.length)
    let i = distances.findIndex((d, k) => k > 0 && d >= s)
    if (i < 1) i = distances.length - 1
    const [from, to] = [places[i - 1]!, places[i]!]
    const t = (s - distances[i - 1]!) / (distances[i]! - distances[i - 1]! || 1)
    return {
      position: from.map((c, d) => c + t * (to[d]! - c)) as Vector,
      along: direction(to.map((c, d) => c - from[d]!) as Vector),
    }
  }
}

function distancesOf(line: readonly Vector[]): number[] {
  let sum = 0
  return line.map((place, i) => {
    if (i > 0) sum += Math.hypot(...place.map((c, d) => c - line[i - 1]![d]!))
    return sum
  })
}
