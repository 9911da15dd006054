/** Length along lines from their beginning, at both ends of each segment. */
import { chainSegments, lengthsAlong, pathLines } from './chainSegments'
import { joinPieces } from './Shape'
import type { Piece, PieceValues, Shape } from './Shape'

/**
 * Lines of several pieces that meet are one; each begins where `chainSegments` begins it, traced ones where they were traced from.
 *
 * @param factor  of the length unit of the case
 */
export function arcLengths({ pieces }: Pick<Shape, 'pieces'>, piece: Piece, factor: number): PieceValues {
  const whole = joinPieces(pieces)
  const lines = whole.paths ? pathLines({ ...whole, paths: whole.paths }) : chainSegments(whole)
  const all = new Float64Array(whole.elements.length).fill(NaN)
  for (const { points, segments } of lines) {
    const ends = lengthsAlong(whole.points, points)
    segments.forEach(({ element, isForward }, i) => {
      all[2 * element + Number(!isForward)] = factor * ends[i]!
      all[2 * element + Number(isForward)] = factor * ends[i + 1]!
    })
  }
  const before = pieces.slice(0, pieces.indexOf(piece)).reduce((n, { elements }) => n + elements.length, 0)
  return { values: all.slice(before, before + piece.elements.length), components: 1, place: 'corner' }
}
