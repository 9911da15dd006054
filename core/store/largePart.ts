/**
 * Stores a part that is read in windows, so that its size does not matter. What comes out is to the byte what `writeMesh` makes of the same mesh.
 *
 * Points go to a scratch file; cells are read by windows, turned, given their place on the curve and dealt into bins. On the
 * way their faces are matched, which gives the outer surface; where too many faces wait for their twins, as in a file whose
 * cells are in no order, that is given up and done with the sorted cells. Memory: 4 bytes a point, 36 a face that waits, pages
 * of points, and two groups of cells (some 40 MB). Scratch: 24 bytes a point, 44 a hexahedron.
 */
import { FormatError } from '../errors'
import type { FormatWindows } from '../formats/Format'
import { boxOfPoints, emptyBox, unionBox } from '../mesh/boxes'
import { cellDimension } from '../mesh/cellTypes'
import { FaceMatcher, NO_NODE } from '../mesh/faceMatching'
import type { Cells, OpenFaces } from '../mesh/faceMatching'
import { Growing } from '../mesh/growing'
import type { Box } from '../mesh/MeshBlock'
import { checkTypes } from '../mesh/normaliseCells'
import { skinOfFaces } from '../mesh/skin'
import type { Skin } from '../mesh/skin'
import type { CellPlacer, PlacerTask } from './CellPlacer'
import { partOfCells } from './cellSort'
import type { KeyedCells } from './cellSort'
import { BlockWriter } from './blockStore'
import type { MeshIndex, Sink } from './blockStore'
import { PagedPoints } from './pagedPoints'
import { blockOf, DEFAULT_BLOCK_CELLS } from './partition'
import type { ScratchFile } from './scratch'

const WINDOW_POINTS = 1 << 18
const WINDOW_CELLS = 1 << 16
const GROUP = 4 * DEFAULT_BLOCK_CELLS
/** Bytes of points kept as pages, by the placer and again for the blocks. */
const PAGE_BYTES = 128 * 2 ** 20
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
  const working = Math.min(2 * PAGE_BYTES, 24 * nPoints) + Math.min(WAITING_BYTES + 64 * 2 ** 20, 100 * nCells)
  return { memory: 4 * nPoints + nCells / 2 + working, scratch: 24 * nPoints + 44 * nCells }
}

/**
 * @param makePlacer  given the task once the points are in their scratch file
 * @param tell        called often with the share done; throws to cancel
 * @param onSkin      given the outer surface before the blocks are written
 * @throws FormatError as `normaliseCells`, or when the cells are of kinds that must be split
 */
export async function storeLargePart(
  source: FormatWindows,
  scratch: ScratchFile,
  makePlacer: (task: PlacerTask) => CellPlacer,
  sink: Sink,
  tell: (share: number, what: string) => void,
  onSkin: (skin: Skin) => Promise<void>,
  { group = GROUP, block = DEFAULT_BLOCK_CELLS, pages = Math.floor(PAGE_BYTES / BYTES_OF_PAGE), waiting = WAITING_BYTES }: LargeSizes = {},
): Promise<LargePart> {
  const { name, nPoints, nCells } = source
  const { box, isSingle } = await copyPoints(source, scratch, tell)
  const placer = makePlacer({ name, nPoints, isSingle, box, pages, group })
  const points = new PagedPoints(scratch, nPoints, isSingle, pages)
  const { mirrored, matcher } = await placeCells(source, placer, waiting, tell)
  const open = (matcher ?? (await matchSorted(placer, nPoints, (done) => tell(0.45 + (0.2 * done) / nCells, 'looking for the outer surface')))).finishWithNodes()
  // the first group is sorted while the surface is shown
  const groups = placer.groups(block)[Symbol.asyncIterator]()
  const first = groups.next()
  first.catch(() => undefined)
  const skin = skinOfOpen(open, points)
  await onSkin(skin)
  const index = await writeBlocks(first, groups, new BoundaryFaces(open.boundary, nCells), points, sink, block, nPoints, (n) => tell(0.65 + (0.35 * n) / nCells, 'storing'))
  return { index, skin, box, mirrored }
}

/** Cells in the order of the curve are near each other: few of their faces wait at a time. */
async function matchSorted(placer: CellPlacer, nPoints: number, tell: (done: number) => void): Promise<FaceMatcher> {
  const matcher = new FaceMatcher(nPoints, true)
  let done = 0
  for await (const cells of placer.groups(1)) {
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
  for (let f = 0; f < n; f++) {
    cells[f] = boundary[2 * f]!
    starts[f + 1] = starts[f]! + (nodes[4 * f + 3] === NO_NODE ? 3 : 4)
  }
  return skinOfFaces({ starts, nodes: nodes.filter((node) => node !== NO_NODE), cells }, (numbers) => points.gather(numbers))
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
async function placeCells(source: FormatWindows, placer: CellPlacer, waiting: number, tell: (share: number, what: string) => void): Promise<{ mirrored: number; matcher: FaceMatcher | undefined }> {
  let mirrored = 0
  let matcher: FaceMatcher | undefined = new FaceMatcher(source.nPoints, true)
  const match = async (from: number, cells: Cells, placed: ReturnType<CellPlacer['place']>): Promise<void> => {
    const { nodes, mirrored: turned } = await placed
    mirrored += turned
    matcher?.add({ ...cells, connectivity: nodes }, from)
    if (matcher && matcher.waitingBytes > waiting) matcher = undefined
  }
  // the faces of one window are matched while the next one is placed
  let last: (() => Promise<void>) | undefined
  for await (const [from, window] of windowsAhead(source.nCells, WINDOW_CELLS, (from, to) => source.cells(from, to))) {
    tell(0.1 + (0.35 * from) / source.nCells, 'reading cells')
    checkWindow(window, source)
    const placed = placer.place(from, window)
    // an error is thrown where it is waited for
    placed.catch(() => undefined)
    await last?.()
    last = () => match(from, window, placed)
  }
  await last?.()
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

const isVolume = Uint8Array.from({ length: 256 }, (_, type) => Number(cellDimension(type) === 3))

function checkWindow({ types, offsets }: Pick<Cells, 'types' | 'offsets'>, { name }: FormatWindows): void {
  const foreign = types.find((type) => !isVolume[type])
  if (foreign !== undefined) throw new FormatError('too-large', `${name} is larger than may be held in memory and has cells of type ${foreign}, which are split there; raise STAVIK_MEMORY or write linear cells.`)
  checkTypes({ types, offsets }, name)
}

/** @param first  of the groups, asked for before */
async function writeBlocks(
  first: Promise<IteratorResult<KeyedCells>>,
  groups: AsyncIterator<KeyedCells>,
  boundary: BoundaryFaces,
  points: PagedPoints,
  sink: Sink,
  blockCells: number,
  nPoints: number,
  tell: (done: number) => void,
): Promise<MeshIndex> {
  const writer = new BlockWriter(sink, nPoints)
  let done = 0
  for (let next = await first; !next.done; next = await groups.next()) {
    const group = next.value
    for (let from = 0; from < group.numbers.length; from += blockCells) {
      tell(done)
      const cells = partOfCells(group, from, Math.min(from + blockCells, group.numbers.length))
      await writer.add(blockOf({ ...cells, cellNumbers: cells.numbers, skin: boundary.of(cells.numbers) }, (numbers) => points.gather(numbers)))
      done += cells.numbers.length
    }
  }
  return writer.index
}
