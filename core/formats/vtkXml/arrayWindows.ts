/** One array of a file by ranges of its values; text is read whole elsewhere. */
import { FormatError } from '../../errors'
import type { XmlElement } from '../xmlTree'
import { describe, INFLATED_TOGETHER, openRaw } from './dataArray'
import type { FileContext, NumberArray, RawArray } from './dataArray'

/** Decompressed blocks kept: windows go on from where the last one ended. */
const KEPT_BLOCKS = 4

/** Values of one array by ranges. */
export class ArrayWindows {
  private readonly kept = new Map<number, Promise<Uint8Array>>()

  private constructor(private readonly raw: RawArray) {}

  get length(): number {
    return Math.floor(this.raw.bytes / this.raw.size)
  }

  /** undefined when the array is stored in a way that has no ranges. @throws FormatError when it has not `expected` values */
  static async open(file: FileContext, element: XmlElement, expected?: number): Promise<ArrayWindows | undefined> {
    const raw = await openRaw(file, element)
    if (!raw) return undefined
    if (expected !== undefined && raw.bytes !== expected * raw.size)
      throw new FormatError(
        'wrong-length',
        `${describe(file, element)} has ${raw.bytes / raw.size} values instead of ${expected}; the file is inconsistent, write it again.`,
      )
    return new ArrayWindows(raw)
  }

  async read(from: number, to: number): Promise<NumberArray> {
    const { size, toNumbers } = this.raw
    return toNumbers(await this.bytes(from * size, to * size))
  }

  /** As whole numbers: of points, or of places in a list of them. */
  async readWhole(from: number, to: number): Promise<Uint32Array> {
    const { size, toWhole } = this.raw
    return toWhole(await this.bytes(from * size, to * size))
  }

  /** As types of cells. */
  async readTypes(from: number, to: number): Promise<Uint8Array> {
    const { size, toNumbers } = this.raw
    if (size === 8) return Uint8Array.from(await this.readWhole(from, to))
    const types = toNumbers(await this.bytes(from * size, to * size))
    return types instanceof Uint8Array ? types : Uint8Array.from(types)
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
    if (start < last)
      this.keep(
        last - 1,
        read.then((blocks) => blocks[blocks.length - 1]!),
      )
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
