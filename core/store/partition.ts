/**
 * Cuts the mesh of a part into self-contained blocks along a space-filling curve.
 *
 * A block holds its own copy of each point it uses. The curve order is the same for every block size, and groups of
 * GROUP_CELLS cells never straddle blocks (the block size is a multiple), so that sums taken by groups are bitwise the
 * same for every block size.
 */
import { curveOrder } from '../mesh/curveOrder'
import { matchFaces } from '../mesh/faceMatching'
import { boxOfPoints, groupBoxes } from '../mesh/boxes'
import { GROUP_CELLS } from '../mesh/MeshBlock'
import type { FloatArray, MeshBlock } from '../mesh/MeshBlock'
import type { NormalMesh } from '../mesh/normaliseCells'
import type { SourceValues } from '../formats/Format'

export const DEFAULT_BLOCK_CELLS = 64 * GROUP_CELLS

/** Order of the cells and which of their faces lie on the boundary: all that is needed to make any one block. */
export interface Partition {
  mesh: NormalMesh
  order: Uint32Array
  /** First boundary face of each cell in `boundary`, (nCells + 1). */
  boundaryStart: Uint32Array
  boundary: Uint32Array
  blockCells: number
  nBlocks: number
}

export function partition(mesh: NormalMesh, blockCells = DEFAULT_BLOCK_CELLS): Partition {
  if (blockCells % GROUP_CELLS) throw new Error(`block size must be a multiple of ${GROUP_CELLS}`)
  const nCells = mesh.types.length
  const boundary = matchFaces(mesh, mesh.points.length / 3)
  const boundaryStart = new Uint32Array(nCells + 1)
  for (let i = 0; i < boundary.length; i += 2) boundaryStart[boundary[i]! + 1]!++
  for (let c = 1; c <= nCells; c++) boundaryStart[c]! += boundaryStart[c - 1]!
  const order = curveOrder(mesh.points, mesh, boxOfPoints(mesh.points))
  return { mesh, order, boundary, boundaryStart, blockCells, nBlocks: Math.ceil(nCells / blockCells) }
}

/** Scratch of makeBlock: last block that used a point, and its local index there. Shared by all blocks of one part. */
export interface PointMarks {
  block: Int32Array
  local: Uint32Array
}

export function newPointMarks(nPoints: number): PointMarks {
  return { block: new Int32Array(nPoints).fill(-1), local: new Uint32Array(nPoints) }
}

/** Makes block k. Points come in the order in which the cells first use them. */
export function makeBlock(parts: Partition, k: number, marks: PointMarks): MeshBlock {
  const { mesh, order, blockCells } = parts
  const first = k * blockCells
  const nCells = Math.min(blockCells, order.length - first)
  const types = new Uint8Array(nCells)
  const offsets = new Uint32Array(nCells + 1)
  const cellNumbers = new Uint32Array(nCells)
  let nNodes = 0
  let nFaces = 0
  for (let i = 0; i < nCells; i++) {
    const c = order[first + i]!
    types[i] = mesh.types[c]!
    cellNumbers[i] = mesh.cellNumbers[c]!
    nNodes += mesh.offsets[c + 1]! - mesh.offsets[c]!
    nFaces += parts.boundaryStart[c + 1]! - parts.boundaryStart[c]!
    offsets[i + 1] = nNodes
  }
  const connectivity = new Uint32Array(nNodes)
  const skin = new Uint32Array(2 * nFaces)
  const numbers = new Uint32Array(nNodes)
  let nPoints = 0
  let at = 0
  let atFace = 0
  for (let i = 0; i < nCells; i++) {
    const c = order[first + i]!
    for (let n = mesh.offsets[c]!; n < mesh.offsets[c + 1]!; n++) {
      const p = mesh.connectivity[n]!
      if (marks.block[p] !== k) {
        marks.block[p] = k
        marks.local[p] = nPoints
        numbers[nPoints++] = p
      }
      connectivity[at++] = marks.local[p]!
    }
    for (let f = parts.boundaryStart[c]!; f < parts.boundaryStart[c + 1]!; f++) {
      skin[atFace++] = i
      skin[atFace++] = parts.boundary[2 * f + 1]!
    }
  }
  const pointNumbers = numbers.slice(0, nPoints)
  const points = gather(mesh.points, pointNumbers, 3)
  const pointSources = mesh.pointSources && pointNumbers.map((p) => mesh.pointSources![p]!)
  const block = { points, types, offsets, connectivity, pointNumbers, cellNumbers, skin, ...(pointSources && { pointSources }) }
  return { ...block, groups: groupBoxes(block) }
}

/** Values of a source in the order of a block, or of a whole mesh, whose points are in their own order. */
export function gatherBlock({ values, components, place }: SourceValues, block: Numbering): FloatArray {
  const numbers = place === 'cell' ? block.cellNumbers : (block.pointSources ?? block.pointNumbers)
  return numbers ? gather(values, numbers, components) : values
}

type Numbering = Pick<MeshBlock, 'cellNumbers' | 'pointSources'> & { pointNumbers?: Uint32Array }

/** values[numbers[i]] for vectors of `components` numbers; keeps the number type. */
export function gather(values: FloatArray, numbers: Uint32Array, components: number): FloatArray {
  const n = numbers.length
  const out = values instanceof Float32Array ? new Float32Array(n * components) : new Float64Array(n * components)
  if (components === 1) {
    for (let i = 0; i < n; i++) out[i] = values[numbers[i]!]!
    return out
  }
  for (let i = 0, o = 0; i < n; i++) {
    const from = numbers[i]! * components
    for (let c = 0; c < components; c++) out[o++] = values[from + c]!
  }
  return out
}
