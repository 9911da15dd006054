/** Normals of the triangles of a piece. */
import type { Piece } from './Shape'

/** Twice the area times the unit normal of triangle e. */
export function triangleNormal(points: Float64Array, elements: Uint32Array, e: number): [number, number, number] {
  const a = 3 * elements[3 * e]!
  const b = 3 * elements[3 * e + 1]!
  const c = 3 * elements[3 * e + 2]!
  const ux = points[b]! - points[a]!,
    uy = points[b + 1]! - points[a + 1]!,
    uz = points[b + 2]! - points[a + 2]!
  const vx = points[c]! - points[a]!,
    vy = points[c + 1]! - points[a + 1]!,
    vz = points[c + 2]! - points[a + 2]!
  return [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx]
}

/** Unit normal of every triangle (3 × n); zero for triangles without area. */
export function elementNormals({ points, elements, cells }: Piece): Float64Array {
  const normals = new Float64Array(3 * cells.length)
  for (let e = 0; e < cells.length; e++) {
    const [x, y, z] = triangleNormal(points, elements, e)
    const length = Math.hypot(x, y, z) || 1
    normals.set([x / length, y / length, z / length], 3 * e)
  }
  return normals
}
