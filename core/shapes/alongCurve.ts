/** Places along a curve by their distance from its start. */
import { DataError } from '../errors'
import { direction } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { chainSegments, lengthsAlong } from './chainSegments'
import { joinPieces } from './Shape'
import type { Shape } from './Shape'

/** The longest polyline of a shape of lines. */
export class CurvePlaces {
  readonly length: number
  private readonly points: Float64Array
  private readonly nodes: readonly number[]
  private readonly distances: Float64Array

  /**
   * @param factor  that its coordinates are multiplied by
   * @throws DataError when there is no line
   */
  constructor({ kind, pieces }: Shape, factor = 1) {
    if (kind !== 'lines') throw new DataError('no-curve', 'This is no curve; choose lines.')
    const own = pieces.filter(({ cells }) => cells.length > 0)
    if (!own.length) throw new DataError('no-curve', 'The curve is empty here; choose one with a length.')
    const piece = joinPieces(own)
    this.points = factor === 1 ? piece.points : piece.points.map((x) => factor * x)
    const lines = chainSegments(piece).map(({ points }) => ({ nodes: points, distances: lengthsAlong(this.points, points) }))
    const end = ({ distances }: { distances: Float64Array }): number => distances[distances.length - 1]!
    const longest = lines.reduce((best, line) => (end(line) > end(best) ? line : best))
    this.nodes = longest.nodes
    this.distances = longest.distances
    this.length = this.distances[this.distances.length - 1]!
    if (!(this.length > 0)) throw new DataError('no-curve', 'The curve has no length here; choose another.')
  }

  /** Position and direction at a distance from the start, which is brought between the ends. */
  at(distance: number): { position: Vector; along: Vector } {
    const { distances } = this
    const s = Math.min(Math.max(distance, 0), this.length)
    let i = distances.findIndex((d, k) => k > 0 && d >= s)
    if (i < 1) i = distances.length - 1
    const [from, to] = [this.placeOf(i - 1), this.placeOf(i)]
    const t = (s - distances[i - 1]!) / (distances[i]! - distances[i - 1]! || 1)
    return {
      position: from.map((c, d) => c + t * (to[d]! - c)) as Vector,
      along: direction(to.map((c, d) => c - from[d]!) as Vector),
    }
  }

  private placeOf(i: number): Vector {
    const p = 3 * this.nodes[i]!
    return [this.points[p]!, this.points[p + 1]!, this.points[p + 2]!]
  }
}
