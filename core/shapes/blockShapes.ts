/** Pieces made from one block: its boundary faces, its own faces or lines, and cuts through it. */
import { CellType, cellDimension, cellFaces } from '../mesh/cellTypes'
import { fanByNumber } from '../mesh/tetrahedra'
import { isPartial } from '../mesh/Domain'
import type { DomainMesh, PartialBlock } from '../mesh/Domain'
import { Growing } from '../mesh/growing'
import { wholesOf } from '../mesh/MeshBlock'
import type { MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import type { Cut } from './cutCells'
import type { Piece, ShapeKind } from './Shape'

/** What a part is as a shape. */
export function kindOfPart({ dimension }: Pick<PartBlocks, 'dimension'>): ShapeKind {
  return dimension >= 2 ? 'surface' : dimension === 1 ? 'lines' : 'points'
}

/** All faces of block k of a surface, the outer surface of a region there, or its lines and points as they are. */
export function pieceOfBlock(part: PartBlocks, k: number): Piece {
  const make = part.dimension === 3 ? skinOfBlock : part.dimension === 2 ? facesOfBlock : wiresOfBlock
  return make(part.block(k), part.name, k)
}

/** Boundary faces of a block of volume cells as triangles, wound outwards. */
export function skinOfBlock(mesh: MeshBlock, part: string, block: number): Piece {
  const { skin, types, offsets, connectivity } = mesh
  const faces = new FaceList(mesh)
  for (let i = 0; i < skin.length; i += 2) {
    const cell = skin[i]!
    const face = cellFaces[types[cell]!]![skin[i + 1]!]!
    faces.add(
      cell,
      face.map((node) => connectivity[offsets[cell]! + node]!),
    )
  }
  return faces.shape(part, block)
}

/**
 * The same with all its arrays kept: cuts that are dragged look at the outside of the same blocks again and again. Valid while the block is
 * held.
 */
export function heldSkin(part: PartBlocks, block: number): Piece {
  const kept = part.derived(block, 'skin', () => {
    const { points, elements, cells, weightStarts, sources, weights } = skinOfBlock(part.block(block), part.name, block)
    return { points, elements, cells, weightStarts, sources, weights }
  }) as Pick<Piece, 'points' | 'elements' | 'cells' | 'weightStarts' | 'sources' | 'weights'>
  const { cells, sources } = kept
  return {
    ...kept,
    ranges: [{ part: part.name, block, pointStart: 0, pointEnd: sources.length, elementStart: 0, elementEnd: cells.length }],
  }
}

/** The same as a copy: what is kept may move as soon as the block is released. */
export function keptSkin(part: PartBlocks, block: number): Piece {
  const { points, elements, cells, weightStarts, sources, weights, ranges } = heldSkin(part, block)
  return {
    ...{ points: points.slice(), elements: elements.slice(), cells: cells.slice() },
    ...{ weightStarts: weightStarts.slice(), sources: sources.slice(), weights: weights.slice(), ranges },
  }
}

/** Faces of a block of a surface part as triangles, wound as its cells are. */
export function facesOfBlock(mesh: MeshBlock, part: string, block: number): Piece {
  const faces = new FaceList(mesh)
  for (let cell = 0; cell < mesh.types.length; cell++) {
    if (cellDimension(mesh.types[cell]!) !== 2) continue
    faces.add(cell, mesh.connectivity.subarray(mesh.offsets[cell]!, mesh.offsets[cell + 1]!))
  }
  // a quadratic face across two blocks has nodes that no piece in this one uses
  return withWholes(faces.shape(part, block, mesh.wholeNodes), mesh)
}

/** Lines or points of a block of a part of dimension 1 or 0. */
export function wiresOfBlock(mesh: MeshBlock, part: string, block: number): Piece {
  const type = mesh.types[0] === CellType.line ? CellType.line : CellType.vertex
  const size = type === CellType.line ? 2 : 1
  const list: number[] = []
  const cells: number[] = []
  for (let cell = 0; cell < mesh.types.length; cell++) {
    if (mesh.types[cell] !== type) continue
    for (let i = 0; i < size; i++) list.push(mesh.connectivity[mesh.offsets[cell]! + i]!)
    cells.push(cell)
  }
  return withWholes(pieceOnPoints(mesh, list, cells, part, block, mesh.wholeNodes), mesh)
}

/** With the quadratic cells of the block, where all their nodes are points of the shape. */
function withWholes(shape: Piece, mesh: MeshBlock): Piece {
  const quadratic = wholesOf(mesh)
  if (!quadratic) return shape
  const pointOf = new Int32Array(mesh.pointNumbers.length).fill(-1)
  shape.sources.forEach((source, p) => (pointOf[source] = p))
  const nodes = Uint32Array.from(quadratic.wholeNodes, (node) => pointOf[node]!)
  const of = Int32Array.from(shape.cells, (cell) => quadratic.wholeOf[cell]!)
  const leads = Uint8Array.from(shape.cells, (cell, e) => Number(quadratic.wholeLeads[cell] === 1 && shape.cells[e - 1] !== cell))
  return { ...shape, whole: { of, leads, types: quadratic.wholeTypes, offsets: quadratic.wholeOffsets, nodes } }
}

/** Splits faces into triangles and keeps only the points they use. */
class FaceList {
  private readonly triangles: number[] = []
  private readonly cells: number[] = []

  constructor(private readonly mesh: MeshBlock) {}

  add(cell: number, nodes: ArrayLike<number>): void {
    fanByNumber(nodes, this.mesh.pointNumbers, (i, j, k) => {
      this.triangles.push(i, j, k)
      this.cells.push(cell)
    })
  }

  shape(part: string, block: number, besides?: Uint32Array): Piece {
    return pieceOnPoints(this.mesh, this.triangles, this.cells, part, block, besides)
  }
}

/**
 * A piece whose points are points of the block, each once.
 *
 * @param besides  further points, which no element uses
 */
export function pieceOnPoints(
  mesh: DomainMesh,
  nodes: ArrayLike<number>,
  cells: ArrayLike<number>,
  part: string,
  block: number,
  besides: ArrayLike<number> & Iterable<number> = [],
): Piece {
  const index = new Int32Array(mesh.pointNumbers.length).fill(-1)
  const elements = new Uint32Array(nodes.length)
  const used: number[] = []
  for (let i = 0; i < nodes.length; i++) {
    const p = nodes[i]!
    if (index[p]! < 0) {
      index[p] = used.length
      used.push(p)
    }
    elements[i] = index[p]!
  }
  for (const p of besides) {
    if (index[p]! >= 0) continue
    index[p] = used.length
    used.push(p)
  }
  const n = used.length
  const points = new Float64Array(3 * n)
  for (let i = 0; i < n; i++) for (let d = 0; d < 3; d++) points[3 * i + d] = mesh.points[3 * used[i]! + d]!
  return {
    points,
    elements,
    cells: Uint32Array.from(cells),
    ...weightsOf(mesh, used),
    ranges: [{ part, block, pointStart: 0, pointEnd: n, elementStart: 0, elementEnd: cells.length }],
  }
}

/** Weights over points of the case of some points of a mesh. */
function weightsOf(mesh: DomainMesh, points: readonly number[]): Pick<Piece, 'weightStarts' | 'sources' | 'weights'> {
  if (!isPartial(mesh)) {
    const weightStarts = new Uint32Array(points.length + 1)
    for (let i = 0; i < weightStarts.length; i++) weightStarts[i] = i
    return {
      weightStarts,
      sources: Uint32Array.from(points),
      weights: new Float64Array(points.length).fill(1),
    }
  }
  const starts = [0]
  const sources: number[] = []
  const weights: number[] = []
  for (const p of points) {
    for (let w = mesh.weightStarts[p]!; w < mesh.weightStarts[p + 1]!; w++) {
      sources.push(mesh.sources[w]!)
      weights.push(mesh.weights[w]!)
    }
    starts.push(sources.length)
  }
  return { weightStarts: Uint32Array.from(starts), sources: Uint32Array.from(sources), weights: Float64Array.from(weights) }
}

/** A cut as a piece: with the weights of the ends of the edge that a point lies on (of one point where the cut goes through it). */
export function pieceOfCut(cut: Cut, mesh: DomainMesh, part: string, block: number): Piece {
  if (isPartial(mesh)) return pieceOfPartialCut(cut, mesh, part, block)
  const n = cut.a.length
  const weightStarts = new Uint32Array(n + 1)
  const sources = new Uint32Array(2 * n)
  const weights = new Float64Array(2 * n)
  let at = 0
  for (let i = 0; i < n; i++) {
    sources[at] = cut.a[i]!
    weights[at++] = 1 - cut.t[i]!
    if (cut.a[i] !== cut.b[i]) {
      sources[at] = cut.b[i]!
      weights[at++] = cut.t[i]!
    }
    weightStarts[i + 1] = at
  }
  return {
    points: cut.points,
    elements: cut.triangles,
    cells: cut.cells,
    weightStarts,
    sources: sources.subarray(0, at),
    weights: weights.subarray(0, at),
    ranges: [{ part, block, pointStart: 0, pointEnd: n, elementStart: 0, elementEnd: cut.cells.length }],
  }
}

/** The weights of a point of what is left of a block are over points of the case already. */
function pieceOfPartialCut(cut: Cut, mesh: PartialBlock, part: string, block: number): Piece {
  const n = cut.a.length
  const weightStarts = new Uint32Array(n + 1)
  const sources = new Growing(Uint32Array)
  const weights = new Growing(Float64Array)
  const add = (p: number, factor: number): void => {
    for (let w = mesh.weightStarts[p]!; w < mesh.weightStarts[p + 1]!; w++) {
      sources.push(mesh.sources[w]!)
      weights.push(factor * mesh.weights[w]!)
    }
  }
  for (let i = 0; i < n; i++) {
    add(cut.a[i]!, 1 - cut.t[i]!)
    if (cut.a[i] !== cut.b[i]) add(cut.b[i]!, cut.t[i]!)
    weightStarts[i + 1] = sources.length
  }
  return {
    points: cut.points,
    elements: cut.triangles,
    cells: cut.cells.map((cell) => mesh.cellSources[cell]!),
    weightStarts,
    sources: sources.finish(),
    weights: weights.finish(),
    ranges: [{ part, block, pointStart: 0, pointEnd: n, elementStart: 0, elementEnd: cut.cells.length }],
  }
}

/** Whether the plane can meet a box given as x0 x1 y0 y1 z0 z1 at `at`. */
export function planeMeetsBox(boxes: ArrayLike<number>, at: number, normal: readonly number[], offset: number): boolean {
  let middle = -offset
  let reach = 0
  let size = Math.abs(offset)
  for (let d = 0; d < 3; d++) {
    const lo = boxes[at + 2 * d]!
    const hi = boxes[at + 2 * d + 1]!
    middle += (normal[d]! * (lo + hi)) / 2
    reach += (Math.abs(normal[d]!) * (hi - lo)) / 2
    size += Math.abs(normal[d]!) * Math.max(Math.abs(lo), Math.abs(hi))
  }
  return Math.abs(middle) <= reach + 1e-12 * size
}
