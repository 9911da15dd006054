/**
 * Stores a part whose mesh does not fit into memory. What comes out is to the byte what `writeMesh` makes of the same mesh.
 *
 * Points go to a scratch file; cells are read by windows, turned, given their place on the curve and dealt into bins. On the
 * way their faces are matched, which gives the outer surface; where too many faces wait for their twins, as in a file whose
 * cells are in no order, that is given up and done with the sorted cells. Memory: 4 bytes a point, 33 a face that waits, pages
 * of points, and one group of cells (some 150 MB). Scratch: 24 bytes a point, 88 a hexahedron.
 */
import { FormatError } from '../errors'
import type { FormatWindows } from '../formats/Format'
import { boxOfPoints, emptyBox, unionBox } from '../mesh/boxes'
import { cellDimension } from '../mesh/cellTypes'
import { curveKeys } from '../mesh/curveOrder'
import { FaceMatcher, NO_NODE } from '../mesh/faceMatching'
import type { OpenFaces } from '../mesh/faceMatching'
import { Growing } from '../mesh/growing'
import type { Box, FloatArray } from '../mesh/MeshBlock'
import { normaliseCells } from '../mesh/normaliseCells'
import { Numbering } from '../mesh/numbering'
import { SkinBuilder } from '../mesh/skin'
import type { Skin } from '../mesh/skin'
import { CellSort, joinKeyed, partOfCells } from './cellSort'
import type { KeyedCells } from './cellSort'
import { BlockWriter } from './blockStore'
import type { MeshIndex, Sink } from './blockStore'
import { PagedPoints } from './pagedPoints'
import { blockOf, DEFAULT_BLOCK_CELLS } from './partition'
import type { ScratchFile } from './scratch'

const WINDOW_POINTS = 1 << 20
const WINDOW_CELLS = 1 << 18
const GROUP = 16 * DEFAULT_BLOCK_CELLS
/** Bytes of points kept as pages. */
const PAGE_BYTES = 192 * 2 ** 20
const BYTES_OF_PAGE = 3 * 8 * 2 ** 15
const WAITING_BYTES = 160 * 2 ** 20

export interface LargePart {
  index: MeshIndex
  skin: Skin
  box: Box
  mirrored: number
}

export interface LargeSizes {
  /** Cells sorted at a time and cells of a block; smaller ones for tests. */
  group?: number
  block?: number
  pages?: number
  /** Bytes of faces that may wait for their twins while cells are read. */
  waiting?: number
}

/** Largest memory and scratch space that storing takes, in bytes. */
export function needOfLargePart(nPoints: number, nCells: number): { memory: number; scratch: number } {
  const working = Math.min(PAGE_BYTES, 24 * nPoints) + Math.min(300 * 2 ** 20, 100 * nCells)
  return { memory: 4 * nPoints + nCells / 2 + working, scratch: 24 * nPoints + 88 * nCells }
}

/**
 * @param tell    called often with the share done; throws to cancel
 * @param onSkin  given the outer surface before the blocks are written
 * @throws FormatError as `normaliseCells`, or when the cells are of kinds that must be split
 */
export async function storeLargePart(
  source: FormatWindows,
  scratch: { points: ScratchFile; cells: ScratchFile },
  sink: Sink,
  tell: (share: number, what: string) => void,
  onSkin: (skin: Skin) => Promise<void>,
  { group = GROUP, block = DEFAULT_BLOCK_CELLS, pages = Math.floor(PAGE_BYTES / BYTES_OF_PAGE), waiting = WAITING_BYTES }: LargeSizes = {},
): Promise<LargePart> {
  const { nPoints, nCells } = source
  const { box, isSingle } = await copyPoints(source, scratch.points, tell)
  const points = new PagedPoints(scratch.points, nPoints, isSingle, pages)
  const sort = new CellSort(scratch.cells, group)
  const { mirrored, matcher } = await dealCells(source, points, sort, box, waiting, tell)
  const open = (matcher ?? matchSorted(sort, nPoints, (done) => tell(0.45 + (0.2 * done) / nCells, 'looking for the outer surface'))).finishWithNodes()
  const skin = skinOfFaces(open, points)
  await onSkin(skin)
  const index = await writeBlocks(sort, new BoundaryFaces(open.boundary, nCells), points, sink, block, nPoints, (n) => tell(0.65 + (0.35 * n) / nCells, 'storing'))
  return { index, skin, box, mirrored }
}

/** Cells in the order of the curve are near each other: few of their faces wait at a time. */
function matchSorted(sort: CellSort, nPoints: number, tell: (done: number) => void): FaceMatcher {
  const matcher = new FaceMatcher(nPoints, true)
  let done = 0
  for (const cells of sort.groups()) {
    tell(done)
    matcher.add({ ...cells, connectivity: cells.nodes }, cells.numbers)
    done += cells.numbers.length
  }
  return matcher
}

function skinOfFaces({ boundary, nodes }: OpenFaces, points: PagedPoints): Skin {
  const skin = new SkinBuilder()
  const pointOf = (number: number): FloatArray => points.gather(Uint32Array.of(number))
  for (let i = 0; i < nodes.length; i += 4) skin.addFace(nodes.subarray(i, nodes[i + 3] === NO_NODE ? i + 3 : i + 4), boundary[i / 2]!, pointOf)
  return skin.finish()
}

/** Finds the boundary faces of a cell by its number. */
class BoundaryFaces {
  /** One bit per cell: nearly all have none. */
  private readonly marks: Uint8Array

  constructor(
    private readonly boundary: Uint32Array,
    nCells: number,
  ) {
    this.marks = new Uint8Array(Math.ceil(nCells / 8))
    for (let i = 0; i < boundary.length; i += 2) this.marks[boundary[i]! >> 3]! |= 1 << (boundary[i]! & 7)
  }

  /** Cell and local face, as in `MeshBlock.skin`, of cells that stand at their place in a block. */
  of(numbers: Uint32Array): Uint32Array {
    const skin = new Growing(Uint32Array)
    for (let c = 0; c < numbers.length; c++) {
      const number = numbers[c]!
      if (!((this.marks[number >>> 3]! >> (number & 7)) & 1)) continue
      for (let i = this.firstOf(number); this.boundary[i] === number; i += 2) {
        skin.push(c)
        skin.push(this.boundary[i + 1]!)
      }
    }
    return skin.finish()
  }

  /** Bisection: the faces are ordered by cell. */
  private firstOf(number: number): number {
    let low = 0
    let high = this.boundary.length / 2
    while (low < high) {
      const middle = (low + high) >>> 1
      if (this.boundary[2 * middle]! < number) low = middle + 1
      else high = middle
    }
    return 2 * low
  }
}

async function copyPoints(source: FormatWindows, file: ScratchFile, tell: (share: number, what: string) => void): Promise<{ box: Box; isSingle: boolean }> {
  let box = emptyBox()
  let isSingle = true
  for await (const [from, points] of windowsAhead(source.nPoints, WINDOW_POINTS, (from, to) => source.points(from, to))) {
    tell((0.1 * from) / source.nPoints, 'reading points')
    isSingle = points instanceof Float32Array
    box = unionBox([box, boxOfPoints(points)])
    file.write(3 * from * points.BYTES_PER_ELEMENT, new Uint8Array(points.buffer, points.byteOffset, points.byteLength))
  }
  return { box, isSingle }
}

/** @returns the matcher of all faces unless more than `waiting` bytes of them had to wait at a time */
async function dealCells(source: FormatWindows, points: PagedPoints, sort: CellSort, box: Box, waiting: number, tell: (share: number, what: string) => void): Promise<{ mirrored: number; matcher: FaceMatcher | undefined }> {
  let mirrored = 0
  let matcher: FaceMatcher | undefined = new FaceMatcher(source.nPoints, true)
  for await (const [from, window] of windowsAhead(source.nCells, WINDOW_CELLS, (from, to) => source.cells(from, to))) {
    tell(0.1 + (0.35 * from) / source.nCells, 'reading cells')
    const nodes = window.connectivity
    checkWindow(window.types, nodes, source)
    // every corner of every cell as a point of its own: turning a cell re-orders them
    const corners = points.gather(nodes)
    const mesh = normaliseCells({ ...window, points: corners, connectivity: counting(0, nodes.length) }, source.name)
    mirrored += mesh.mirrored
    const turned = mesh.mirrored ? mesh.connectivity.map((corner) => nodes[corner]!) : nodes
    matcher?.add({ ...window, connectivity: turned }, from)
    if (matcher && matcher.waitingBytes > waiting) matcher = undefined
    sort.add({ numbers: counting(from, mesh.types.length), keys: curveKeys(corners, mesh, box), types: mesh.types, offsets: mesh.offsets, nodes: turned })
  }
  return { mirrored, matcher }
}

/** Windows of n items; the next one is read while one is used. */
async function* windowsAhead<T>(n: number, size: number, read: (from: number, to: number) => Promise<T>): AsyncGenerator<[number, T]> {
  const start = (from: number): Promise<T> | undefined => {
    const window = from < n ? read(from, Math.min(from + size, n)) : undefined
    // an error is thrown where the window is waited for
    window?.catch(() => undefined)
    return window
  }
  let next = start(0)
  for (let from = 0; next; from += size) {
    const window = await next
    next = start(from + size)
    yield [from, window]
  }
}

/** from, from + 1 … */
function counting(from: number, n: number): Uint32Array {
  const out = new Uint32Array(n)
  for (let i = 0; i < n; i++) out[i] = from + i
  return out
}

function checkWindow(types: Uint8Array, nodes: Uint32Array, { name, nPoints }: FormatWindows): void {
  const foreign = types.find((type) => cellDimension(type) < 0)
  if (foreign !== undefined) throw new FormatError('too-large', `${name} is larger than may be held in memory and has cells of type ${foreign}, which are split there; raise STAVIK_MEMORY or write linear cells.`)
  for (let i = 0; i < nodes.length; i++) {
    if (nodes[i]! >= nPoints) throw new FormatError('bad-connectivity', `${name}: a cell refers to point ${nodes[i]}, but there are only ${nPoints} points; write the file again.`)
  }
}

async function writeBlocks(sort: CellSort, boundary: BoundaryFaces, points: PagedPoints, sink: Sink, blockCells: number, nPoints: number, tell: (done: number) => void): Promise<MeshIndex> {
  const writer = new BlockWriter(sink, nPoints)
  const numbering = new Numbering()
  let done = 0
  let rest: KeyedCells | undefined
  const write = async (cells: KeyedCells): Promise<void> => {
    tell(done)
    const skin = boundary.of(cells.numbers)
    const block = blockOf({ types: cells.types, offsets: cells.offsets, nodes: cells.nodes, cellNumbers: cells.numbers, skin }, numbering, (numbers) => points.gather(numbers))
    await writer.add(block)
    done += cells.numbers.length
  }
  for (const group of sort.groups()) {
    // blocks are full but for the last one, wherever groups end
    const cells: KeyedCells = rest ? joinKeyed(rest, group) : group
    const full = Math.floor(cells.numbers.length / blockCells) * blockCells
    for (let from = 0; from < full; from += blockCells) await write(partOfCells(cells, from, from + blockCells))
    rest = full < cells.numbers.length ? partOfCells(cells, full, cells.numbers.length) : undefined
  }
  if (rest) await write(rest)
  return writer.index
}
