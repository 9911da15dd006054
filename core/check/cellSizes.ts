/** Sizes and places of single cells, as the figures of the data check name them. */
import { cellDimension } from '../mesh/cellTypes'
import type { MeshBlock } from '../mesh/MeshBlock'
import { linearVolumes } from '../measure/integrateCells'
import { elementMeasure } from '../measure/integrateShape'
import { facesOfBlock, kindOfPart, wiresOfBlock } from '../shapes/blockShapes'

/** Where a value is: number in the file of its point or cell, and its position in the length unit of the case. */
export interface Spot {
  number: number
  at: [number, number, number]
}

/** Volume, area or length of every cell; 1 for points. */
export function cellSizes(mesh: MeshBlock): Float64Array {
  const dimension = mesh.types.length ? cellDimension(mesh.types[0]!) : 0
  if (dimension === 3) return linearVolumes(mesh)
  const sizes = new Float64Array(mesh.types.length)
  const piece = dimension === 2 ? facesOfBlock(mesh, '', 0) : wiresOfBlock(mesh, '', 0)
  const kind = kindOfPart({ dimension })
  for (let e = 0; e < piece.cells.length; e++) sizes[piece.cells[e]!]! += elementMeasure(kind, piece, e)
  return sizes
}

/** Mean of a cell's points. */
export function centreOf(points: ArrayLike<number>, nodes: ArrayLike<number>): [number, number, number] {
  const centre: [number, number, number] = [0, 0, 0]
  for (let n = 0; n < nodes.length; n++) for (let d = 0; d < 3; d++) centre[d]! += points[3 * nodes[n]! + d]! / nodes.length
  return centre
}
