/**
 * Cells with their neighbours in all blocks, for gradients and smoothing of cell values.
 *
 * A value counts at the centroid of its cell; pieces of a polyhedron or quadratic cell count as the one cell they are of.
 */
import { boxesTouch, boxOfGroup, boxOfPoints, unionBox } from '../mesh/boxes'
import { Growing } from '../mesh/growing'
import { GROUP_CELLS } from '../mesh/MeshBlock'
import type { Box, FieldValues, FloatArray, MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import { Numbering } from '../mesh/numbering'
import { tetrahedraOf } from '../mesh/tetrahedra'
import { boundaryFacesOf } from './boundaryFaces'
import type { BoundarySurface } from './boundaryFaces'

export interface Neighbourhood {
  /** Place of the cell of the source that each cell of the block is, or is a piece of. */
  cellOf: Uint32Array
  /** Cells of the source that are in the block; those around it follow, and then faces of the boundary. */
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

/**
 * @param valuesOf  cell values of a block
 * @param surfaces  that bound the part and have values of their own
 */
export function neighbourhoodOf(
  part: PartBlocks,
  k: number,
  valuesOf: (block: number) => FieldValues,
  surfaces: readonly BoundarySurface[] = [],
): Neighbourhood {
  const mesh = part.block(k)
  const own = valuesOf(k)
  const cells = new SourceCells(own.components)
  const around = new CellsAround(mesh)
  const cellOf = Uint32Array.from(mesh.types, (_, c) => cells.add(mesh, own, c, k))
  const nOwn = cells.length
  const box = addStraddling(part, k, around)
  cellOf.forEach((cell, c) => around.add(cell, mesh, c))
  addHalo(part, k, box, valuesOf, cells, around)
  const inside = { cellOf, nOwn, components: own.components, centroids: cells.centroids(), values: cells.values.finish() }
  const numbers = cells.numbers()
  if (!surfaces.length) return { ...inside, ...around.lists(numbers) }
  const faces = boundaryFacesOf(around.positions(mesh), box, surfaces, own.components)
  for (let i = 0; i < faces.points.length; i++) around.addAt(faces.points[i]!, cells.length + faces.faces[i]!)
  return {
    ...inside,
    centroids: joined(inside.centroids, faces.centroids),
    values: joined(inside.values, faces.values),
    ...around.lists(numbers, faces.length),
  }
}

function joined(a: FloatArray, b: FloatArray): Float64Array {
  const all = new Float64Array(a.length + b.length)
  all.set(a)
  all.set(b, a.length)
  return all
}

/**
 * Points of those pieces of the block's cells that are in the blocks before and behind count as points of the block, so that a cell has
 * the same neighbours whatever block its pieces are in. @returns the box that holds all of these points
 */
function addStraddling(part: PartBlocks, k: number, around: CellsAround): Box {
  const { cellNumbers } = part.block(k)
  let box = part.boxes[k]!
  for (const [step, number] of [
    [-1, cellNumbers[0]!],
    [1, cellNumbers[cellNumbers.length - 1]!],
  ] as const) {
    for (let j = k + step; j >= 0 && j < part.nBlocks; j += step) {
      const mesh = part.block(j)
      const n = mesh.cellNumbers.length
      let found = 0
      while (found < n && mesh.cellNumbers[step > 0 ? found : n - 1 - found] === number) found++
      for (let i = 0; i < found; i++) box = unionBox([box, around.addPoints(mesh, step > 0 ? i : n - 1 - i)])
      // pieces of a cell follow one another
      if (found < n) break
    }
  }
  return box
}

/** Adds the cells of other blocks that share a point with this one, each with all its pieces. @param box  of the points */
function addHalo(
  part: PartBlocks,
  k: number,
  box: Box,
  valuesOf: (block: number) => FieldValues,
  cells: SourceCells,
  around: CellsAround,
): void {
  const near = part.boxes.flatMap((other, j) => (j !== k && boxesTouch(other, box) ? [j] : []))
  const { cellNumbers } = part.block(k)
  // pieces of a cell follow one another: blocks share no cell but the last of one and the first of the next
  const wanted = new Set([cellNumbers[0]!, cellNumbers[cellNumbers.length - 1]!])
  for (const j of near) collectShared(part.block(j), box, around, wanted)
  const ends = [k, ...near].flatMap((j) => [j - 1, j + 1]).filter((j) => j >= 0 && j < part.nBlocks && j !== k)
  for (const j of new Set([...near, ...ends])) {
    const mesh = part.block(j)
    const numbers = mesh.cellNumbers
    if (!near.includes(j) && !wanted.has(numbers[0]!) && !wanted.has(numbers[numbers.length - 1]!)) continue
    let values: FieldValues | undefined
    for (let c = 0; c < numbers.length; c++) {
      if (wanted.has(numbers[c]!)) around.add(cells.add(mesh, (values ??= valuesOf(j)), c, j), mesh, c)
    }
  }
}

/** Cells with a point of the block, whose box is given: only groups and points near it are looked at. */
function collectShared(
  { points, offsets, connectivity, cellNumbers, pointNumbers, groups }: MeshBlock,
  box: Box,
  around: CellsAround,
  wanted: Set<number>,
): void {
  const isShared = new Uint8Array(pointNumbers.length)
  for (let p = 0; p < isShared.length; p++) {
    const x = points[3 * p]!,
      y = points[3 * p + 1]!,
      z = points[3 * p + 2]!
    if (x >= box[0] && x <= box[3] && y >= box[1] && y <= box[4] && z >= box[2] && z <= box[5] && around.has(pointNumbers[p]!))
      isShared[p] = 1
  }
  for (let g = 0, first = 0; first < cellNumbers.length; g++, first += GROUP_CELLS) {
    if (!boxesTouch(boxOfGroup(groups, g), box)) continue
    for (let c = first; c < Math.min(first + GROUP_CELLS, cellNumbers.length); c++) {
      for (let i = offsets[c]!; i < offsets[c + 1]!; i++) if (isShared[connectivity[i]!]) wanted.add(cellNumbers[c]!)
    }
  }
}

/** Cells of the source with their centroids and values, gathered from their pieces. */
class SourceCells {
  private readonly numbering = new Numbering()
  /** Of each piece: the place of its cell, and volume and volume times position. */
  private readonly pieces = { places: new Growing(Uint32Array), moments: new Growing(Float64Array) }
  /** Pieces of a block follow one another. */
  private readonly runs: { block: number; start: number }[] = []
  readonly values = new Growing(Float64Array)

  constructor(readonly components: number) {}

  get length(): number {
    return this.numbering.length
  }

  /** Numbers in the source, by place. */
  numbers(): Uint32Array {
    return this.numbering.numbers()
  }

  /** Adds cell c of a block. @returns place of the cell of the source that it is, or is a piece of */
  add(mesh: MeshBlock, { values }: FieldValues, c: number, block: number): number {
    const known = this.length
    const place = this.numbering.place(mesh.cellNumbers[c]!)
    if (place === known) for (let i = 0; i < this.components; i++) this.values.push(values[this.components * c + i]!)
    if (this.runs[this.runs.length - 1]?.block !== block) this.runs.push({ block, start: this.pieces.places.length })
    loadMoments(mesh, c)
    this.pieces.places.push(place)
    this.pieces.moments.pushAll(moments)
    return place
  }

  /** (3 × n) Pieces are added up in the order of the blocks, whichever block was looked at first. */
  centroids(): Float64Array {
    const sums = new Float64Array(4 * this.length)
    const { places, moments: each } = this.pieces
    const ends = this.runs.map((_, r) => this.runs[r + 1]?.start ?? places.length)
    const order = this.runs.map((_, r) => r).sort((a, b) => this.runs[a]!.block - this.runs[b]!.block)
    for (const r of order) {
      for (let p = this.runs[r]!.start; p < ends[r]!; p++) for (let i = 0; i < 4; i++) sums[4 * places.at(p) + i]! += each.at(4 * p + i)
    }
    const out = new Float64Array(3 * this.length)
    for (let cell = 0; cell < this.length; cell++) for (let d = 0; d < 3; d++) out[3 * cell + d] = sums[4 * cell + 1 + d]! / sums[4 * cell]!
    return out
  }
}

/** Six times the volume of the current cell, and that times its centroid. Not re-entrant. */
const moments = new Float64Array(4)

function loadMoments({ points, connectivity, offsets, types, pointNumbers }: MeshBlock, c: number): void {
  const start = offsets[c]!
  const tets = tetrahedraOf(types[c]!, connectivity, start, pointNumbers)
  moments.fill(0)
  for (let t = 0; t < tets.length; t += 4) {
    const p = 3 * connectivity[start + tets[t]!]!,
      q = 3 * connectivity[start + tets[t + 1]!]!,
      r = 3 * connectivity[start + tets[t + 2]!]!,
      s = 3 * connectivity[start + tets[t + 3]!]!
    const ax = points[p]!,
      ay = points[p + 1]!,
      az = points[p + 2]!
    const bx = points[q]! - ax,
      by = points[q + 1]! - ay,
      bz = points[q + 2]! - az
    const ex = points[r]! - ax,
      ey = points[r + 1]! - ay,
      ez = points[r + 2]! - az
    const fx = points[s]! - ax,
      fy = points[s + 1]! - ay,
      fz = points[s + 2]! - az
    const volume = bx * (ey * fz - ez * fy) + by * (ez * fx - ex * fz) + bz * (ex * fy - ey * fx)
    moments[0]! += volume
    moments[1]! += volume * (ax + (bx + ex + fx) / 4)
    moments[2]! += volume * (ay + (by + ey + fy) / 4)
    moments[3]! += volume * (az + (bz + ez + fz) / 4)
  }
}

/** Which cells are round each point of a block. */
class CellsAround {
  /** The first point of each number. Where cells do not share their corners, each cell is alone at its points. */
  private readonly places = new Map<number, number>()
  private nPoints: number
  private readonly pairs = { points: new Growing(Uint32Array), cells: new Growing(Uint32Array) }
  private readonly numbers = new Growing(Uint32Array)
  /** Of the points that are not in the block. */
  private readonly others = new Growing(Float64Array)

  constructor(mesh: MeshBlock) {
    mesh.pointNumbers.forEach((number, p) => {
      if (!this.places.has(number)) this.places.set(number, p)
    })
    this.nPoints = mesh.pointNumbers.length
    this.numbers.pushAll(mesh.pointNumbers)
  }

  has(number: number): boolean {
    return this.places.has(number)
  }

  /** Takes the nodes of cell c of another block for points of this one. @returns their box */
  addPoints({ connectivity, offsets, pointNumbers, points }: MeshBlock, c: number): Box {
    const corners = new Growing(Float64Array)
    for (const node of connectivity.subarray(offsets[c]!, offsets[c + 1]!)) {
      const number = pointNumbers[node]!
      const at = points.subarray(3 * node, 3 * node + 3)
      corners.pushAll(at)
      if (this.places.has(number)) continue
      this.places.set(number, this.nPoints++)
      this.numbers.push(number)
      this.others.pushAll(at)
    }
    return boxOfPoints(corners.finish())
  }

  /** (3 × points) of the block and behind them those that count as its own. */
  positions({ points }: MeshBlock): FloatArray {
    return this.others.length ? joined(points, this.others.finish()) : points
  }

  /** Adds a cell at those nodes of cell c that are points of the block. */
  add(cell: number, { connectivity, offsets, pointNumbers }: MeshBlock, c: number): void {
    for (let i = offsets[c]!; i < offsets[c + 1]!; i++) {
      const place = this.places.get(pointNumbers[connectivity[i]!]!)
      if (place !== undefined) this.addAt(place, cell)
    }
  }

  /** Adds something that has a corner at a point of the block. */
  addAt(place: number, cell: number): void {
    this.pairs.points.push(place)
    this.pairs.cells.push(cell)
  }

  /**
   * Cells by point, and points by cell, each in the order of their numbers in the source: sums over them do not depend on blocks.
   *
   * @param numbers  of the cells
   * @param nFaces   faces of the boundary, whose places follow those of the cells; they follow the cells in their own order
   */
  lists(numbers: Uint32Array, nFaces = 0): Pick<Neighbourhood, 'cellsOfPoint' | 'pointsOfCell'> {
    const [points, cells] = [this.pairs.points.finish(), this.pairs.cells.finish()]
    const pointNumbers = this.numbers.finish()
    const cellRank = (place: number): number => (place < numbers.length ? numbers[place]! : 2 ** 32 + place)
    return {
      cellsOfPoint: sortedLists(listed(points, cells, this.nPoints), cellRank),
      pointsOfCell: sortedLists(listed(cells, points, numbers.length + nFaces), (place) => pointNumbers[place]!),
    }
  }
}

/** Sorts the items of each key by a rank; the lists are short. */
function sortedLists({ starts, items }: Lists, rankOf: (item: number) => number): Lists {
  for (let key = 0; key + 1 < starts.length; key++) {
    const start = starts[key]!
    for (let i = start + 1; i < starts[key + 1]!; i++) {
      const item = items[i]!
      const rank = rankOf(item)
      let at = i
      for (; at > start && rankOf(items[at - 1]!) > rank; at--) items[at] = items[at - 1]!
      items[at] = item
    }
  }
  return { starts, items }
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
