/**
 * Windows of arrays and of one piece of a grid, for what does not fit into memory. Binary arrays can be read so, and
 * what is not stored but follows from the size of the grid; text is read whole.
 */
import { FormatError } from '../../errors'
import type { FloatArray } from '../../mesh/MeshBlock'
import type { FormatWindows } from '../Format'
import { childNamed, childrenNamed } from '../xmlTree'
import type { XmlElement } from '../xmlTree'
import { structuredTable } from '../structured'
import { tableWindows } from '../cellTables'
import { cellCount, extentCounts, gridPoints, isStructured, pointCount } from './cells'
import type { Piece } from './cells'
import { describe, INFLATED_TOGETHER, openRaw } from './dataArray'
import type { FileContext, NumberArray, RawArray } from './dataArray'

/** Decompressed blocks kept: windows go on from where the last one ended. */
const KEPT_BLOCKS = 4

/** Values of one array by ranges. */
export class ArrayWindows {
  private readonly kept = new Map<number, Promise<Uint8Array>>()

  private constructor(private readonly raw: RawArray) {}

  /** undefined when the array is stored in a way that has no ranges. @throws FormatError when it has not `expected` values */
  static async open(file: FileContext, element: XmlElement, expected: number): Promise<ArrayWindows | undefined> {
    const raw = await openRaw(file, element)
    if (!raw) return undefined
    if (raw.bytes !== expected * raw.size) throw new FormatError('wrong-length', `${describe(file, element)} has ${raw.bytes / raw.size} values instead of ${expected}; the file is inconsistent, write it again.`)
    return new ArrayWindows(raw)
  }

  async read(from: number, to: number): Promise<NumberArray> {
    const { size, toNumbers } = this.raw
    return toNumbers(await this.bytes(from * size, to * size))
  }

  /** As numbers of points. */
  async readNodes(from: number, to: number): Promise<Uint32Array> {
    const { size, toNodes } = this.raw
    return toNodes(await this.bytes(from * size, to * size))
  }

  private async bytes(from: number, to: number): Promise<Uint8Array> {
    const { source, start, blocks } = this.raw
    if (!blocks) return source.read(start + from, start + to)
    const out = new Uint8Array(to - from)
    const last = Math.ceil(to / blocks.size)
    for (let first = Math.floor(from / blocks.size); first < last; first += INFLATED_TOGETHER) {
      for (const [k, block] of await this.inflated(first, Math.min(first + INFLATED_TOGETHER, last))) {
        const begin = k * blocks.size
        const part = block.subarray(Math.max(0, from - begin), Math.min(block.length, to - begin))
        out.set(part, Math.max(begin, from) - from)
      }
    }
    return out
  }

  /** Blocks [first, last) by their numbers. Windows that are read together share the block where they meet. */
  private async inflated(first: number, last: number): Promise<[number, Uint8Array][]> {
    const kept = this.kept.get(first)
    const start = kept ? first + 1 : first
    const read = start < last ? this.raw.blocks!.read(start, last) : Promise.resolve([])
    if (start < last) this.keep(last - 1, read.then((blocks) => blocks[blocks.length - 1]!))
    const own = (await read).map((block, i): [number, Uint8Array] => [start + i, block])
    return kept ? [[first, await kept], ...own] : own
  }

  private keep(k: number, block: Promise<Uint8Array>): void {
    // an error is thrown where the block is used
    block.catch(() => undefined)
    this.kept.set(k, block)
    if (this.kept.size > KEPT_BLOCKS) this.kept.delete(this.kept.keys().next().value!)
  }
}

/** The cells of a piece; undefined where they cannot be read in windows. */
export async function pieceWindows(piece: Piece): Promise<FormatWindows | undefined> {
  if (isStructured(piece)) return structuredWindows(piece)
  return piece.kind === 'UnstructuredGrid' ? unstructuredWindows(piece) : undefined
}

async function structuredWindows(piece: Piece): Promise<FormatWindows | undefined> {
  const { file, element } = piece
  const nPoints = pointCount(piece)
  const made = await gridPoints(piece)
  const listed = childNamed(childNamed(element, 'Points'), 'DataArray')
  const stored = !made && listed ? await ArrayWindows.open(file, listed, 3 * nPoints) : undefined
  if (!made && !stored) return undefined
  const points: FormatWindows['points'] = async (from, to) => made?.(from, to) ?? toFloats(await stored!.read(3 * from, 3 * to))
  return tableWindows(file.source.name, nPoints, points, [structuredTable(extentCounts(piece).counts)])
}

async function unstructuredWindows(piece: Piece): Promise<FormatWindows | undefined> {
  const { file, element } = piece
  const [nPoints, nCells] = [pointCount(piece), cellCount(piece)]
  const cells = childrenNamed(childNamed(element, 'Cells'), 'DataArray')
  const named = (name: string): XmlElement | undefined => cells.find((a) => a.attributes['Name'] === name)
  const [pointsElement, endsElement, typesElement, nodesElement] = [childNamed(childNamed(element, 'Points'), 'DataArray'), named('offsets'), named('types'), named('connectivity')]
  if (!pointsElement || !endsElement || !typesElement || !nodesElement || nCells === 0) return undefined
  const points = await ArrayWindows.open(file, pointsElement, 3 * nPoints)
  const ends = await ArrayWindows.open(file, endsElement, nCells)
  const types = await ArrayWindows.open(file, typesElement, nCells)
  const nNodes = ends && (await ends.read(nCells - 1, nCells))[0]!
  const nodes = nNodes ? await ArrayWindows.open(file, nodesElement, nNodes) : undefined
  if (!points || !ends || !types || !nodes) return undefined
  return {
    name: file.source.name,
    nPoints,
    nCells,
    points: async (from, to) => toFloats(await points.read(3 * from, 3 * to)),
    async cells(from, to) {
      const first = from === 0 ? 0 : (await ends.read(from - 1, from))[0]!
      const last = await ends.read(from, to)
      const { offsets, wrong } = offsetsOf(last, first, nNodes!)
      if (wrong !== undefined) throw new FormatError('bad-offsets', `${describe(file, endsElement)}: the offset of cell ${from + wrong} is ${last[wrong]}, which does not follow; the file is damaged.`)
      const [kinds, list] = await Promise.all([types.read(from, to), nodes.readNodes(first, last[last.length - 1]!)])
      return { types: kinds instanceof Uint8Array ? kinds : Uint8Array.from(kinds), offsets, connectivity: list }
    },
  }
}

/** Where cells begin among those of a window, from where they end in the file; or the first one that does not follow. */
function offsetsOf(ends: NumberArray, first: number, nNodes: number): { offsets: Uint32Array; wrong?: number } {
  const offsets = new Uint32Array(ends.length + 1)
  let before = first
  for (let c = 0; c < ends.length; c++) {
    const end = ends[c]!
    if (!(end >= before && end <= nNodes)) return { offsets, wrong: c }
    offsets[c + 1] = end - first
    before = end
  }
  return { offsets }
}

/** Values of an array as floating-point numbers. */
export function toFloats(values: ArrayLike<number>): FloatArray {
  return values instanceof Float32Array || values instanceof Float64Array ? values : Float64Array.from(values)
}
