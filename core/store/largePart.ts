/**
 * Stores a part whose mesh does not fit into memory. What comes out is to the byte what `writeMesh` makes of the same mesh.
 *
 * Points go to a scratch file; cells are read by windows, turned, given their place on the curve and dealt into bins; the
 * sorted cells are run through twice, for the boundary faces and for the blocks. Memory: 4 bytes a point, 17 a face that
 * waits for its twin, pages of points, and one group of cells (some 150 MB). Scratch: 24 bytes a point, 88 a hexahedron.
 */
import { FormatError } from '../errors'
import type { FormatWindows } from '../formats/Format'
import { boxOfPoints, emptyBox, unionBox } from '../mesh/boxes'
import { cellDimension } from '../mesh/cellTypes'
import { curveKeys } from '../mesh/curveOrder'
import { FaceMatcher } from '../mesh/faceMatching'
import type { Box } from '../mesh/MeshBlock'
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
  { group = GROUP, block = DEFAULT_BLOCK_CELLS, pages = Math.floor(PAGE_BYTES / BYTES_OF_PAGE) }: LargeSizes = {},
): Promise<LargePart> {
  const { nPoints, nCells } = source
  const { box, isSingle } = await copyPoints(source, scratch.points, tell)
  const points = new PagedPoints(scratch.points, nPoints, isSingle, pages)
  const sort = new CellSort(scratch.cells, group)
  const mirrored = await dealCells(source, points, sort, box, tell)
  const matcher = new FaceMatcher(nPoints)
  let done = 0
  for (const cells of sort.groups()) {
    tell(0.45 + (0.2 * done) / nCells, 'looking for the outer surface')
    matcher.add({ ...cells, connectivity: cells.nodes }, done)
    done += cells.numbers.length
  }
  const boundary = matcher.finish()
  const skin = collectSkin(sort, boundary, points)
  await onSkin(skin)
  const index = await writeBlocks(sort, boundary, points, sink, block, nPoints, (n) => tell(0.65 + (0.35 * n) / nCells, 'storing'))
  return { index, skin, box, mirrored }
}

/** The faces of the boundary, from one more run through the cells: it is wanted long before the blocks are written. */
function collectSkin(sort: CellSort, boundary: Uint32Array, points: PagedPoints): Skin {
  const skin = new SkinBuilder()
  let done = 0
  let face = 0
  for (const { types, offsets, nodes, numbers } of sort.groups()) {
    for (; face < boundary.length && boundary[face]! < done + numbers.length; face += 2) {
      const c = boundary[face]! - done
      const own = nodes.subarray(offsets[c], offsets[c + 1])
      const cell = { types: types.subarray(c, c + 1), offsets: Uint32Array.of(0, own.length), connectivity: counting(0, own.length), points: points.gather(own) }
      skin.add(cell, 0, boundary[face + 1]!, own)
    }
    done += numbers.length
  }
  return skin.finish()
}

async function copyPoints(source: FormatWindows, file: ScratchFile, tell: (share: number, what: string) => void): Promise<{ box: Box; isSingle: boolean }> {
  let box = emptyBox()
  let isSingle = true
  for (let from = 0; from < source.nPoints; from += WINDOW_POINTS) {
    tell((0.1 * from) / source.nPoints, 'reading points')
    const points = await source.points(from, Math.min(from + WINDOW_POINTS, source.nPoints))
    isSingle = points instanceof Float32Array
    box = unionBox([box, boxOfPoints(points)])
    file.write(3 * from * points.BYTES_PER_ELEMENT, new Uint8Array(points.buffer, points.byteOffset, points.byteLength))
  }
  return { box, isSingle }
}

async function dealCells(source: FormatWindows, points: PagedPoints, sort: CellSort, box: Box, tell: (share: number, what: string) => void): Promise<number> {
  let mirrored = 0
  for (let from = 0; from < source.nCells; from += WINDOW_CELLS) {
    tell(0.1 + (0.35 * from) / source.nCells, 'reading cells')
    const window = await source.cells(from, Math.min(from + WINDOW_CELLS, source.nCells))
    const nodes = window.connectivity
    checkWindow(window.types, nodes, source)
    // every corner of every cell as a point of its own: turning a cell re-orders them
    const corners = points.gather(nodes)
    const mesh = normaliseCells({ ...window, points: corners, connectivity: counting(0, nodes.length) }, source.name)
    mirrored += mesh.mirrored
    const turned = new Uint32Array(nodes.length)
    for (let i = 0; i < turned.length; i++) turned[i] = nodes[mesh.connectivity[i]!]!
    sort.add({ numbers: counting(from, mesh.types.length), keys: curveKeys(corners, mesh, box), types: mesh.types, offsets: mesh.offsets, nodes: turned })
  }
  return mirrored
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

async function writeBlocks(sort: CellSort, boundary: Uint32Array, points: PagedPoints, sink: Sink, blockCells: number, nPoints: number, tell: (done: number) => void): Promise<MeshIndex> {
  const writer = new BlockWriter(sink, nPoints)
  const numbering = new Numbering()
  let done = 0
  let face = 0
  let rest: KeyedCells | undefined
  const write = async (cells: KeyedCells): Promise<void> => {
    tell(done)
    const start = face
    while (face < boundary.length && boundary[face]! < done + cells.numbers.length) face += 2
    const skin = boundary.slice(start, face)
    for (let i = 0; i < skin.length; i += 2) skin[i]! -= done
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
