/**
 * Which cells of a volume, or elements of a shape, hang together: those that share a point, by union-find (Tarjan, J. ACM 22, 1975).
 * Parts are numbered by their size, the largest first. Regions of the case are looked at one by one. O(n · α(n)).
 */
import { Growing } from '../mesh/growing'
import { eachDomainBlock, isPartial } from '../mesh/Domain'
import type { Domain, DomainMesh } from '../mesh/Domain'
import { Unions } from '../mesh/Unions'
import { placeKey } from '../shapes/placeKey'
import { NEW_NUMBERS } from '../shapes/PartialBuilder'
import { elementSize } from '../shapes/Shape'
import type { Shape } from '../shapes/Shape'
import { linearVolumes } from './integrateCells'
import { elementMeasure } from './integrateShape'

/** What hangs together. Cells of the case of which several pieces are left count as one. */
export interface ConnectedParts {
  /** Volume, area, length or number of each, and how many cells or elements it has; the largest first. */
  parts: { size: number; cells: number }[]
  /** Where the cells of each block (by part and block), or the elements of each piece, begin in `labels`. */
  runs: { part: string; block: number; start: number; length: number }[]
  /** Number of the part that a cell of the case's block or an element of a piece is of; NOWHERE for none. */
  labels: Uint32Array
}

export const NOWHERE = 0xffffffff

/** Items that have been seen in some order, with a set for each. */
class Collector {
  readonly unions = new Unions()
  readonly sets = new Growing(Int32Array)
  readonly runs: ConnectedParts['runs'] = []
  private readonly sizes = new Map<number, { size: number; cells: number }>()

  begin(part: string, block: number, length: number): number {
    const start = this.sets.length
    this.runs.push({ part, block, start, length })
    for (let i = 0; i < length; i++) this.sets.push(-1)
    return start
  }

  /** @param set  any member of it */
  count(item: number, set: number, size: number, isNew: boolean): void {
    this.sets.put(item, set)
    const known = this.sizes.get(set)
    if (known) {
      known.size += size
      known.cells += Number(isNew)
    } else this.sizes.set(set, { size, cells: Number(isNew) })
  }

  finish(): ConnectedParts {
    const total = new Map<number, { size: number; cells: number }>()
    for (const [set, { size, cells }] of this.sizes) {
      const root = this.unions.find(set)
      const known = total.get(root) ?? { size: 0, cells: 0 }
      total.set(root, { size: known.size + size, cells: known.cells + cells })
    }
    const sorted = [...total].sort(([a, x], [b, y]) => y.size - x.size || a - b)
    const numbers = new Map(sorted.map(([root], n) => [root, n]))
    const labels = new Uint32Array(this.sets.length)
    for (let i = 0; i < labels.length; i++) labels[i] = this.sets.at(i) < 0 ? NOWHERE : numbers.get(this.unions.find(this.sets.at(i)))!
    return { parts: sorted.map(([, found]) => found), runs: this.runs, labels }
  }
}

/** Points of the blocks of a region, each with a set; those that blocks share have one. */
class BlockPoints {
  private readonly known: Int32Array

  constructor(
    private readonly mesh: DomainMesh,
    private readonly region: { name: string; byNumber: Int32Array; byPlace: Map<string, number> },
    private readonly unions: Unions,
  ) {
    this.known = new Int32Array(mesh.pointNumbers.length).fill(-1)
  }

  isOfCase(p: number): boolean {
    return this.mesh.pointNumbers[p]! < NEW_NUMBERS
  }

  /** @param isShared  whether a point that a cut made is looked for in other blocks: neighbours mostly share points of the case */
  setOf(p: number, isShared: boolean): number {
    const { known, unions, mesh } = this
    const { byNumber, byPlace } = this.region
    if (this.isOfCase(p)) {
      if (known[p]! >= 0) return known[p]!
      const number = mesh.pointNumbers[p]!
      return (known[p] = byNumber[number]! >= 0 ? byNumber[number]! : (byNumber[number] = unions.add()))
    }
    if (known[p]! < 0) known[p] = unions.add()
    if (isShared) {
      const key = placeKey(mesh.points, p)
      const other = byPlace.get(key)
      if (other === undefined) byPlace.set(key, known[p]!)
      else known[p] = unions.join(known[p]!, other)
    }
    return known[p]!
  }
}

/** @param pointsOf  number of points of a region. @param check  called per block; throws to cancel */
export function connectedCells(domain: Domain, pointsOf: (part: string) => number, check: () => void): ConnectedParts {
  const found = new Collector()
  const regions = new Map(
    domain.parts.map(({ name }) => [name, { name, byNumber: new Int32Array(pointsOf(name)).fill(-1), byPlace: new Map<string, number>() }]),
  )
  eachDomainBlock(domain, check, (mesh, { part, block }) => {
    const start = found.begin(part.name, block, part.block(block).types.length)
    joinCells(mesh, start, new BlockPoints(mesh, regions.get(part.name)!, found.unions), found)
  })
  return found.finish()
}

function joinCells(mesh: DomainMesh, start: number, points: BlockPoints, found: Collector): void {
  const { types, offsets, connectivity } = mesh
  const volumes = linearVolumes(mesh)
  const itemOf = (c: number): number => start + (isPartial(mesh) ? mesh.cellSources[c]! : c)
  for (let first = 0, end = 0; first < types.length; first = end) {
    const item = itemOf(first)
    while (end < types.length && itemOf(end) === item) end++
    const nodes = connectivity.subarray(offsets[first]!, offsets[end]!)
    const isShared = !nodes.some((p) => points.isOfCase(p))
    const before = found.sets.at(item)
    let set = before
    let size = 0
    for (const p of nodes) {
      const own = points.setOf(p, isShared)
      set = set < 0 ? own : found.unions.join(set, own)
    }
    for (let c = first; c < end; c++) size += volumes[c]!
    if (set >= 0) found.count(item, set, size, before < 0)
  }
}

/** Elements of all pieces; points at bitwise the same place are one. */
export function connectedElements({ kind, pieces }: Shape): ConnectedParts {
  const found = new Collector()
  const byPlace = new Map<string, number>()
  const size = elementSize(kind)
  pieces.forEach((piece, n) => {
    const { points, elements, cells } = piece
    const known = new Int32Array(points.length / 3).fill(-1)
    const start = found.begin('', n, cells.length)
    for (let e = 0; e < cells.length; e++) {
      let set = -1
      for (let i = 0; i < size; i++) {
        const p = elements[size * e + i]!
        if (known[p]! < 0) {
          const key = placeKey(points, p)
          known[p] = byPlace.get(key) ?? found.unions.add()
          byPlace.set(key, known[p]!)
        }
        set = set < 0 ? known[p]! : found.unions.join(set, known[p]!)
      }
      found.count(start + e, set, elementMeasure(kind, piece, e), true)
    }
  })
  return found.finish()
}
