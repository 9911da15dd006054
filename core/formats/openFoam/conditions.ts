/**
 * Values on a patch whose condition is written without any: what flows sticks to a wall without slip, has no part across one with
 * slip or a plane of symmetry, turns about the axis to the sides of a wedge, and else is what it is in the cells behind.
 */
import type { FloatArray } from '../../mesh/MeshBlock'
import { cross, dot } from '../../mesh/vectors'
import type { Vector } from '../../mesh/vectors'
import type { FoamBoundary, Patch } from './mesh'

const WITHOUT_CROSSING = /^(slip|symmetry|symmetryPlane|basicSymmetry)$/

/** Whether a condition says that nothing moves along the patch, whatever the cells behind do. */
export function isAtRest(condition: string): boolean {
  return condition === 'noSlip'
}

/**
 * @param condition  its type in the file of the field, empty where none is stated
 * @param cells      (components × faces) of the cells behind, changed in place
 */
export function impliedValues(condition: string, cells: FloatArray, components: number, boundary: FoamBoundary, patch: Patch): FloatArray {
  if (components === 3 && WITHOUT_CROSSING.test(condition)) eachNormal(cells, boundary, patch, withoutCrossing)
  if (components === 3 && condition === 'wedge') eachNormal(cells, boundary, patch, turnedToSide)
  return cells
}

/**
 * The patch at which the mesh goes on behind this one, where the cells there have the same number of faces and vectors the same
 * directions; undefined where there is none.
 */
export function patchBehind(boundary: FoamBoundary, patch: Patch, components: number): Patch | undefined {
  const other = boundary.patches.find((p) => p.name === patch.neighbour)
  if (!other || other.nFaces !== patch.nFaces || !patch.nFaces) return undefined
  if (components === 1) return other
  const [a, b] = [patch, other].map(({ startFace }) => areaOf(boundary, startFace)) as [Vector, Vector]
  return dot(a, b) < -0.999 * Math.hypot(...a) * Math.hypot(...b) ? other : undefined
}

/** u − (u · n) n */
function withoutCrossing(u: Vector, n: Vector): Vector {
  const across = dot(u, n)
  return [u[0] - across * n[0], u[1] - across * n[1], u[2] - across * n[2]]
}

/** Turned as the plane in the middle of a wedge, which is across an axis of the coordinates, is turned to its side (Rodrigues). */
function turnedToSide(u: Vector, n: Vector): Vector {
  const axis = [0, 1, 2].reduce((best, d) => (Math.abs(n[d]!) > Math.abs(n[best]!) ? d : best), 0)
  const middle: Vector = [0, 0, 0]
  middle[axis] = Math.sign(n[axis]!)
  const turn = cross(middle, n)
  const square = dot(turn, turn)
  if (!(square > 0)) return u
  const cos = dot(middle, n)
  const along = ((1 - cos) * dot(turn, u)) / square
  const across = cross(turn, u)
  return [cos * u[0] + along * turn[0] + across[0], cos * u[1] + along * turn[1] + across[1], cos * u[2] + along * turn[2] + across[2]]
}

/** Changes the vector of each face by the face's unit normal. */
function eachNormal(
  values: FloatArray,
  boundary: FoamBoundary,
  { startFace, nFaces }: Patch,
  change: (u: Vector, n: Vector) => Vector,
): void {
  for (let f = 0; f < nFaces; f++) {
    const area = areaOf(boundary, startFace + f)
    const size = Math.hypot(...area)
    if (size > 0)
      values.set(change([values[3 * f]!, values[3 * f + 1]!, values[3 * f + 2]!], [area[0] / size, area[1] / size, area[2] / size]), 3 * f)
  }
}

/** Half the sum of the cross products of a face's sides about its first corner. */
function areaOf({ offsets, nodes, points, firstFace }: FoamBoundary, face: number): Vector {
  const [from, to] = [offsets[face - firstFace]!, offsets[face - firstFace + 1]!]
  const side = (i: number): Vector => [0, 1, 2].map((d) => points[3 * nodes[i]! + d]! - points[3 * nodes[from]! + d]!) as Vector
  let area: Vector = [0, 0, 0]
  for (let i = from + 1; i + 1 < to; i++) {
    const [x, y, z] = cross(side(i), side(i + 1))
    area = [area[0] + x / 2, area[1] + y / 2, area[2] + z / 2]
  }
  return area
}
