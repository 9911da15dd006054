/** Samples of regions along lines that were drawn by hand: they lie in no cell, so their values are those of the cells they run through. */
import { DataError } from '../errors'
import { vectorAt } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { lengthsAlong, linesOf } from '../shapes/chainSegments'
import type { Polyline } from '../shapes/chainSegments'
import { joinPieces } from '../shapes/Shape'
import type { Shape } from '../shapes/Shape'
import { crossings } from '../trace/cellCrossings'
import { samplePlaces, sharesOf } from '../trace/lineShapes'
import type { Spacing } from '../trace/lineShapes'
import type { StepContext } from './StepKind'

export const MOST_SAMPLES = 100_000

export interface SampledCurve {
  /** Points, one a sample; those outside the region have no value. */
  shape: Shape
  /** Of each line: its samples in order, and their distance along it from its start. */
  lines: { line: Polyline; lengths: Float64Array }[]
}

/** Whether lines lie in no cell of a case. */
export function isDrawn({ kind, pieces }: Shape): boolean {
  return kind === 'lines' && pieces.length > 0 && pieces.every(({ ranges }) => !ranges.length)
}

/**
 * Samples of drawn lines in the regions of the input “in”.
 *
 * @param samples  of each line
 * @param spacing  where they stand closer; `cells`: in the middle of every cell and where it is entered
 * @throws DataError without a region, and where there would be too many
 */
export function sampledCurve(context: StepContext, drawn: Shape, samples: number, spacing: Spacing | 'cells'): SampledCurve {
  const domain = context.domain('in')
  if (!domain.parts.length) throw new DataError('no-region', 'A line is sampled in a region; choose one under “in”.')
  const whole = joinPieces(drawn.pieces)
  const all = linesOf(whole).map(({ points: nodes }) => {
    const corners = nodes.map((p) => vectorAt(whole.points, p))
    const ends = lengthsAlong(whole.points, nodes)
    const total = ends[ends.length - 1]!
    const between = (i: number): number[] =>
      crossings(domain, corners[i]!, corners[i + 1]!, context.check).map((share) => ends[i]! + share * (ends[i + 1]! - ends[i]!))
    const lengths =
      spacing === 'cells'
        ? corners.slice(1).flatMap((_, i) => (i === 0 ? between(i) : between(i).slice(1)))
        : sharesOf(samples, spacing).map((share) => share * total)
    return { lengths: Float64Array.from(lengths), places: placesAt(corners, ends, lengths) }
  })
  const n = all.reduce((sum, { lengths }) => sum + lengths.length, 0)
  if (n > MOST_SAMPLES) throw new DataError('too-many', `This would take ${n.toLocaleString('en')} samples; take fewer, or a shorter line.`)
  const { piece, outside } = samplePlaces(
    domain,
    all.flatMap(({ places }) => places),
    true,
  )
  let first = 0
  const lines = all.map(({ lengths }) => {
    const points = Array.from(lengths, (_, i) => first + i)
    first += lengths.length
    return { line: { points, segments: [] }, lengths }
  })
  const notes = outside ? [`${outside} of ${n} samples lie outside the domain and are left as gaps`] : []
  return { shape: { kind: 'points', pieces: [piece], notes }, lines }
}

/** Places at distances from the start, which do not fall. @param ends  distance of each corner */
function placesAt(corners: readonly Vector[], ends: Float64Array, lengths: readonly number[]): Vector[] {
  let i = 0
  return lengths.map((length) => {
    while (i < corners.length - 2 && ends[i + 1]! < length) i++
    const [from, to] = [corners[i]!, corners[i + 1]!]
    const t = (length - ends[i]!) / (ends[i + 1]! - ends[i]! || 1)
    return [0, 1, 2].map((d) => from[d]! * (1 - t) + to[d]! * t) as Vector
  })
}
