/**
 * Cells with all those around them, whatever block they are in: what gradients and smoothing of cell values look at.
 *
 * A value counts at the centroid of its cell; pieces of a polyhedron or quadratic cell count as the one cell they are of.
 */
import { Growing } from '../mesh/growing'
import type { Box, FieldValues, MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import { Numbering } from '../mesh/numbering'
import { tetrahedraOf } from '../mesh/tetrahedra'

export interface Neighbourhood {
  /** Place of the cell of the source that each cell of the block is, or is a piece of. */
  cellOf: Uint32Array
  /** Cells of the source that are in the block; those around it follow. */
  nOwn: number
  components: number
  /** (3 × cells) */
  centroids: Float64Array
  /** (components × cells) */
  values: Float64Array
  /** Cells round each point of the block, more than once where several of their pieces meet it. */
  cellsOfPoint: Lists
  /** Points of each cell. */
  pointsOfCell: Lists
}

export interface Lists {
  /** (keys + 1) */
  starts: Uint32Array
  items: Uint32Array
}

/** @param valuesOf  cell values of a block */
export function neighbourhoodOf(part: PartBlocks, k: number, valuesOf: (block: number) => FieldValues): Neighbourhood {
  const mesh = part.block(k)
  const own = valuesOf(k)
  const cells = new SourceCells(own.components)
  const around = new CellsAround(mesh)
  const cellOf = Uint32Array.from(mesh.types, (_, c) => cells.add(mesh, own, c))
  const nOwn = cells.length
  cellOf.forEach((cell, c) => around.add(cell, mesh, c))
  addHalo(part, k, valuesOf, cells, around)
  return { cellOf, nOwn, components: own.components, centroids: cells.centroids(), values: cells.values.finish(), ...around.lists(cells.length) }
}

function touch(a: Box, b: Box): boolean {
  return [0, 1, 2].every((d) => a[d]! <= b[d + 3]! && b[d]! <= a[d + 3]!)
}

/** Adds the cells of other blocks that share a point with this one, each with all its pieces. */
function addHalo(part: PartBlocks, k: number, valuesOf: (block: number) => FieldValues, cells: SourceCells, around: CellsAround): void {
  const near = part.boxes.flatMap((box, j) => (j !== k && touch(box, part.boxes[k]!) ? [j] : []))
  const { cellNumbers } = part.block(k)
  // pieces of a cell follow one another: blocks share no cell but the last of one and the first of the next
  const wanted = new Set([cellNumbers[0]!, cellNumbers[cellNumbers.length - 1]!])
  for (const j of near) collectShared(part.block(j), around, wanted)
  const ends = [k, ...near].flatMap((j) => [j - 1, j + 1]).filter((j) => j >= 0 && j < part.nBlocks && j !== k)
  for (const j of new Set([...near, ...ends])) {
    const mesh = part.block(j)
    const numbers = mesh.cellNumbers
    if (!near.includes(j) && !wanted.has(numbers[0]!) && !wanted.has(numbers[numbers.length - 1]!)) continue
    let values: FieldValues | undefined
    for (let c = 0; c < numbers.length; c++) if (wanted.has(numbers[c]!)) around.add(cells.add(mesh, (values ??= valuesOf(j)), c), mesh, c)
  }
}

function collectShared({ offsets, connectivity, cellNumbers, pointNumbers }: MeshBlock, around: CellsAround, wanted: Set<number>): void {
  const isShared = Uint8Array.from(pointNumbers, (number) => Number(around.has(number)))
  for (let c = 0; c < cellNumbers.length; c++) {
    for (let i = offsets[c]!; i < offsets[c + 1]!; i++) if (isShared[connectivity[i]!]) wanted.add(cellNumbers[c]!)
  }
}

/** Cells of the source with their centroids and values, gathered from their pieces. */
class SourceCells {
  private readonly numbering = new Numbering()
  /** Volume, and volume times position. */
  private readonly moments = new Growing(Float64Array)
  readonly values = new Growing(Float64Array)

  constructor(readonly components: number) {}

  get length(): number {
    return this.numbering.length
  }

  /** Adds cell c of a block. @returns place of the cell of the source that it is, or is a piece of */
  add(mesh: MeshBlock, { values }: FieldValues, c: number): number {
    const known = this.length
    const place = this.numbering.place(mesh.cellNumbers[c]!)
    if (place === known) {
      this.moments.pushAll([0, 0, 0, 0])
      for (let i = 0; i < this.components; i++) this.values.push(values[this.components * c + i]!)
    }
    addMoments(mesh, c, (i, x) => this.moments.addTo(4 * place + i, x))
    return place
  }

  /** (3 × n) */
  centroids(): Float64Array {
    const moments = this.moments.finish()
    return Float64Array.from({ length: 3 * this.length }, (_, i) => moments[4 * Math.floor(i / 3) + 1 + (i % 3)]! / moments[4 * Math.floor(i / 3)]!)
  }
}

/** Six times the volume of a cell, and that times its centroid. */
function addMoments(mesh: MeshBlock, c: number, add: (i: number, x: number) => void): void {
  const { points, connectivity, offsets, types, pointNumbers } = mesh
  const start = offsets[c]!
  const tets = tetrahedraOf(types[c]!, connectivity, start, pointNumbers)
  const at = (node: number, d: number): number => points[3 * connectivity[start + node]! + d]!
  for (let t = 0; t < tets.length; t += 4) {
    const [a, b, e, f] = [tets[t]!, tets[t + 1]!, tets[t + 2]!, tets[t + 3]!]
    const bx = at(b, 0) - at(a, 0), by = at(b, 1) - at(a, 1), bz = at(b, 2) - at(a, 2)
    const ex = at(e, 0) - at(a, 0), ey = at(e, 1) - at(a, 1), ez = at(e, 2) - at(a, 2)
    const fx = at(f, 0) - at(a, 0), fy = at(f, 1) - at(a, 1), fz = at(f, 2) - at(a, 2)
    const volume = bx * (ey * fz - ez * fy) + by * (ez * fx - ex * fz) + bz * (ex * fy - ey * fx)
    add(0, volume)
    for (let d = 0; d < 3; d++) add(1 + d, (volume * (at(a, d) + at(b, d) + at(e, d) + at(f, d))) / 4)
  }
}

/** Which cells are round each point of a block. */
class CellsAround {
  private readonly places = new Map<number, number>()
  private readonly pairs = { points: new Growing(Uint32Array), cells: new Growing(Uint32Array) }

  constructor(mesh: MeshBlock) {
    mesh.pointNumbers.forEach((number, p) => this.places.set(number, p))
  }

  has(number: number): boolean {
    return this.places.has(number)
  }

  /** Adds a cell at those nodes of cell c that are points of the block. */
  add(cell: number, { connectivity, offsets, pointNumbers }: MeshBlock, c: number): void {
    for (let i = offsets[c]!; i < offsets[c + 1]!; i++) {
      const place = this.places.get(pointNumbers[connectivity[i]!]!)
      if (place === undefined) continue
      this.pairs.points.push(place)
      this.pairs.cells.push(cell)
    }
  }

  /** Cells by point, and points by cell. */
  lists(nCells: number): Pick<Neighbourhood, 'cellsOfPoint' | 'pointsOfCell'> {
    const [points, cells] = [this.pairs.points.finish(), this.pairs.cells.finish()]
    return { cellsOfPoint: listed(points, cells, this.places.size), pointsOfCell: listed(cells, points, nCells) }
  }
}

/** Items by their keys. */
function listed(keys: Uint32Array, items: Uint32Array, nKeys: number): Lists {
  const starts = new Uint32Array(nKeys + 1)
  for (let i = 0; i < keys.length; i++) starts[keys[i]! + 1]!++
  for (let k = 0; k < nKeys; k++) starts[k + 1]! += starts[k]!
  const next = starts.slice()
  const out = new Uint32Array(items.length)
  for (let i = 0; i < keys.length; i++) out[next[keys[i]!]!++] = items[i]!
  return { starts, items: out }
}
