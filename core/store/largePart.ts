/**
 * Stores a part that is read in windows, so that its size does not matter. What comes out is to the byte what `writeMesh` makes
 * of the same mesh.
 *
 * Points go to a scratch file; cells are read by windows, turned, given their place on the curve and dealt into bins. On the
 * way their faces are matched, which gives the outer surface; where too many faces wait for their twins, as in a file whose
 * cells are in no order, that is given up and done with the sorted cells. Memory: 4 bytes a point, 36 a face that waits, pages
 * of points, and two groups of cells (some 40 MB). Scratch: 24 bytes a point, 44 a hexahedron. Cells that must be split are
 * split first, into further scratch files (`splitWindows.ts`).
 */
import type { CellWindow, FormatWindows } from '../formats/Format'
import { boxOfPoints, emptyBox, unionBox } from '../mesh/boxes'
import { FaceMatcher, NO_NODE } from '../mesh/faceMatching'
import type { Cells, OpenFaces } from '../mesh/faceMatching'
import { Growing } from '../mesh/growing'
import type { Box, FloatArray } from '../mesh/MeshBlock'
import { skinOfFaces } from '../mesh/skin'
import type { Skin } from '../mesh/skin'
import type { CellPlacer, CellsToPlace, PlacerTask, SortedBlock } from './CellPlacer'
import { BlockWriter } from './blockStore'
import type { MeshIndex, Sink } from './blockStore'
import { PagedPoints } from './pagedPoints'
import { blockOf, DEFAULT_BLOCK_CELLS, wholeCells } from './partition'
import type { BlockCells } from './partition'
import { SplitWindows } from './splitWindows'
import type { ScratchFile } from '../scratch'

const WINDOW_POINTS = 1 << 18
const WINDOW_CELLS = 1 << 16
const GROUP = 4 * DEFAULT_BLOCK_CELLS
/** Windows that are read before they are wanted, and windows that are placed before their faces are matched. */
const WINDOWS_AHEAD = 2
/** Bytes of points kept as pages, by the placer and again for the blocks. */
const PAGE_BYTES = 128 * 2 ** 20
const BYTES_OF_PAGE = 3 * 8 * 2 ** 15
const WAITING_BYTES = 160 * 2 ** 20

export interface LargePart {
  index: MeshIndex
  skin: Skin
  box: Box
  mirrored: number
  /** Points of the source without those that are one with another. */
  nPoints: number
  /** Cells of the source by type, where only reading tells. */
  sourceTypes?: Record<string, number>
}

/** Files of the points, and of all that splitting needs where there are cells to split. */
export interface LargeScratch {
  points: ScratchFile
  split?: { pieces: ScratchFile; wholes: ScratchFile; added: ScratchFile }
}

export interface LargeSizes {
  /** Cells sorted at a time and cells of a block; smaller ones for tests. */
  group?: number
  block?: number
  pages?: number
  /** Bytes of faces that may wait for their twins while cells are read. */
  waiting?: number
}

/**
 * Largest memory and scratch space that storing takes, in bytes.
 *
 * @param nPieces  cells of the core that the cells become, where they are split
 */
export function needOfLargePart(nPoints: number, nCells: number, nPieces = 0): { memory: number; scratch: number } {
  const n = nPieces || nCells
  const working = Math.min(2 * PAGE_BYTES, 24 * nPoints) + Math.min(WAITING_BYTES + 64 * 2 ** 20, 100 * n)
  return { memory: 4 * nPoints + n / 2 + working + 4 * nPieces, scratch: 24 * nPoints + 44 * n + (nPieces && 200 * nCells + 29 * nPieces) }
}

/**
 * @param makePlacer  given the task once the points are in their scratch file
 * @param tell        called often with the share done; throws to cancel
 * @param onSkin      given the outer surface before the blocks are written
 * @throws FormatError as `normaliseCells`, or when the cells are of kinds that must be split
 */
export async function storeLargePart(
  source: FormatWindows,
  scratch: LargeScratch,
  makePlacer: (task: PlacerTask) => CellPlacer,
  sink: Sink,
  tell: (share: number, what: string) => void,
  onSkin: (skin: Skin) => Promise<void>,
  { group = GROUP, block = DEFAULT_BLOCK_CELLS, pages = Math.floor(PAGE_BYTES / BYTES_OF_PAGE), waiting = WAITING_BYTES }: LargeSizes = {},
): Promise<LargePart> {
  const { box, isSingle } = await copyPoints(source, scratch.points, tell)
  const split = scratch.split && (await splitAll(source, scratch.points, scratch.split, { isSingle, pages }, tell))
  const part = { name: source.name, nPoints: source.nPoints + (split?.nAdded ?? 0), nCells: split?.nCells ?? source.nCells }
  const placer = makePlacer({ ...part, isSingle, box, pages, group })
  const points = new PagedPoints(scratch.points, part.nPoints, isSingle, pages)
  const used = source.cellNumbers && new PointMarks(source.nPoints)
  const { mirrored, matcher } = await placeCells(
    split ? split.lots() : cellWindows(source),
    placer,
    { matcher: new FaceMatcher(part.nPoints, true), waiting, used },
    (from) => tell((split ? 0.25 : 0.1) + ((split ? 0.2 : 0.35) * from) / part.nCells, 'reading cells'),
  )
  const open = (
    matcher ?? (await matchSorted(placer, part.nPoints, (done) => tell(0.45 + (0.2 * done) / part.nCells, 'looking for the outer surface')))
  ).finishWithNodes()
  // the first cells are sorted while the surface is shown; where more than cells of the core use points, these are numbered later
  const sorted = placer.blocks(block, !split && !source.hasOwnCorners)[Symbol.asyncIterator]()
  const first = sorted.next()
  first.catch(() => undefined)
  const faces = skinOfOpen(open, points)
  const inSource = (cells: Uint32Array): Uint32Array => numbersInSource(cells, split?.numbers, source.cellNumbers)
  const skin = { ...faces, cells: inSource(faces.cells) }
  await onSkin(skin)
  const writer = new BlockWriter(sink, part.nPoints)
  const blocks = {
    boundary: new BoundaryFaces(open.boundary, part.nCells),
    points,
    nPoints: source.nPoints,
    split,
    inSource,
    hasOwnCorners: source.hasOwnCorners,
  }
  await writeBlocks(first, sorted, blocks, writer, (n) => tell(0.65 + (0.35 * n) / part.nCells, 'storing'))
  // points that only other cells use are not counted
  const size = used ? { box: boxOfPoints(skin.points), nPoints: used.count() } : { box, nPoints: source.nPoints - (source.joined?.() ?? 0) }
  const known = { index: writer.index, skin, ...size }
  // the pieces of polyhedra are turned as a matter of course: only whole cells count
  return split?.hasPolyhedra ? { ...known, mirrored: 0, sourceTypes: split.sourceTypes } : { ...known, mirrored }
}

async function splitAll(
  source: FormatWindows,
  file: ScratchFile,
  scratch: NonNullable<LargeScratch['split']>,
  { isSingle, pages }: { isSingle: boolean; pages: number },
  tell: (share: number, what: string) => void,
): Promise<SplitWindows> {
  const points = new PagedPoints(file, source.nPoints, isSingle, pages)
  const split = new SplitWindows(
    source.name,
    source.nPoints,
    scratch,
    (numbers) => points.gather(numbers),
    (from, added) => writePoints(file, from, added),
  )
  for await (const [from, window] of cellWindows(source)) {
    tell(0.1 + (0.15 * from) / source.nCells, 'reading cells')
    split.add(from, window)
  }
  split.finish()
  return split
}

/** Cells in the order of the curve are near each other: few of their faces wait at a time. */
async function matchSorted(placer: CellPlacer, nPoints: number, tell: (done: number) => void): Promise<FaceMatcher> {
  const matcher = new FaceMatcher(nPoints, true)
  let done = 0
  for await (const cells of placer.blocks(DEFAULT_BLOCK_CELLS, false)) {
    tell(done)
    matcher.add({ ...cells, connectivity: cells.nodes }, cells.numbers)
    done += cells.numbers.length
  }
  return matcher
}

function skinOfOpen({ boundary, nodes }: OpenFaces, points: PagedPoints): Skin {
  const n = boundary.length / 2
  const starts = new Uint32Array(n + 1)
  const cells = new Uint32Array(n)
  const own = new Uint32Array(4 * n)
  let to = 0
  for (let f = 0; f < n; f++) {
    cells[f] = boundary[2 * f]!
    for (let i = 4 * f; i < 4 * f + 4; i++) if (nodes[i] !== NO_NODE) own[to++] = nodes[i]!
    starts[f + 1] = to
  }
  return skinOfFaces({ starts, nodes: own.subarray(0, to), cells }, (numbers) => points.gather(numbers))
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

  /** Cell and local face, as in `MeshBlock.skin`, of cells that are at their place in a block. */
  of(numbers: Uint32Array): Uint32Array {
    const { marks } = this
    const skin = new Growing(Uint32Array)
    for (let c = 0; c < numbers.length; c++) {
      const number = numbers[c]!
      if (!((marks[number >>> 3]! >> (number & 7)) & 1)) continue
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

async function copyPoints(
  source: FormatWindows,
  file: ScratchFile,
  tell: (share: number, what: string) => void,
): Promise<{ box: Box; isSingle: boolean }> {
  let box = emptyBox()
  let isSingle = true
  for await (const [from, points] of windowsAhead(source.nPoints, WINDOW_POINTS, (from, to) => source.points(from, to))) {
    tell((0.1 * from) / source.nPoints, 'reading points')
    isSingle = points instanceof Float32Array
    box = unionBox([box, boxOfPoints(points)])
    writePoints(file, from, points)
  }
  return { box, isSingle }
}

function writePoints(file: ScratchFile, from: number, points: FloatArray): void {
  file.write(3 * from * points.BYTES_PER_ELEMENT, new Uint8Array(points.buffer, points.byteOffset, points.byteLength))
}

interface Matching {
  matcher: FaceMatcher
  /** Bytes of faces that may wait for their twins. */
  waiting: number
  used: PointMarks | undefined
}

/** @returns the matcher of all faces unless too many of them had to wait at a time */
async function placeCells(
  windows: AsyncIterable<[number, CellsToPlace]> | Iterable<[number, CellsToPlace]>,
  placer: CellPlacer,
  { matcher: all, waiting, used }: Matching,
  tell: (done: number) => void,
): Promise<{ mirrored: number; matcher: FaceMatcher | undefined }> {
  let mirrored = 0
  let matcher: FaceMatcher | undefined = all
  const match = async (from: number, cells: Cells, placed: ReturnType<CellPlacer['place']>): Promise<void> => {
    const { nodes, mirrored: turned } = await placed
    mirrored += turned
    used?.add(nodes)
    matcher?.add({ ...cells, connectivity: nodes }, from)
    if (matcher && matcher.waitingBytes > waiting) matcher = undefined
  }
  // the faces of one window are matched while the next ones are placed
  const unmatched: (() => Promise<void>)[] = []
  for await (const [from, window] of windows) {
    tell(from)
    const placed = placer.place(from, window)
    // an error is thrown where it is waited for
    placed.catch(() => undefined)
    unmatched.push(() => match(from, window, placed))
    if (unmatched.length > WINDOWS_AHEAD) await unmatched.shift()!()
  }
  for (const rest of unmatched) await rest()
  return { mirrored, matcher }
}

function cellWindows(source: FormatWindows): AsyncGenerator<[number, CellWindow]> {
  return windowsAhead(source.nCells, WINDOW_CELLS, (from, to) => source.cells(from, to))
}

/** Windows of n items; the next ones are read while one is used. */
async function* windowsAhead<T>(n: number, size: number, read: (from: number, to: number) => Promise<T>): AsyncGenerator<[number, T]> {
  const reading: Promise<T>[] = []
  for (let from = 0, asked = 0; from < n; from += size) {
    for (; reading.length <= WINDOWS_AHEAD && asked < n; asked += size) {
      const window = read(asked, Math.min(asked + size, n))
      // an error is thrown where the window is waited for
      window.catch(() => undefined)
      reading.push(window)
    }
    yield [from, await reading.shift()!]
  }
}

/** @param pieces  cell that each is a piece of. @param kept  number in the source of each cell, where these are not all of them */
function numbersInSource(cells: Uint32Array, pieces: Uint32Array | undefined, kept: Uint32Array | undefined): Uint32Array {
  const whole = pieces ? cells.map((piece) => pieces[piece]!) : cells
  return kept ? whole.map((cell) => kept[cell]!) : whole
}

/** Which points of the source are used: a bit each. */
class PointMarks {
  private readonly bits: Uint8Array

  constructor(private readonly n: number) {
    this.bits = new Uint8Array(Math.ceil(n / 8))
  }

  /** Those that splitting added have numbers behind those of the source. */
  add(nodes: Uint32Array): void {
    for (let i = 0; i < nodes.length; i++) if (nodes[i]! < this.n) this.bits[nodes[i]! >> 3]! |= 1 << (nodes[i]! & 7)
  }

  count(): number {
    let n = 0
    for (let byte of this.bits) for (; byte; byte &= byte - 1) n++
    return n
  }
}

/** The data of blocks apart from their cells. */
interface BlockParts {
  boundary: BoundaryFaces
  points: PagedPoints
  /** Of the source. */
  nPoints: number
  split: SplitWindows | undefined
  /** Numbers in the source of cells by their numbers here. */
  inSource(cells: Uint32Array): Uint32Array
  hasOwnCorners: boolean | undefined
}

/** @param first  of the sorted blocks, asked for before */
async function writeBlocks(
  first: Promise<IteratorResult<SortedBlock>>,
  sorted: AsyncIterator<SortedBlock>,
  parts: BlockParts,
  writer: BlockWriter,
  tell: (done: number) => void,
): Promise<void> {
  let done = 0
  let before: number | undefined
  for (let next = await first; !next.done; next = await sorted.next()) {
    const cells = next.value
    tell(done)
    await writer.add(blockOf(blockCellsOf(cells, parts, before), (numbers) => parts.points.gather(numbers)))
    done += cells.numbers.length
    before = cells.numbers[cells.numbers.length - 1]
  }
}

/** @param before  the last cell of the block before */
function blockCellsOf(
  cells: SortedBlock,
  { boundary, nPoints, split, inSource, hasOwnCorners }: BlockParts,
  before: number | undefined,
): BlockCells {
  const { numbers, types, offsets, nodes, pointNumbers } = cells
  const skin = boundary.of(numbers)
  if (!split) return { types, offsets, nodes, cellNumbers: inSource(numbers), skin, hasOwnCorners, pointNumbers }
  const all = new Uint32Array(numbers.length + Number(before !== undefined))
  if (before !== undefined) all[0] = before
  all.set(numbers, all.length - numbers.length)
  return {
    ...{ types, offsets, nodes, skin, hasOwnCorners, cellNumbers: inSource(numbers) },
    ...(split.nAdded && { added: { from: nPoints, of: (number: number) => split.added(number) } }),
    ...(split.hasWholes && { whole: wholeCells(split.wholesOf(all), Uint32Array.from(all.keys()), before === undefined) }),
  }
}
