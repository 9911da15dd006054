/**
 * Cuts the mesh of a part into self-contained blocks along a space-filling curve.
 *
 * A block holds its own copy of each point it uses. The curve order is the same for every block size, and groups of
 * GROUP_CELLS cells never straddle blocks (the block size is a multiple), so that sums taken by groups are bitwise the
 * same for every block size.
 */
import { curveOrder } from '../mesh/curveOrder'
import { matchFaces } from '../mesh/faceMatching'
import { boxOfPoints } from '../mesh/boxes'
import { groupsOf } from '../mesh/groups'
import { gather } from '../mesh/gather'
import { gatherCorners } from './corners'
import { addedOf, GROUP_CELLS } from '../mesh/MeshBlock'
import type { BlockAdded, BlockOrder, FloatArray, MeshBlock } from '../mesh/MeshBlock'
import { Growing } from '../mesh/growing'
import { placesAmong } from '../mesh/numbering'
import type { NormalMesh, WholeCells } from '../mesh/normaliseCells'
import { hasQuadraticShape } from '../mesh/quadraticShape'
import { putAdded, withAdded } from '../mesh/splitCells'
import type { AddedPoint } from '../mesh/splitCells'
import type { PlainValues, SourceValues } from '../formats/Format'

export const DEFAULT_BLOCK_CELLS = 64 * GROUP_CELLS

/** Order of the cells and which of their faces are on the boundary: all that is needed to make any block. */
export interface Partition {
  mesh: NormalMesh
  order: Uint32Array
  /** First boundary face of each cell in `boundary`, (nCells + 1). */
  boundaryStart: Uint32Array
  boundary: Uint32Array
  blockCells: number
  nBlocks: number
}

/** @param boundary  cells and local faces, if they are known already */
export function partition(
  mesh: NormalMesh,
  blockCells = DEFAULT_BLOCK_CELLS,
  boundary = matchFaces(mesh, mesh.points.length / 3),
): Partition {
  if (blockCells % GROUP_CELLS) throw new Error(`block size must be a multiple of ${GROUP_CELLS}`)
  const nCells = mesh.types.length
  const boundaryStart = new Uint32Array(nCells + 1)
  for (let i = 0; i < boundary.length; i += 2) boundaryStart[boundary[i]! + 1]!++
  for (let c = 1; c <= nCells; c++) boundaryStart[c]! += boundaryStart[c - 1]!
  const order = curveOrder(mesh.points, mesh, boxOfPoints(mesh.points), mesh.cellNumbers)
  return { mesh, order, boundary, boundaryStart, blockCells, nBlocks: Math.ceil(nCells / blockCells) }
}

/** Makes block k. */
export function makeBlock(parts: Partition, k: number): MeshBlock {
  const { mesh, order, blockCells } = parts
  const first = k * blockCells
  const nCells = Math.min(blockCells, order.length - first)
  const types = new Uint8Array(nCells)
  const offsets = new Uint32Array(nCells + 1)
  const cellNumbers = new Uint32Array(nCells)
  let nFaces = 0
  for (let i = 0; i < nCells; i++) {
    const c = order[first + i]!
    types[i] = mesh.types[c]!
    cellNumbers[i] = mesh.cellNumbers[c]!
    offsets[i + 1] = offsets[i]! + mesh.offsets[c + 1]! - mesh.offsets[c]!
    nFaces += parts.boundaryStart[c + 1]! - parts.boundaryStart[c]!
  }
  const nodes = new Uint32Array(offsets[nCells]!)
  const skin = new Uint32Array(2 * nFaces)
  let at = 0
  let atFace = 0
  for (let i = 0; i < nCells; i++) {
    const c = order[first + i]!
    for (let n = mesh.offsets[c]!; n < mesh.offsets[c + 1]!; n++) nodes[at++] = mesh.connectivity[n]!
    for (let f = parts.boundaryStart[c]!; f < parts.boundaryStart[c + 1]!; f++) {
      skin[atFace++] = i
      skin[atFace++] = parts.boundary[2 * f + 1]!
    }
  }
  const whole =
    mesh.whole?.types.some(hasQuadraticShape) && wholeCells(mesh.whole, order.subarray(Math.max(0, first - 1), first + nCells), first === 0)
  const nOwn = mesh.points.length / 3 - (mesh.centres?.length ?? 0)
  const sourceOf = (p: number): number => mesh.pointSources?.[p] ?? p
  const added = (p: number): AddedPoint => {
    const { nodes, type } = mesh.centres![p - nOwn]!
    return { nodes: Uint32Array.from(nodes, sourceOf), type }
  }
  const block = blockOf(
    {
      types,
      offsets,
      nodes,
      cellNumbers,
      skin,
      ...(whole && { whole }),
      ...(mesh.centres && { added: { from: nOwn, of: added } }),
      hasOwnCorners: mesh.hasOwnCorners,
    },
    (numbers) => gather(mesh.points, numbers, 3),
  )
  return mesh.pointSources
    ? { ...block, pointSources: block.pointNumbers.map((p) => sourceOf(p < nOwn ? p : Number(mesh.centres![p - nOwn]!.nodes[0]))) }
    : block
}

/** @param order  cells of the block, behind the one before it unless it is the first */
export function wholeCells(
  { of, types, offsets, connectivity }: WholeCells,
  order: Uint32Array,
  isFirst: boolean,
): NonNullable<BlockCells['whole']> {
  const skip = isFirst ? 0 : 1
  const n = order.length - skip
  const wholes = {
    of: new Int32Array(n).fill(-1),
    leads: new Uint8Array(n),
    types: new Growing(Uint8Array),
    ends: new Growing(Uint32Array),
    nodes: new Growing(Uint32Array),
  }
  wholes.ends.push(0)
  for (let i = 0; i < n; i++) {
    const source = of[order[skip + i]!]!
    const type = types[source]!
    if (!hasQuadraticShape(type)) continue
    const isSameCell = i + skip > 0 && of[order[skip + i - 1]!] === source
    wholes.leads[i] = Number(!isSameCell)
    if (!isSameCell || i === 0) {
      wholes.types.push(type)
      wholes.nodes.pushAll(connectivity.subarray(offsets[source]!, offsets[source + 1]!))
      wholes.ends.push(wholes.nodes.length)
    }
    wholes.of[i] = wholes.types.length - 1
  }
  return { of: wholes.of, leads: wholes.leads, types: wholes.types.finish(), offsets: wholes.ends.finish(), nodes: wholes.nodes.finish() }
}

/** Cells of one block with the numbers their points have in the part. */
export interface BlockCells {
  types: Uint8Array
  offsets: Uint32Array
  nodes: Uint32Array
  cellNumbers: Uint32Array
  /** Cell and local face of each boundary face, cells counted within the block. */
  skin: Uint32Array
  /** Quadratic cells, as in `MeshBlock`, with the numbers of their points. */
  whole?: { of: Int32Array; leads: Uint8Array; types: Uint8Array; offsets: Uint32Array; nodes: Uint32Array }
  /** Of the points, where `nodes` are their places already. */
  pointNumbers?: Uint32Array | undefined
  /** Cells share no points, as in `MeshBlock.pointCells`. */
  hasOwnCorners?: boolean | undefined
  /** Points from this number on were added by splitting; their nodes by their number in the source. */
  added?: { from: number; of(number: number): AddedPoint }
}

/**
 * A self-contained block. Points come in the order in which the cells first use them.
 *
 * @param pointsOf  coordinates of points by their numbers
 */
export function blockOf(cells: BlockCells, pointsOf: (numbers: Uint32Array) => FloatArray): MeshBlock {
  const { types, offsets, nodes, cellNumbers, skin, whole, added } = cells
  const { places, different: pointNumbers, pointCells } = numberedPoints(cells)
  const connectivity = whole ? places.subarray(0, nodes.length) : places
  const wholes = whole && {
    wholeOf: whole.of,
    wholeLeads: whole.leads,
    wholeTypes: whole.types,
    wholeOffsets: whole.offsets,
    wholeNodes: places.subarray(nodes.length),
  }
  const points = pointsOf(pointNumbers)
  const { groups, ...groupNodes } = groupsOf({ points, offsets, connectivity })
  // all data that the order of values needs is stored together
  return {
    points,
    types,
    offsets,
    connectivity,
    skin,
    groups,
    ...wholes,
    ...groupNodes,
    cellNumbers,
    pointNumbers,
    ...(pointCells && { pointCells }),
    ...(added && blockAdded(pointNumbers, added)),
  }
}

function numberedPoints(cells: BlockCells): { places: Uint32Array; different: Uint32Array; pointCells?: Uint32Array } {
  const { nodes, whole, pointNumbers } = cells
  if (pointNumbers) return { places: nodes, different: pointNumbers }
  return cells.hasOwnCorners ? ownCorners(cells) : placesAmong(whole ? joined(nodes, whole.nodes) : nodes)
}

/** Points of one cell of the source after the other, shared only by its pieces; then places of the nodes of quadratic cells. */
function ownCorners({ offsets, nodes, cellNumbers, whole }: BlockCells): {
  places: Uint32Array
  different: Uint32Array
  pointCells: Uint32Array
} {
  const places = new Uint32Array(nodes.length + (whole?.nodes.length ?? 0))
  const [different, pointCells] = [new Growing(Uint32Array), new Growing(Uint32Array)]
  const own = new Map<number, number>()
  const placeOf = (node: number, cell: number): number => {
    let place = own.get(node)
    if (place === undefined) {
      own.set(node, (place = different.length))
      different.push(node)
      pointCells.push(cell)
    }
    return place
  }
  for (let c = 0; c < cellNumbers.length; c++) {
    const cell = cellNumbers[c]!
    if (cell !== cellNumbers[c - 1]) own.clear()
    for (let i = offsets[c]!; i < offsets[c + 1]!; i++) places[i] = placeOf(nodes[i]!, cell)
    const q = whole ? whole.of[c]! : -1
    // the nodes of a quadratic cell are put to its first piece in the block
    if (q >= 0 && whole!.of[c - 1] !== q)
      for (let i = whole!.offsets[q]!; i < whole!.offsets[q + 1]!; i++) places[nodes.length + i] = placeOf(whole!.nodes[i]!, cell)
  }
  return { places, different: different.finish(), pointCells: pointCells.finish() }
}

function blockAdded(pointNumbers: Uint32Array, { from, of }: NonNullable<BlockCells['added']>): BlockAdded {
  const [points, types, starts, nodes] = [
    new Growing(Uint32Array),
    new Growing(Uint8Array),
    new Growing(Uint32Array),
    new Growing(Uint32Array),
  ] as const
  starts.push(0)
  pointNumbers.forEach((number, p) => {
    if (number < from) return
    const added = of(number)
    points.push(p)
    types.push(added.type)
    nodes.pushAll(added.nodes)
    starts.push(nodes.length)
  })
  return { addedPoints: points.finish(), addedTypes: types.finish(), addedStarts: starts.finish(), addedNodes: nodes.finish() }
}

function joined(a: Uint32Array, b: Uint32Array): Uint32Array {
  const both = new Uint32Array(a.length + b.length)
  both.set(a)
  both.set(b, a.length)
  return both
}

/** Values of a source in the order of a block. */
export function gatherBlock(source: SourceValues, block: BlockOrder): FloatArray {
  if (source.place === 'corner') return gatherCorners(source, block)
  const { values, components, place } = source
  if (place === 'cell') return gather(values, block.cellNumbers, components)
  const own = gather(values, block.pointSources ?? block.pointNumbers, components)
  const added = addedOf(block)
  if (added) fillAdded(own, added, values, added.addedNodes, components)
  return own
}

/** @param nodes  indices of `addedNodes` in `from` */
export function fillAdded(
  values: FloatArray,
  { addedPoints, addedTypes, addedStarts }: BlockAdded,
  from: FloatArray,
  nodes: Uint32Array,
  components: number,
): void {
  for (let k = 0; k < addedPoints.length; k++)
    putAdded(values, addedPoints[k]!, from, nodes.subarray(addedStarts[k], addedStarts[k + 1]), addedTypes[k]!, components)
}

/** Values of a source in the order of a whole mesh. */
export function gatherMesh({ values, components, place }: PlainValues, { cellNumbers, pointSources, centres }: NormalMesh): FloatArray {
  if (place === 'cell') return gather(values, cellNumbers, components)
  const own = pointSources ? gather(values, pointSources, components) : values
  return centres ? withAdded(own, centres, components) : own
}
