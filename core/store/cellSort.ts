/**
 * Sorts the cells of a mesh that does not fit into memory along the curve: cells are dealt into bins by the upper bits of
 * their keys, bins are read back in order, as many at a time as memory allows, and sorted there.
 *
 * A cell is a run of words in the scratch file: number, key, type | nodes << 8, then its nodes.
 */
import { KEY_BITS, sortByKey } from '../mesh/curveOrder'
import type { ScratchFile } from './scratch'

/** Cells with their place on the curve and the numbers of their points in the part. */
export interface KeyedCells {
  numbers: Uint32Array
  keys: Uint32Array
  types: Uint8Array
  offsets: Uint32Array
  nodes: Uint32Array
}

const BIN_BITS = 9
const HEAD = 3
/** Words gathered for a bin before they are written. */
const BUFFER_WORDS = 1 << 13

interface Bin {
  cells: number
  words: number
  extents: { at: number; words: number }[]
  buffer: Uint32Array | undefined
  used: number
}

export class CellSort {
  private readonly bins: Bin[]

  /**
   * @param groupCells  cells that are sorted in memory at a time
   * @param shift       bits of the key below those that choose the bin
   */
  constructor(
    private readonly file: ScratchFile,
    private readonly groupCells: number,
    private readonly shift = KEY_BITS - BIN_BITS,
  ) {
    this.bins = Array.from({ length: 2 ** BIN_BITS }, () => ({ cells: 0, words: 0, extents: [], buffer: undefined, used: 0 }))
  }

  add({ numbers, keys, types, offsets, nodes }: KeyedCells): void {
    const mask = 2 ** BIN_BITS - 1
    for (let c = 0; c < numbers.length; c++) {
      const n = offsets[c + 1]! - offsets[c]!
      const bin = this.bins[(keys[c]! >>> this.shift) & mask]!
      bin.buffer ??= new Uint32Array(BUFFER_WORDS)
      if (bin.used + HEAD + n > bin.buffer.length) this.flush(bin)
      const { buffer } = bin
      let at = bin.used
      buffer[at++] = numbers[c]!
      buffer[at++] = keys[c]!
      buffer[at++] = types[c]! | (n << 8)
      for (let i = offsets[c]!; i < offsets[c + 1]!; i++) buffer[at++] = nodes[i]!
      bin.used = at
      bin.cells++
    }
  }

  private flush(bin: Bin): void {
    if (!bin.used) return
    const words = bin.buffer!.subarray(0, bin.used)
    bin.extents.push({ at: this.file.append(new Uint8Array(words.buffer, words.byteOffset, words.byteLength)), words: bin.used })
    bin.words += bin.used
    bin.used = 0
  }

  /** All cells in the order of the curve, in groups; can be run through more than once. */
  *groups(): Generator<KeyedCells> {
    let pending: Bin[] = []
    let cells = 0
    for (const bin of this.bins) {
      this.flush(bin)
      bin.buffer = undefined
      if (!bin.cells) continue
      if (bin.cells > this.groupCells && this.shift > 0) {
        if (pending.length) yield this.sorted(pending)
        pending = []
        cells = 0
        yield* this.divided(bin).groups()
        continue
      }
      if (cells && cells + bin.cells > this.groupCells) {
        yield this.sorted(pending)
        pending = []
        cells = 0
      }
      pending.push(bin)
      cells += bin.cells
    }
    if (pending.length) yield this.sorted(pending)
  }

  /** A bin that is too full, dealt out by its next bits. */
  private divided(bin: Bin): CellSort {
    const finer = new CellSort(this.file, this.groupCells, Math.max(0, this.shift - BIN_BITS))
    for (const extent of bin.extents) finer.add(parse([this.wordsOf(extent)]))
    return finer
  }

  private sorted(bins: readonly Bin[]): KeyedCells {
    const cells = parse(bins.flatMap((bin) => bin.extents.map((extent) => this.wordsOf(extent))))
    return inOrder(cells, sortByKey(cells.keys))
  }

  private wordsOf({ at, words }: { at: number; words: number }): Uint32Array {
    const out = new Uint32Array(words)
    this.file.read(at, new Uint8Array(out.buffer))
    return out
  }
}

function parse(lists: readonly Uint32Array[]): KeyedCells {
  let n = 0
  let nNodes = 0
  for (const words of lists) {
    for (let at = 0; at < words.length; n++) {
      const count = words[at + 2]! >>> 8
      nNodes += count
      at += HEAD + count
    }
  }
  const out = emptyCells(n, nNodes)
  let c = 0
  for (const words of lists) {
    for (let at = 0; at < words.length; c++) {
      const count = words[at + 2]! >>> 8
      out.numbers[c] = words[at]!
      out.keys[c] = words[at + 1]!
      out.types[c] = words[at + 2]! & 255
      out.nodes.set(words.subarray(at + HEAD, at + HEAD + count), out.offsets[c])
      out.offsets[c + 1] = out.offsets[c]! + count
      at += HEAD + count
    }
  }
  return out
}

function emptyCells(n: number, nNodes: number): KeyedCells {
  return { numbers: new Uint32Array(n), keys: new Uint32Array(n), types: new Uint8Array(n), offsets: new Uint32Array(n + 1), nodes: new Uint32Array(nNodes) }
}

function inOrder(cells: KeyedCells, order: Uint32Array): KeyedCells {
  const out = emptyCells(cells.numbers.length, cells.nodes.length)
  for (let i = 0, at = 0; i < order.length; i++) {
    const c = order[i]!
    out.numbers[i] = cells.numbers[c]!
    out.keys[i] = cells.keys[c]!
    out.types[i] = cells.types[c]!
    for (let n = cells.offsets[c]!; n < cells.offsets[c + 1]!; n++) out.nodes[at++] = cells.nodes[n]!
    out.offsets[i + 1] = at
  }
  return out
}

/** Cells [from, to) of a group. */
export function partOfCells(cells: KeyedCells, from: number, to: number): KeyedCells {
  const first = cells.offsets[from]!
  return {
    numbers: cells.numbers.subarray(from, to),
    keys: cells.keys.subarray(from, to),
    types: cells.types.subarray(from, to),
    offsets: cells.offsets.slice(from, to + 1).map((end) => end - first),
    nodes: cells.nodes.subarray(first, cells.offsets[to]!),
  }
}

/** One group after the other. */
export function joinKeyed(a: KeyedCells, b: KeyedCells): KeyedCells {
  const out = emptyCells(a.numbers.length + b.numbers.length, a.nodes.length + b.nodes.length)
  for (const key of ['numbers', 'keys', 'types'] as const) {
    out[key].set(a[key])
    out[key].set(b[key], a[key].length)
  }
  out.nodes.set(a.nodes)
  out.nodes.set(b.nodes, a.nodes.length)
  out.offsets.set(a.offsets)
  for (let i = 0; i < b.offsets.length; i++) out.offsets[a.numbers.length + i] = a.nodes.length + b.offsets[i]!
  return out
}
