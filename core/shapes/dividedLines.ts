/** Lines that are drawn by hand have points where they bend; what is carried onto them may change in between. */
import { length, minus, vectorAt } from '../mesh/vectors'
import { looseLines } from './drawnLine'
import { NO_CELL } from './Shape'
import type { Piece, Shape } from './Shape'

/** Points of all lines together: long lines are divided into longer pieces. */
const MOST_POINTS = 20_000

/**
 * The same lines with further points, so that no two of them are further apart than wanted. What lies in a case has points of its own
 * and stays; columns are taken as linear in between.
 * @param spacing  in the unit of the points; NaN leaves all as it is
 */
export function dividedLines(shape: Shape, spacing: number): Shape {
  if (shape.kind !== 'lines' || !(spacing > 0)) return shape
  const loose = shape.pieces.filter(isLoose)
  const whole = loose.flatMap(lengthsOf).reduce((sum, own) => sum + own, 0)
  const most = Math.max(spacing, whole / MOST_POINTS)
  return { ...shape, pieces: shape.pieces.map((piece) => (isLoose(piece) ? divided(piece, most) : piece)) }
}

function isLoose({ weights, cells }: Piece): boolean {
  return weights.length === 0 && cells.every((cell) => cell === NO_CELL)
}

function lengthsOf({ points, elements }: Piece): number[] {
  return Array.from({ length: elements.length / 2 }, (_, e) =>
    length(minus(vectorAt(points, elements[2 * e + 1]!), vectorAt(points, elements[2 * e]!))),
  )
}

/** What is between two points of a line: the first of them, and the share of the way to the second. */
interface Place {
  from: number
  to: number
  share: number
}

function divided(piece: Piece, spacing: number): Piece {
  const { elements } = piece
  const counts = lengthsOf(piece).map((length) => Math.max(1, Math.ceil(length / spacing - 1e-9)))
  if (counts.every((n) => n === 1)) return piece
  const places: Place[] = []
  const starts = [0]
  counts.forEach((n, e) => {
    const [from, to] = [elements[2 * e]!, elements[2 * e + 1]!]
    for (let i = 0; i < n; i++) places.push({ from, to, share: i / n })
    if (elements[2 * e + 2] === to) return
    places.push({ from: to, to, share: 0 })
    starts.push(places.length)
  })
  const between = (values: ArrayLike<number>, size: number): Float64Array =>
    Float64Array.from({ length: size * places.length }, (_, i) => {
      const { from, to, share } = places[Math.floor(i / size)]!
      return (1 - share) * values[size * from + (i % size)]! + share * values[size * to + (i % size)]!
    })
  const own = looseLines(between(piece.points, 3), Uint32Array.from(starts))
  return { ...own, ...(piece.columns && { columns: piece.columns.map((column) => between(column, 1)) }) }
}
