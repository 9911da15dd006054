/**
 * The outer surface of a region on its own: what surfaces are linked to and the first look shows, without the cells.
 *
 *   starts  Uint32Array (nFaces + 1), where each face's nodes begin
 *   nodes   Uint32Array, places in `numbers`; counter-clockwise seen from outside
 *   numbers Uint32Array (nPoints), number of each point in the region
 *   points  Float64Array (3 × nPoints), in the case's length unit
 *   cells   Uint32Array (nFaces), number of the cell behind each face in the source
 */
import { cellFaces } from './cellTypes'
import { matchFaces } from './faceMatching'
import type { Cells } from './faceMatching'
import { gather } from './gather'
import { Growing } from './growing'
import type { FloatArray } from './MeshBlock'
import { placesAmong } from './numbering'

export interface Skin {
  starts: Uint32Array
  nodes: Uint32Array
  numbers: Uint32Array
  points: Float64Array
  cells: Uint32Array
}

/** @param boundary  cells and local faces, if they are known already */
export function skinOf(
  mesh: Cells & { points: FloatArray; cellNumbers?: Uint32Array },
  boundary = matchFaces(mesh, mesh.points.length / 3),
): Skin {
  const { types, offsets, connectivity, points, cellNumbers } = mesh
  const starts = new Uint32Array(boundary.length / 2 + 1)
  const nodes = new Growing(Uint32Array)
  const cells = new Uint32Array(boundary.length / 2)
  for (let f = 0; f < cells.length; f++) {
    const cell = boundary[2 * f]!
    for (const local of cellFaces[types[cell]!]![boundary[2 * f + 1]!]!) nodes.push(connectivity[offsets[cell]! + local]!)
    starts[f + 1] = nodes.length
    cells[f] = cellNumbers?.[cell] ?? cell
  }
  return skinOfFaces({ starts, nodes: nodes.finish(), cells }, (numbers) => gather(points, numbers, 3))
}

/**
 * @param faces     nodes by the numbers of the region
 * @param pointsOf  coordinates of points by their numbers
 */
export function skinOfFaces(
  { starts, nodes, cells }: Pick<Skin, 'starts' | 'nodes' | 'cells'>,
  pointsOf: (numbers: Uint32Array) => FloatArray,
): Skin {
  const { places, different } = placesAmong(nodes)
  return { starts, nodes: places, numbers: different, points: Float64Array.from(pointsOf(different)), cells }
}
