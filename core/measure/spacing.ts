/** How far the places of something are apart, about: to tell whether one thing is much finer than another. */
import { boxOfPoints } from '../mesh/boxes'
import type { Box } from '../mesh/MeshBlock'
import { sizeOfShape } from './integrateShape'
import { elementCount, joinPieces } from '../shapes/Shape'
import type { Shape } from '../shapes/Shape'

/** Edges of segments or triangles, of points those of the boxes that each has to itself; NaN of fewer than two. */
export function spacingOfShape(shape: Shape): number {
  const n = elementCount(shape)
  if (shape.kind === 'points') return spacingIn([boxOfPoints(joinPieces(shape.pieces).points)], n)
  const { measure } = sizeOfShape(shape)
  if (!n || !(measure > 0)) return NaN
  return shape.kind === 'lines' ? measure / n : Math.sqrt((2 * measure) / n)
}

/** Edge of the cube, square or length that each of some things has to itself in boxes. */
export function spacingIn(boxes: readonly Box[], n: number): number {
  const sides = boxes.map((box) => [0, 1, 2].map((d) => Math.max(0, box[d + 3]! - box[d]!)))
  const largest = Math.max(0, ...sides.flat())
  // what is flat is not divided by its thickness
  const across = [0, 1, 2].filter((d) => sides.some((own) => own[d]! > 1e-6 * largest))
  const size = sides.reduce((sum, own) => sum + across.reduce((product, d) => product * own[d]!, 1), 0)
  return n > 1 && across.length ? (size / n) ** (1 / across.length) : NaN
}
