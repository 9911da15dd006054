/** What a slice cuts along: planes, cylinders and spheres, as functions that are 0 there. In the case's length unit. */
import { direction, dot } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import type { FloatArray } from '../mesh/MeshBlock'
import { planeMeetsBox } from './blockShapes'
import { fromAxis, fromPoint } from './distances'
import type { Distance } from './distances'

export interface SliceForm {
  /** Of the point that begins at a place in a list of coordinates. */
  at(points: FloatArray, p: number): number
  /** Whether it may be met in a box given as x0 x1 y0 y1 z0 z1 at a place of a list. */
  meets(boxes: ArrayLike<number>, at: number): boolean
  /** Where the normal of the cut points, in words, for any other than a plane. */
  direction?: string
  /** Of a plane. */
  normal?: Vector
}

export function planeForm(origin: Vector, normal: Vector): SliceForm {
  const unit = direction(normal)
  const [nx, ny, nz] = unit
  const offset = dot(unit, origin)
  return {
    at: (points, p) => nx * points[p]! + ny * points[p + 1]! + nz * points[p + 2]! - offset,
    meets: (boxes, at) => planeMeetsBox(boxes, at, unit, offset),
    normal: unit,
  }
}

/** Linear between points of the mesh: flat faces that approach the sphere with the second order of the cells. */
export function sphereForm(centre: Vector, radius: number): SliceForm {
  return roundForm(fromPoint(centre), radius, 'away from the centre')
}

export function cylinderForm(origin: Vector, axis: Vector, radius: number): SliceForm {
  return roundForm(fromAxis(origin, axis), radius, 'away from the axis')
}

/** Where a distance is the radius. */
function roundForm(distance: Distance, radius: number, words: string): SliceForm {
  return {
    at: (points, p) => distance(points[p]!, points[p + 1]!, points[p + 2]!) - radius,
    meets(boxes, at) {
      const middle = (d: number): number => (boxes[at + d]! + boxes[at + d + 1]!) / 2
      const half = (d: number): number => (boxes[at + d + 1]! - boxes[at + d]!) / 2
      const reach = Math.hypot(half(0), half(2), half(4)) * (1 + 1e-6)
      return Math.abs(distance(middle(0), middle(2), middle(4)) - radius) <= reach
    },
    direction: words,
  }
}
