/** Length along lines from their beginning, at both ends of each segment. */
import { lengthsAlong, linesOf } from './chainSegments'
import { joinPieces } from './Shape'
import type { Piece } from './Shape'

/**
 * Lines of several pieces that meet are one; each begins where `chainSegments` begins it, traced ones where they were traced from.
 *
 * @returns for each piece, in the length unit of the case
 */
export function arcLengths(pieces: readonly Piece[]): Float64Array[] {
  const whole = joinPieces(pieces)
  const all = new Float64Array(whole.elements.length).fill(NaN)
  for (const { points, segments } of linesOf(whole)) {
    const ends = lengthsAlong(whole.points, points)
    segments.forEach(({ element, isForward }, i) => {
      all[2 * element + Number(!isForward)] = ends[i]!
      all[2 * element + Number(isForward)] = ends[i + 1]!
    })
  }
  let end = 0
  return pieces.map(({ elements }) => all.subarray(end, (end += elements.length)))
}
