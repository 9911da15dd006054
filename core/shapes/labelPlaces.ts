/** Where the numbers of contour lines stand: along the longer lines, evenly. */
import { boxOfPoints, diagonal, unionBox } from '../mesh/boxes'
import { chainSegments, lengthsAlong } from './chainSegments'
import { joinPieces } from './Shape'
import type { LineLabel, Piece } from './Shape'

/** Shares of the diagonal of all lines: the shortest line with a number, and the distance from one to the next. */
const SHORTEST = 0.04
const APART = 0.35
const MOST_LABELS = 1000

/** @param values  of each piece, in the order in which the pieces are joined */
export function labelPlaces(pieces: readonly Piece[], values: readonly number[]): LineLabel[] {
  const filled = pieces.filter(({ points }) => points.length)
  if (!filled.length) return []
  const size = diagonal(unionBox(filled.map(({ points }) => boxOfPoints(points))))
  const starts: number[] = []
  pieces.reduce((sum, { points }) => (starts.push(sum), sum + points.length / 3), 0)
  const found: LineLabel[] = []
  for (const value of new Set(values)) {
    const own = pieces.flatMap((piece, i) => (values[i] === value && piece.cells.length ? [i] : []))
    if (!own.length) continue
    const joined = joinPieces(own.map((i) => pieces[i]!))
    // places of the joined points among those of all pieces
    const numbers = own.flatMap((i) => Array.from({ length: pieces[i]!.points.length / 3 }, (_, p) => starts[i]! + p))
    for (const { points } of chainSegments(joined)) {
      for (const at of placesAlong(joined, points, size))
        found.push({ value, point: numbers[points[at]!]!, next: numbers[points[at + 1]!]! })
      if (found.length >= MOST_LABELS) return found
    }
  }
  return found
}

/** Indices into the points of a line at which a number stands. */
function placesAlong({ points }: Piece, line: readonly number[], size: number): number[] {
  const distances = lengthsAlong(points, line)
  const length = distances[distances.length - 1]!
  if (!(length > SHORTEST * size)) return []
  const n = Math.max(1, Math.floor(length / (APART * size)))
  return Array.from({ length: n }, (_, k) => {
    const wanted = ((k + 0.5) * length) / n
    return Math.max(0, Math.min(line.length - 2, distances.findIndex((d) => d > wanted) - 1))
  })
}
