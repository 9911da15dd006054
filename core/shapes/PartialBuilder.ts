/** Puts together what is left of a block. */
import { CellType } from '../mesh/cellTypes'
import { isPartial } from '../mesh/Domain'
import type { DomainMesh, PartialBlock } from '../mesh/Domain'
import { Growing } from '../mesh/growing'
import type { BlockWholes } from '../mesh/MeshBlock'
import type { CutPoints } from './CutPoints'
import { skinOfBlock } from './blockShapes'

/** Numbers of new points begin here: numbers of points of a part are below. */
export const NEW_NUMBERS = 0x80000000

/** Most cells and nodes that there can be. */
export interface Capacity {
  cells: number
  nodes: number
}

export class PartialBuilder {
  private readonly types: Uint8Array
  private readonly offsets: Uint32Array
  private readonly connectivity: Uint32Array
  private readonly cellSources: Uint32Array
  private readonly cellNumbers: Uint32Array
  private nCells = 0
  private nNodes = 0
  private readonly groupCells = new Growing(Uint32Array)
  private readonly skinTriangles = new Growing(Uint32Array)
  private readonly skinCells = new Growing(Uint32Array)
  private readonly skinFrom = new Growing(Uint8Array)
  /** 1 for cells of the case's block of which something is left. */
  private readonly hasSources: Uint8Array
  private readonly ownSources: Uint32Array | undefined
  private wholes: { of: Int32Array; leads: Growing<Uint8Array>; ofCells: Growing<Int32Array>; from: BlockWholes } | undefined

  /** @param mesh  the block that cells come from, whose points `points` refers to */
  constructor(
    private readonly mesh: DomainMesh,
    private readonly points: CutPoints,
    { cells, nodes }: Capacity,
  ) {
    this.types = new Uint8Array(cells)
    this.offsets = new Uint32Array(cells + 1)
    this.connectivity = new Uint32Array(nodes)
    this.cellSources = new Uint32Array(cells)
    this.cellNumbers = new Uint32Array(cells)
    this.ownSources = isPartial(mesh) ? mesh.cellSources : undefined
    const { length } = mesh.types
    // cells are in the order of those they come from
    this.hasSources = new Uint8Array(this.ownSources ? (this.ownSources[length - 1] ?? 0) + 1 : length)
    this.groupCells.push(0)
  }

  sourceOf(cell: number): number {
    return this.ownSources ? this.ownSources[cell]! : cell
  }

  /** Whether anything is left of a cell of the case's block. */
  hasSource(cell: number): boolean {
    return this.hasSources[cell] === 1
  }

  /** Says which quadratic cells stay as they are. */
  keepWholes(from: BlockWholes, isWhole: Uint8Array): void {
    let n = 0
    const numbers = Int32Array.from(isWhole, (is) => (is ? n++ : -1))
    if (n) this.wholes = { of: numbers, leads: new Growing(Uint8Array), ofCells: new Growing(Int32Array), from }
  }

  addCell(cell: number, type: number, nodes: Uint32Array, start: number, end: number): void {
    const { connectivity, points } = this
    let n = this.nNodes
    for (let i = start; i < end; i++) connectivity[n++] = points.kept(nodes[i]!)
    this.nNodes = n
    this.close(cell, type)
  }

  /** @returns false for one whose corners are not all different: it is left out */
  addTetrahedron(cell: number, a: number, b: number, c: number, d: number): boolean {
    if (a === b || a === c || a === d || b === c || b === d || c === d) return false
    const { connectivity } = this
    const n = this.nNodes
    connectivity[n] = a
    connectivity[n + 1] = b
    connectivity[n + 2] = c
    connectivity[n + 3] = d
    this.nNodes = n + 4
    this.close(cell, CellType.tetra)
    return true
  }

  endGroup(): void {
    this.groupCells.push(this.nCells)
  }

  addSkin(i: number, j: number, k: number, cell: number, from: number): void {
    this.skinTriangles.push(i)
    this.skinTriangles.push(j)
    this.skinTriangles.push(k)
    this.skinCells.push(cell)
    this.skinFrom.push(from)
  }

  /** Undefined when there is no cell. */
  finish(): PartialBlock | undefined {
    const { nCells, nNodes } = this
    if (!nCells) return undefined
    const wholes = this.finishWholes()
    const [offsets, connectivity] = [this.offsets.slice(0, nCells + 1), this.connectivity.slice(0, nNodes)]
    const groupCells = this.groupCells.finish()
    const points = this.points.finish()
    const { pointNumbers } = this.mesh
    return {
      ...points,
      types: this.types.slice(0, nCells),
      offsets,
      connectivity,
      pointNumbers: Uint32Array.from({ length: this.points.count }, (_, i) => {
        const origin = this.points.originOf(i)
        return origin === undefined ? NEW_NUMBERS + i : pointNumbers[origin]!
      }),
      cellNumbers: this.cellNumbers.slice(0, nCells),
      skin: new Uint32Array(0),
      groups: boxesOfGroups(points.points, offsets, connectivity, groupCells),
      groupStarts: new Uint32Array(0),
      groupNodes: new Uint32Array(0),
      cellSources: this.cellSources.slice(0, nCells),
      groupCells,
      skinTriangles: this.skinTriangles.finish(),
      skinCells: this.skinCells.finish(),
      skinFrom: this.skinFrom.finish(),
      ...wholes,
    }
  }

  private close(cell: number, type: number): void {
    const source = this.sourceOf(cell)
    const c = this.nCells++
    this.types[c] = type
    this.offsets[c + 1] = this.nNodes
    this.cellSources[c] = source
    this.cellNumbers[c] = this.mesh.cellNumbers[cell]!
    this.hasSources[source] = 1
    if (!this.wholes) return
    const { of, from, ofCells, leads } = this.wholes
    const q = from.wholeOf[cell]! >= 0 ? of[from.wholeOf[cell]!]! : -1
    ofCells.push(q)
    leads.push(q >= 0 ? from.wholeLeads[cell]! : 0)
  }

  private finishWholes(): BlockWholes | undefined {
    if (!this.wholes) return undefined
    const { of, from, ofCells, leads } = this.wholes
    const types: number[] = []
    const offsets = [0]
    const nodes: number[] = []
    of.forEach((number, q) => {
      if (number < 0) return
      types.push(from.wholeTypes[q]!)
      for (let i = from.wholeOffsets[q]!; i < from.wholeOffsets[q + 1]!; i++) nodes.push(this.points.kept(from.wholeNodes[i]!))
      offsets.push(nodes.length)
    })
    return {
      wholeOf: ofCells.finish(),
      wholeLeads: leads.finish(),
      wholeTypes: Uint8Array.from(types),
      wholeOffsets: Uint32Array.from(offsets),
      wholeNodes: Uint32Array.from(nodes),
    }
  }
}

/** x0 x1 y0 y1 z0 z1 of each group, rounded outwards. */
function boxesOfGroups(points: Float64Array, offsets: Uint32Array, connectivity: Uint32Array, groupCells: Uint32Array): Float32Array {
  const boxes = new Float32Array(6 * (groupCells.length - 1))
  const box = new Float64Array(6)
  for (let g = 0; g + 1 < groupCells.length; g++) {
    for (let d = 0; d < 6; d++) box[d] = d % 2 ? -Infinity : Infinity
    for (let i = offsets[groupCells[g]!]!, end = offsets[groupCells[g + 1]!]!; i < end; i++) {
      const p = 3 * connectivity[i]!
      for (let d = 0; d < 3; d++) {
        const x = points[p + d]!
        if (x < box[2 * d]!) box[2 * d] = x
        if (x > box[2 * d + 1]!) box[2 * d + 1] = x
      }
    }
    // the margin is more than what rounding to single precision takes away
    for (let d = 0; d < 6; d++) boxes[6 * g + d] = box[d]! + (d % 2 ? 1 : -1) * Math.abs(box[d]!) * 2 ** -22
  }
  return boxes
}

/** The triangles that bound a block of a domain: of a block of the case the faces of its skin. */
export function skinTrianglesOf(mesh: DomainMesh): { triangles: Uint32Array; cells: Uint32Array; from: Uint8Array } {
  if (isPartial(mesh)) return { triangles: mesh.skinTriangles, cells: mesh.skinCells, from: mesh.skinFrom }
  const { elements, cells, sources } = skinOfBlock(mesh, '', 0)
  return { triangles: elements.map((p) => sources[p]!), cells, from: new Uint8Array(cells.length) }
}
