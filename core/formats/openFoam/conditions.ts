/**
 * Values on a patch whose condition is written without any: what flows sticks to a wall without slip, has no part across one with
 * slip or a plane of symmetry, and else is what it is in the cells behind.
 */
import type { FloatArray } from '../../mesh/MeshBlock'
import type { FoamBoundary, Patch } from './mesh'

const AT_REST = /^noSlip$/
const WITHOUT_CROSSING = /^(slip|symmetry|symmetryPlane|basicSymmetry)$/

/**
 * @param condition  its type in the file of the field, empty where none is stated
 * @param cells      (components × faces) of the cells behind, changed in place
 */
export function impliedValues(condition: string, cells: FloatArray, components: number, boundary: FoamBoundary, patch: Patch): FloatArray {
  if (AT_REST.test(condition)) return cells.fill(0)
  if (components === 3 && WITHOUT_CROSSING.test(condition)) removeCrossing(cells, boundary, patch)
  return cells
}

/** u − (u · n) n for each face. */
function removeCrossing(values: FloatArray, { offsets, nodes, points, firstFace }: FoamBoundary, { startFace, nFaces }: Patch): void {
  for (let f = 0; f < nFaces; f++) {
    const face = startFace - firstFace + f
    const [x, y, z] = areaVector(points, nodes, offsets[face]!, offsets[face + 1]!)
    const square = x * x + y * y + z * z
    if (!(square > 0)) continue
    const across = (values[3 * f]! * x + values[3 * f + 1]! * y + values[3 * f + 2]! * z) / square
    values[3 * f]! -= across * x
    values[3 * f + 1]! -= across * y
    values[3 * f + 2]! -= across * z
  }
}

/** Half the sum of the cross products of a polygon's sides about its first corner. */
function areaVector(points: FloatArray, nodes: Uint32Array, from: number, to: number): [number, number, number] {
  const area: [number, number, number] = [0, 0, 0]
  const at = (i: number, d: number): number => points[3 * nodes[i]! + d]! - points[3 * nodes[from]! + d]!
  for (let i = from + 1; i + 1 < to; i++) {
    for (let d = 0; d < 3; d++) {
      const [e, f] = [(d + 1) % 3, (d + 2) % 3]
      area[d]! += (at(i, e) * at(i + 1, f) - at(i, f) * at(i + 1, e)) / 2
    }
  }
  return area
}
