/**
 * Sorts the cells of a mesh that does not fit into memory along the curve: cells are dealt into bins by the upper bits of
 * their keys, bins are read back in order, as many at a time as memory allows, and sorted there.
 *
 * A cell is a run of words in the scratch file: number, key, type | nodes << 8, then its nodes.
 */
import { KEY_BITS, sortByKey } from '../mesh/curveOrder'
import { Growing } from '../mesh/growing'
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
  private runs: readonly Run[] | undefined

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

  /** All cells in the order of the curve, in groups. Sorted once: later runs read the groups back. */
  *groups(): Generator<KeyedCells> {
    if (this.runs) {
      for (const run of this.runs) yield this.readBack(run)
      return
    }
    const runs: Run[] = []
    for (const group of this.sortedGroups()) {
      runs.push(this.keep(group))
      yield group
    }
    this.runs = runs
  }

  private *sortedGroups(): Generator<KeyedCells> {
    let pending: Bin[] = []
    let cells = 0
    for (const bin of this.bins) {
      this.flush(bin)
      bin.buffer = undefined
      if (!bin.cells) continue
      const isTooFull = bin.cells > this.groupCells && this.shift > 0
      if (pending.length && (isTooFull || cells + bin.cells > this.groupCells)) {
        yield this.sorted(pending)
        pending = []
        cells = 0
      }
      if (isTooFull) {
        yield* this.divided(bin).sortedGroups()
        continue
      }
      pending.push(bin)
      cells += bin.cells
    }
    if (pending.length) yield this.sorted(pending)
  }

  /** A bin that is too full, dealt out by its next bits. */
  private divided(bin: Bin): CellSort {
    const finer = new CellSort(this.file, this.groupCells, Math.max(0, this.shift - BIN_BITS))
    for (const extent of bin.extents) {
      const words = this.wordsOf([extent])
      finer.add(inOrder(words, startsOf(words)))
    }
    return finer
  }

  private sorted(bins: readonly Bin[]): KeyedCells {
    const words = this.wordsOf(bins.flatMap((bin) => bin.extents))
    const starts = startsOf(words)
    const order = sortByKey(starts.map((at) => words[at + 1]!))
    return inOrder(words, order.map((c) => starts[c]!))
  }

  private wordsOf(extents: readonly { at: number; words: number }[]): Uint32Array {
    const out = new Uint32Array(extents.reduce((n, extent) => n + extent.words, 0))
    let to = 0
    for (const { at, words } of extents) {
      this.file.read(at, new Uint8Array(out.buffer, 4 * to, 4 * words))
      to += words
    }
    return out
  }

  private keep({ numbers, keys, types, offsets, nodes }: KeyedCells): Run {
    const arrays = [numbers, keys, types, offsets, nodes]
    const at = arrays.map((array) => this.file.append(new Uint8Array(array.buffer, array.byteOffset, array.byteLength)))
    return { at, cells: numbers.length, nodes: nodes.length }
  }

  private readBack({ at, cells, nodes }: Run): KeyedCells {
    const out = emptyCells(cells, nodes)
    ;[out.numbers, out.keys, out.types, out.offsets, out.nodes].forEach((array, i) => this.file.read(at[i]!, new Uint8Array(array.buffer)))
    return out
  }
}

/** A sorted group in the scratch file: where each of its arrays stands. */
interface Run {
  at: number[]
  cells: number
  nodes: number
}

/** Where the record of each cell begins. */
function startsOf(words: Uint32Array): Uint32Array {
  const starts = new Growing(Uint32Array)
  for (let at = 0; at < words.length; at += HEAD + (words[at + 2]! >>> 8)) starts.push(at)
  return starts.finish()
}

function emptyCells(n: number, nNodes: number): KeyedCells {
  return { numbers: new Uint32Array(n), keys: new Uint32Array(n), types: new Uint8Array(n), offsets: new Uint32Array(n + 1), nodes: new Uint32Array(nNodes) }
}

/** The cells whose records begin there, in that order. */
function inOrder(words: Uint32Array, starts: Uint32Array): KeyedCells {
  const { numbers, keys, types, offsets, nodes } = emptyCells(starts.length, words.length - HEAD * starts.length)
  let to = 0
  for (let i = 0; i < starts.length; i++) {
    const at = starts[i]!
    const head = words[at + 2]!
    numbers[i] = words[at]!
    keys[i] = words[at + 1]!
    types[i] = head & 255
    for (let n = at + HEAD, end = n + (head >>> 8); n < end; n++) nodes[to++] = words[n]!
    offsets[i + 1] = to
  }
  return { numbers, keys, types, offsets, nodes }
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
