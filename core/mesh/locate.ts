/**
 * Finds the cell that holds a position, and the weights of its nodes there.
 *
 * Within a block: walk a few cells on from the last one, across the face that the inverse map points at; else walk from a
 * cell of the position's bin (bins of a uniform grid, about two cells wide, each listing the cells whose box meets it);
 * else try all cells of the bin. Across blocks: the block last used, then every block whose box holds the position.
 * Volume cells only.
 */
import { CellType } from './cellTypes'
import { boxOfPoints, diagonal, isInBox, unionBox } from './boxes'
import { matchFaces, MAX_FACES } from './faceMatching'
import { invertQuadratic } from './quadraticShape'
import { INSIDE_TOLERANCE, invertCell, loadCell } from './shapeFunctions'
import { BlockWindow } from './BlockWindow'
import type { Domain } from './Domain'
import { DomainMask } from './DomainMask'
import { wholesOf } from './MeshBlock'
import type { BlockWholes, Box, DerivedArrays, MeshBlock, PartBlocks } from './MeshBlock'

/** Longest walk from the last cell: a position farther off is nearer to the cells of its own bin. */
const WALK_ON = 4
/** Longest walk from a cell of the position's bin before all cells of the bin are tried. */
const MAX_WALK = 30
/** A position in a piece may lie a little outside its curved cell, in parametric coordinates: linear fields stay exact there. */
const SLIGHTLY_OUTSIDE = 0.2
/** Bins per axis are kept below this, so that a flat block cannot ask for a huge grid. */
const MAX_BINS = 256

const parametric = new Float64Array(3)

/** Where a position lies: the cell, and the points whose values count there with their weights. */
export interface Spot {
  cell: number
  nodes: Uint32Array
  weights: Float64Array
}

/** Finds positions in one block. Its search structure is kept with the block. */
export class BlockLocator {
  private readonly neighbours: Int32Array
  private readonly bins: Bins

  /** @param arrays  of `searchArrays` */
  constructor(
    readonly mesh: MeshBlock,
    arrays: DerivedArrays,
  ) {
    const { neighbours, starts, cells, grid } = arrays as ReturnType<typeof searchArrays>
    this.neighbours = neighbours
    this.bins = new Bins(starts, cells, grid)
  }

  /**
   * @param start    cell to walk from, -1 for none
   * @param weights  filled with the weights of the found cell's nodes (at least 8 long)
   * @returns local cell, or -1 when no cell of this block holds the position
   */
  find(x: number, y: number, z: number, start: number, weights: Float64Array): number {
    const bin = this.bins.at(x, y, z)
    if (bin < 0) return -1
    const { starts, cells } = this.bins
    const from = starts[bin]!
    const to = starts[bin + 1]!
    if (start >= 0) {
      const cell = this.walk(start, WALK_ON, x, y, z, weights)
      if (cell >= 0) return cell
    }
    if (from < to) {
      const cell = this.walk(cells[(from + to) >> 1]!, MAX_WALK, x, y, z, weights)
      if (cell >= 0) return cell
    }
    for (let i = from; i < to; i++) if (this.isIn(cells[i]!, x, y, z, weights, false)) return cells[i]!
    return -1
  }

  /**
   * Nodes and weights of the quadratic cell at a position, or of the linear one found there.
   *
   * @param cell  what `find` gave, -1 too: a position between the pieces and a curved side is found all the same
   */
  refine(x: number, y: number, z: number, cell: number, weights: Float64Array): Spot | undefined {
    const quadratic = wholesOf(this.mesh)
    if (quadratic && cell >= 0 && quadratic.wholeOf[cell]! >= 0) {
      const spot = this.inWhole(quadratic, x, y, z, cell, SLIGHTLY_OUTSIDE)
      if (spot) return spot
    }
    if (cell >= 0) {
      const { offsets, connectivity } = this.mesh
      const nodes = connectivity.subarray(offsets[cell]!, offsets[cell + 1]!)
      return { cell, nodes, weights: weights.slice(0, nodes.length) }
    }
    const bin = quadratic ? this.bins.at(x, y, z) : -1
    if (!quadratic || bin < 0) return undefined
    for (let i = this.bins.starts[bin]!, last = -1; i < this.bins.starts[bin + 1]!; i++) {
      const piece = this.bins.cells[i]!
      const q = quadratic.wholeOf[piece]!
      if (q < 0 || q === last) continue
      last = q
      const spot = this.inWhole(quadratic, x, y, z, piece, INSIDE_TOLERANCE)
      if (spot) return spot
    }
    return undefined
  }

  private inWhole(quadratic: BlockWholes, x: number, y: number, z: number, cell: number, tolerance: number): Spot | undefined {
    const q = quadratic.wholeOf[cell]!
    const start = quadratic.wholeOffsets[q]!
    const nodes = quadratic.wholeNodes.subarray(start, quadratic.wholeOffsets[q + 1]!)
    const weights = new Float64Array(nodes.length)
    const outside = invertQuadratic(quadratic.wholeTypes[q]!, this.mesh.points, quadratic.wholeNodes, start, x, y, z, weights)
    return outside <= tolerance ? { cell, nodes, weights } : undefined
  }

  /** Crosses the face the inverse map points at until the cell is found or the walk leaves the block. */
  private walk(cell: number, limit: number, x: number, y: number, z: number, weights: Float64Array): number {
    const { types } = this.mesh
    for (let hops = 0; cell >= 0 && hops < limit; hops++) {
      if (this.isIn(cell, x, y, z, weights, true)) return cell
      const face = exitFace(types[cell]!, parametric[0]!, parametric[1]!, parametric[2]!)
      cell = face < 0 ? -1 : this.neighbours[MAX_FACES * cell + face]!
    }
    return -1
  }

  private isIn(cell: number, x: number, y: number, z: number, weights: Float64Array, isHasty: boolean): boolean {
    const { types, points, connectivity, offsets } = this.mesh
    const type = types[cell]!
    loadCell(type, points, connectivity, offsets[cell]!)
    parametric[0] = parametric[1] = parametric[2] = 0.4
    if (type === CellType.tetra || type === CellType.wedge) parametric[0] = parametric[1] = 0.3
    return invertCell(type, x, y, z, parametric, weights, isHasty)
  }
}

/** The face a position lies beyond, judged by its parametric coordinates; -1 when they are not finite. */
function exitFace(type: number, r: number, s: number, t: number): number {
  if (!(Number.isFinite(r) && Number.isFinite(s) && Number.isFinite(t))) return -1
  switch (type) {
    case CellType.tetra:
      return largest(-t, 0, -s, 1, r + s + t - 1, 2, -r, 3, -Infinity, 0, -Infinity, 0)
    case CellType.wedge:
      return largest(-t, 0, t - 1, 1, -s, 2, r + s - 1, 3, -r, 4, -Infinity, 0)
    case CellType.pyramid:
      return largest(-t, 0, -s, 1, r + t - 1, 2, s + t - 1, 3, -r, 4, -Infinity, 0)
    case CellType.hexahedron:
      return largest(-t, 0, t - 1, 1, -s, 2, r - 1, 3, s - 1, 4, -r, 5)
    default:
      return -1
  }
}

function largest(
  a: number,
  fa: number,
  b: number,
  fb: number,
  c: number,
  fc: number,
  d: number,
  fd: number,
  e: number,
  fe: number,
  g: number,
  fg: number,
): number {
  let worst = a
  let face = fa
  if (b > worst) {
    worst = b
    face = fb
  }
  if (c > worst) {
    worst = c
    face = fc
  }
  if (d > worst) {
    worst = d
    face = fd
  }
  if (e > worst) {
    worst = e
    face = fe
  }
  if (g > worst) face = fg
  return face
}

/**
 * What `BlockLocator` searches in.
 *
 *   neighbours  Int32Array (MAX_FACES × nCells), cell behind each face, see `faceMatching.ts`
 *   starts      Uint32Array (nBins + 1), where the cells of each bin begin in `cells`
 *   grid        Float64Array: bins along each axis (3), bins per length (3), box (6), tolerance
 */
export function searchArrays(mesh: MeshBlock): { neighbours: Int32Array; starts: Uint32Array; cells: Uint32Array; grid: Float64Array } {
  const neighbours = new Int32Array(MAX_FACES * mesh.types.length)
  matchFaces(mesh, mesh.points.length / 3, neighbours)
  return { neighbours, ...buildBins(mesh) }
}

/** Bins of a uniform grid over a block, each with the cells whose boxes meet it. */
class Bins {
  private readonly box: Box
  private readonly tolerance: number

  constructor(
    readonly starts: Uint32Array,
    readonly cells: Uint32Array,
    private readonly grid: Float64Array,
  ) {
    this.box = Array.from(grid.subarray(6, 12)) as Box
    this.tolerance = grid[12]!
  }

  /** Bin of a position; -1 outside. */
  at(x: number, y: number, z: number): number {
    if (!isInBox(this.box, x, y, z, this.tolerance)) return -1
    return (this.along(2, z) * this.grid[1]! + this.along(1, y)) * this.grid[0]! + this.along(0, x)
  }

  private along(d: number, x: number): number {
    return Math.max(0, Math.min(this.grid[d]! - 1, Math.floor((x - this.box[d]!) * this.grid[3 + d]!)))
  }
}

function buildBins(mesh: MeshBlock): { starts: Uint32Array; cells: Uint32Array; grid: Float64Array } {
  const nCells = mesh.types.length
  const box = boxOfPoints(mesh.points)
  const size = [0, 1, 2].map((d) => Math.max(box[d + 3]! - box[d]!, 1e-300))
  const width = 2 * Math.cbrt((size[0]! * size[1]! * size[2]!) / Math.max(nCells, 1))
  const n = size.map((s) => Math.min(MAX_BINS, Math.max(1, Math.ceil(s / width) || 1))) as [number, number, number]
  const scale = size.map((s, d) => n[d]! / s) as [number, number, number]
  const ranges = binRanges(mesh, n, box, scale)
  const starts = new Uint32Array(n[0] * n[1] * n[2] + 1)
  for (let c = 0; c < nCells; c++) countBins(ranges, 6 * c, n, starts)
  for (let b = 1; b < starts.length; b++) starts[b]! += starts[b - 1]!
  const cells = new Uint32Array(starts[starts.length - 1]!)
  const fill = starts.slice(0, -1)
  for (let c = 0; c < nCells; c++) fillBins(ranges, 6 * c, n, fill, cells, c)
  return { starts, cells, grid: Float64Array.of(...n, ...scale, ...box, 1e-9 * diagonal(box)) }
}

/** First and last bin of every cell along each axis: (6 × nCells) x0 y0 z0 x1 y1 z1. Pieces count as their quadratic cell. */
function binRanges(mesh: MeshBlock, n: readonly number[], box: Box, scale: readonly number[]): Uint16Array {
  const { points, offsets, connectivity } = mesh
  const quadratic = wholesOf(mesh)
  const nCells = offsets.length - 1
  const ranges = new Uint16Array(6 * nCells)
  for (let d = 0; d < 3; d++) {
    const origin = box[d]!
    const factor = scale[d]!
    const top = n[d]! - 1
    for (let c = 0; c < nCells; c++) {
      let lo = Infinity
      let hi = -Infinity
      const q = quadratic ? quadratic.wholeOf[c]! : -1
      const nodes = q >= 0 ? quadratic!.wholeNodes : connectivity
      const end = q >= 0 ? quadratic!.wholeOffsets[q + 1]! : offsets[c + 1]!
      for (let i = q >= 0 ? quadratic!.wholeOffsets[q]! : offsets[c]!; i < end; i++) {
        const x = points[3 * nodes[i]! + d]!
        if (x < lo) lo = x
        if (x > hi) hi = x
      }
      ranges[6 * c + d] = Math.max(0, Math.min(top, (lo - origin) * factor))
      ranges[6 * c + 3 + d] = Math.max(0, Math.min(top, (hi - origin) * factor))
    }
  }
  return ranges
}

function countBins(ranges: Uint16Array, at: number, n: readonly number[], starts: Uint32Array): void {
  const x0 = ranges[at]!,
    x1 = ranges[at + 3]!,
    y1 = ranges[at + 4]!,
    z1 = ranges[at + 5]!
  for (let z = ranges[at + 2]!; z <= z1; z++) {
    for (let y = ranges[at + 1]!; y <= y1; y++) {
      const row = (z * n[1]! + y) * n[0]! + 1
      for (let x = x0; x <= x1; x++) starts[row + x]!++
    }
  }
}

function fillBins(ranges: Uint16Array, at: number, n: readonly number[], fill: Uint32Array, cells: Uint32Array, cell: number): void {
  const x0 = ranges[at]!,
    x1 = ranges[at + 3]!,
    y1 = ranges[at + 4]!,
    z1 = ranges[at + 5]!
  for (let z = ranges[at + 2]!; z <= z1; z++) {
    for (let y = ranges[at + 1]!; y <= y1; y++) {
      const row = (z * n[1]! + y) * n[0]!
      for (let x = x0; x <= x1; x++) cells[fill[row + x]!++] = cell
    }
  }
}

/** Blocks whose search structures are held at a time: those around a position, and those a line has just left. */
const NEAR_BLOCKS = 4

/** Finds positions in a domain. Remembers where the last one was: neighbouring queries are cheap. To be closed. */
export class PartLocator {
  /** Result of the last successful `find`. */
  part = 0
  block = -1
  cell = -1
  readonly weights = new Float64Array(8)
  private readonly parts: readonly PartBlocks[]
  private readonly locators: BlockWindow<BlockLocator>
  private readonly mask: DomainMask
  private readonly tolerance: number

  constructor(domain: Domain) {
    this.parts = domain.parts
    this.mask = new DomainMask(domain, NEAR_BLOCKS)
    this.tolerance = 1e-9 * diagonal(unionBox(this.parts.flatMap((part) => part.boxes)))
    this.locators = new BlockWindow(this.parts, NEAR_BLOCKS, (part, k) => {
      const mesh = part.block(k)
      return new BlockLocator(
        mesh,
        part.derived(k, 'search', () => searchArrays(mesh)),
      )
    })
  }

  /** As `find`, by the quadratic shape functions where there are some. Slower: for probes and samples, not for tracing. */
  findExactly(x: number, y: number, z: number): Spot | undefined {
    return this.find(x, y, z) ? this.exactly(x, y, z) : this.findCurved(x, y, z)
  }

  /** Whether the cell that was found last is linear: then its nodes count with `weights`. */
  get isPlain(): boolean {
    const quadratic = wholesOf(this.locator(this.part, this.block).mesh)
    return !quadratic || quadratic.wholeOf[this.cell]! < 0
  }

  /** At a position that `find` has found. */
  exactly(x: number, y: number, z: number): Spot | undefined {
    return this.locator(this.part, this.block).refine(x, y, z, this.cell, this.weights)
  }

  /** At one that it has not: between the pieces of a quadratic cell and its curved side. */
  findCurved(x: number, y: number, z: number): Spot | undefined {
    for (let p = 0; p < this.parts.length; p++) {
      const { boxes } = this.parts[p]!
      for (let k = 0; k < boxes.length; k++) {
        if (!isInBox(boxes[k]!, x, y, z, this.tolerance)) continue
        const spot = this.locator(p, k).refine(x, y, z, -1, this.weights)
        if (!spot || !this.mask.holds(p, k, spot.cell, x, y, z)) continue
        this.part = p
        this.block = k
        this.cell = spot.cell
        return spot
      }
    }
    return undefined
  }

  /** Looks for the position; on success `part`, `block`, `cell` and `weights` say where it is. */
  find(x: number, y: number, z: number): boolean {
    if (this.block >= 0 && this.findIn(this.part, this.block, x, y, z, this.cell)) return true
    for (let p = 0; p < this.parts.length; p++) {
      const { boxes } = this.parts[p]!
      for (let k = 0; k < boxes.length; k++) {
        if (p === this.part && k === this.block) continue
        if (isInBox(boxes[k]!, x, y, z, this.tolerance) && this.findIn(p, k, x, y, z, -1)) return true
      }
    }
    return false
  }

  partOfLast(): PartBlocks {
    return this.parts[this.part]!
  }

  /** Good until a few other blocks were searched. */
  locator(part: number, block: number): BlockLocator {
    return this.locators.at(part, block)
  }

  close(): void {
    this.locators.close()
    this.mask.close()
  }

  private findIn(part: number, block: number, x: number, y: number, z: number, start: number): boolean {
    const cell = this.locator(part, block).find(x, y, z, start, this.weights)
    if (cell < 0 || !this.mask.holds(part, block, cell, x, y, z)) return false
    this.part = part
    this.block = block
    this.cell = cell
    return true
  }
}
