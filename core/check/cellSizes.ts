/** Sizes and places of single cells, as the figures of the data check name them. */
import { cellDimension } from '../mesh/cellTypes'
import type { MeshBlock } from '../mesh/MeshBlock'
import { tetrahedraOf } from '../mesh/tetrahedra'
import { elementMeasure } from '../measure/integrateShape'
import { facesOfBlock, wiresOfBlock } from '../steps/kernels/blockShapes'

/** Where a value is: number in the file of its point or cell, and its position in the length unit of the case. */
export interface Spot {
  number: number
  at: [number, number, number]
}

/** Volume, area or length of every cell; 1 for points. */
export function cellSizes(mesh: MeshBlock): Float64Array {
  const sizes = new Float64Array(mesh.types.length)
  const { points, types, offsets, connectivity, pointNumbers } = mesh
  const dimension = types.length ? cellDimension(types[0]!) : 0
  if (dimension < 3) {
    const shape = dimension === 2 ? facesOfBlock(mesh, '', 0) : wiresOfBlock(mesh, '', 0)
    for (let e = 0; e < shape.cells.length; e++) sizes[shape.cells[e]!]! += elementMeasure(shape, e)
    return sizes
  }
  for (let c = 0; c < sizes.length; c++) {
    const tets = tetrahedraOf(types[c]!, connectivity, offsets[c]!, pointNumbers)
    for (let t = 0; t < tets.length; t += 4) sizes[c]! += sixfoldVolume(points, connectivity, offsets[c]!, tets, t)
    // divided once at the end: the volume of a plain box comes out exact
    sizes[c]! /= 6
  }
  return sizes
}

function sixfoldVolume(points: ArrayLike<number>, connectivity: Uint32Array, start: number, tets: Uint8Array, t: number): number {
  const a = 3 * connectivity[start + tets[t]!]!
  const b = 3 * connectivity[start + tets[t + 1]!]!
  const c = 3 * connectivity[start + tets[t + 2]!]!
  const d = 3 * connectivity[start + tets[t + 3]!]!
  const bx = points[b]! - points[a]!, by = points[b + 1]! - points[a + 1]!, bz = points[b + 2]! - points[a + 2]!
  const cx = points[c]! - points[a]!, cy = points[c + 1]! - points[a + 1]!, cz = points[c + 2]! - points[a + 2]!
  const dx = points[d]! - points[a]!, dy = points[d + 1]! - points[a + 1]!, dz = points[d + 2]! - points[a + 2]!
  return bx * (cy * dz - cz * dy) + by * (cz * dx - cx * dz) + bz * (cx * dy - cy * dx)
}

/** Mean of a cell's points. */
export function centreOf(points: ArrayLike<number>, nodes: ArrayLike<number>): [number, number, number] {
  const centre: [number, number, number] = [0, 0, 0]
  for (let n = 0; n < nodes.length; n++) for (let d = 0; d < 3; d++) centre[d]! += points[3 * nodes[n]! + d]! / nodes.length
  return centre
}
