/** The turn, the shift and, where wanted, the scale that bring places nearest to others, by least squares. */
import { DataError } from '../errors'
import { cross, length, minus } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { movedPlace, movedVector } from './turned'
import type { Motion } from './turned'

export interface Similarity {
  /** All of it. */
  motion: Motion
  /** The turn alone, by which vectors turn. */
  turn: Motion
  scale: number
  /** Distances that remain between what was brought there and where it should be. */
  rms: number
  largest: number
}

/** Share of the size of a set of places by which they must leave a line. */
const LEAST_WIDTH = 1e-6

/**
 * The turn is the unit quaternion of the largest eigenvalue of a matrix of the places (Horn, J. Opt. Soc. Am. A 4, 1987).
 *
 * @throws DataError when there are not as many of both, or fewer than three that do not lie on one line
 */
export function fitSimilarity(from: readonly Vector[], to: readonly Vector[], hasScale: boolean): Similarity {
  if (from.length !== to.length)
    throw new DataError('not-paired', `There are ${from.length} places here and ${to.length} there; each needs its counterpart.`)
  const [a, b] = [centreOf(from), centreOf(to)]
  const [own, other] = [from.map((place) => minus(place, a)), to.map((place) => minus(place, b))]
  if (isOnLine(own) || isOnLine(other))
    throw new DataError('on-a-line', 'Three pairs of places that do not lie on one line are needed to align one thing with another.')
  const turn = rotationOf(bestQuaternion(own, other))
  const scale = hasScale ? Math.sqrt(sumOfSquares(other) / sumOfSquares(own)) : 1
  const grown = turn.map((c) => scale * c)
  const shift = minus(b, movedVector(a, grown))
  const motion = grown.map((c, i) => (i % 4 === 3 ? shift[(i - 3) / 4]! : c))
  const left = from.map((place, i) => length(minus(movedPlace(place, motion), to[i]!)))
  const rms = Math.sqrt(left.reduce((sum, x) => sum + x * x, 0) / left.length)
  return { motion, turn, scale, rms, largest: Math.max(...left) }
}

function centreOf(places: readonly Vector[]): Vector {
  return [0, 1, 2].map((d) => places.reduce((sum, place) => sum + place[d]!, 0) / Math.max(places.length, 1)) as Vector
}

function sumOfSquares(places: readonly Vector[]): number {
  return places.reduce((sum, place) => sum + length(place) ** 2, 0)
}

/** @param places  about their centre */
function isOnLine(places: readonly Vector[]): boolean {
  const along = places.reduce<Vector>((most, place) => (length(place) > length(most) ? place : most), [0, 0, 0])
  const size = length(along)
  return !places.some((place) => length(cross(place, along)) > LEAST_WIDTH * size * size)
}

function bestQuaternion(from: readonly Vector[], to: readonly Vector[]): number[] {
  const sum = (i: number, j: number): number => from.reduce((all, place, p) => all + place[i]! * to[p]![j]!, 0)
  const [[xx, xy, xz], [yx, yy, yz], [zx, zy, zz]] = [0, 1, 2].map((i) => [0, 1, 2].map((j) => sum(i, j))) as [Vector, Vector, Vector]
  return largestEigenvector([
    [xx + yy + zz, yz - zy, zx - xz, xy - yx],
    [yz - zy, xx - yy - zz, xy + yx, zx + xz],
    [zx - xz, xy + yx, yy - xx - zz, yz + zy],
    [xy - yx, zx + xz, yz + zy, zz - xx - yy],
  ])
}

/** Jacobi's rotations (1846) of a symmetric matrix until nothing is left beside its diagonal. */
function largestEigenvector(a: number[][]): number[] {
  const n = a.length
  const vectors = a.map((_, i) => a.map((_, j) => Number(i === j)))
  for (let sweep = 0; sweep < 50; sweep++) {
    const beside = a.reduce((sum, row, i) => sum + row.reduce((part, x, j) => part + (i === j ? 0 : x * x), 0), 0)
    if (beside === 0) break
    for (let p = 0; p < n; p++) for (let q = p + 1; q < n; q++) rotate(a, vectors, p, q)
  }
  const largest = a.reduce((best, row, i) => (row[i]! > a[best]![best]! ? i : best), 0)
  return vectors.map((row) => row[largest]!)
}

function rotate(a: number[][], vectors: number[][], p: number, q: number): void {
  const off = a[p]![q]!
  if (off === 0) return
  const theta = (a[q]![q]! - a[p]![p]!) / (2 * off)
  const t = (theta < 0 ? -1 : 1) / (Math.abs(theta) + Math.hypot(theta, 1))
  const c = 1 / Math.hypot(t, 1)
  const s = t * c
  const turnColumns = (row: number[]): void => {
    const [x, y] = [row[p]!, row[q]!]
    row[p] = c * x - s * y
    row[q] = s * x + c * y
  }
  for (const row of a) turnColumns(row)
  for (let k = 0; k < a.length; k++) {
    const [x, y] = [a[p]![k]!, a[q]![k]!]
    a[p]![k] = c * x - s * y
    a[q]![k] = s * x + c * y
  }
  a[p]![q] = a[q]![p] = 0
  for (const row of vectors) turnColumns(row)
}

function rotationOf([w, x, y, z]: readonly number[]): Motion {
  const [a, b, c, d] = [w!, x!, y!, z!]
  return [
    ...[a * a + b * b - c * c - d * d, 2 * (b * c - a * d), 2 * (b * d + a * c), 0],
    ...[2 * (b * c + a * d), a * a - b * b + c * c - d * d, 2 * (c * d - a * b), 0],
    ...[2 * (b * d - a * c), 2 * (c * d + a * b), a * a - b * b - c * c + d * d, 0],
  ]
}
