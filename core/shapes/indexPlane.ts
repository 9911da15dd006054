/**
 * Faces of a structured block at one index: cells and points run with i fastest, which is seen at the numbers that they have in their file.
 */
import { CellType, cellFaces } from '../mesh/cellTypes'
import { fanByNumber } from '../mesh/tetrahedra'
import type { MeshBlock } from '../mesh/MeshBlock'
import { pieceOnPoints } from './blockShapes'
import type { Piece } from './Shape'

/** Cells along i, j and k. */
export type Structure = readonly [number, number, number]

/** The structure of a region from one of its cells; undefined when its numbers are not those of a structured block. */
export function structureOf(mesh: MeshBlock, nCells: number, nPoints: number): Structure | undefined {
  const own = Array.from(mesh.connectivity.subarray(mesh.offsets[0]!, mesh.offsets[1]!), (p) => mesh.pointNumbers[p]!).sort((a, b) => a - b)
  if (mesh.types[0] !== CellType.hexahedron || own.length !== 8) return undefined
  const [first] = own as [number]
  const [row, layer] = [own[2]! - first, own[4]! - first]
  const pattern = [0, 1, row, row + 1, layer, layer + 1, layer + row, layer + row + 1]
  if (own.some((number, n) => number !== first + pattern[n]!) || row < 2 || layer % row) return undefined
  const [ni, nj] = [row - 1, layer / row - 1]
  const nk = nCells / (ni * nj)
  return Number.isInteger(nk) && nk > 0 && nPoints === layer * (nk + 1) ? [ni, nj, nk] : undefined
}

/** Whether a block of so many cells and points can be structured. */
export function canBeStructured(nCells: number, nPoints: number): boolean {
  for (let i = 1; i * i * i <= nCells; i++) {
    if (nCells % i) continue
    const layer = nCells / i
    for (let j = i; j * j <= layer; j++) if (layer % j === 0 && (i + 1) * (j + 1) * (layer / j + 1) === nPoints) return true
  }
  return false
}

/**
 * @param axis   0 for i, 1 for j, 2 for k
 * @param index  of the points, from 0 to the number of cells
 */
export function indexPlaneOfBlock(mesh: MeshBlock, part: string, block: number, { structure, axis, index }: IndexPlane): Piece {
  const [ni, nj] = structure
  const { types, offsets, connectivity, pointNumbers } = mesh
  const indexOf = (p: number): number => {
    const number = pointNumbers[p]!
    return axis === 0
      ? number % (ni + 1)
      : axis === 1
        ? Math.floor(number / (ni + 1)) % (nj + 1)
        : Math.floor(number / ((ni + 1) * (nj + 1)))
  }
  const isLast = index === structure[axis]
  const nodes: number[] = []
  const cells: number[] = []
  for (let c = 0; c < types.length; c++) {
    const corners = connectivity.subarray(offsets[c]!, offsets[c + 1]!)
    if (!corners.some((p) => indexOf(p) === index)) continue
    // of the two cells at a plane the one behind it has the face; at the end there is only the one before
    if (!isLast && corners.some((p) => indexOf(p) < index)) continue
    const face = (cellFaces[types[c]!] ?? []).find((local) => local.every((n) => indexOf(corners[n]!) === index))
    if (!face) continue
    fanByNumber(
      face.map((n) => corners[n]!),
      pointNumbers,
      (i, j, k) => {
        nodes.push(i, j, k)
        cells.push(c)
      },
    )
  }
  return pieceOnPoints(mesh, nodes, cells, part, block)
}

export interface IndexPlane {
  structure: Structure
  axis: 0 | 1 | 2
  index: number
}
