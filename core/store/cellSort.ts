/**
 * Sorts the cells of a mesh that does not fit into memory along the curve: cells are dealt into bins by the upper bits of
 * their keys, bins are read back in order, as many at a time as memory allows, and sorted there.
 *
 * A cell is a run of words in the scratch file: number, key, type | nodes << 8, then its nodes.
 */
import { Kernels } from '../kernels/Kernels'
import { LOT_CELLS, offsetsFrom, putOffsets } from '../mesh/cornerLots'
import { KEY_BITS } from '../mesh/curveOrder'
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

/** What was written of a bin. */
interface Bin {
  cells: number
  words: number
  extents: { at: number; words: number }[]
  /** The bin dealt out by its next bits, where it is too full. */
  finer?: CellSort
}

export class CellSort {
  private readonly bins: Bin[] = Array.from({ length: 2 ** BIN_BITS }, () => ({ cells: 0, words: 0, extents: [] }))
  /** Holds the buffers of the bins until all cells are there. */
  private kernels: Kernels | undefined
  private at = { bins: 0, buffers: 0 }

  /**
   * @param groupCells  cells that are sorted in memory at a time
   * @param shift       bits of the key below those that choose the bin
   */
  constructor(
    private readonly file: ScratchFile,
    private readonly groupCells: number,
    private readonly shift = KEY_BITS - BIN_BITS,
  ) {}

  add({ numbers, keys, types, offsets, nodes }: KeyedCells): void {
    const kernels = (this.kernels ??= this.open())
    const { bins, buffers } = this.at
    for (let from = 0; from < numbers.length; from += LOT_CELLS) {
      const to = Math.min(from + LOT_CELLS, numbers.length)
      kernels.within(() => {
        const own = [kernels.put(types.subarray(from, to)), putOffsets(kernels, offsets, from, to), kernels.put(nodes.subarray(offsets[from], offsets[to])), kernels.put(numbers.subarray(from, to)), kernels.put(keys.subarray(from, to))]
        kernels.run.dealCells(...own, to - from, this.shift, 2 ** BIN_BITS - 1, bins, buffers, BUFFER_WORDS)
      })
    }
  }

  private open(): Kernels {
    const kernels = new Kernels({ flush: (bin) => this.flush(kernels, bin) })
    this.at = { bins: kernels.put(new Uint32Array(2 * this.bins.length)), buffers: kernels.take(Uint32Array, this.bins.length * BUFFER_WORDS) }
    return kernels
  }

  private flush(kernels: Kernels, k: number): void {
    const entry = kernels.view(Uint32Array, this.at.bins + 8 * k, 2)
    const [words, cells] = entry as unknown as [number, number]
    if (!words) return
    const bin = this.bins[k]!
    const bytes = kernels.view(Uint8Array, this.at.buffers + 4 * k * BUFFER_WORDS, 4 * words)
    bin.extents.push({ at: this.file.append(bytes), words })
    bin.words += words
    bin.cells += cells
    entry.fill(0)
  }

  /**
   * All cells in the order of the curve, in groups: of a multiple of `grain` cells each, but for the last one. A group is good until
   * the next one is asked for.
   */
  *groups(grain = 1): Generator<KeyedCells> {
    this.close()
    const kernels = new Kernels()
    let rest = new Uint32Array(0)
    let nRest = 0
    const runs = [...this.runs()]
    for (const [i, { bins, cells }] of runs.entries()) {
      const before = kernels.run.mark()
      const all = this.sorted(kernels, bins, cells + nRest, rest)
      const kept = i === runs.length - 1 ? all.numbers.length : Math.floor(all.numbers.length / grain) * grain
      rest = recordsOf(all, kept)
      nRest = all.numbers.length - kept
      if (kept) yield partOfCells(all, 0, kept)
      kernels.run.release(before)
    }
  }

  /** No cell is to come: what waits in the buffers is written. */
  private close(): void {
    const { kernels } = this
    if (kernels) this.bins.forEach((_, k) => this.flush(kernels, k))
    this.kernels = undefined
  }

  /** Bins that are sorted together. */
  private *runs(): Generator<{ bins: Bin[]; cells: number }> {
    let run: { bins: Bin[]; cells: number } = { bins: [], cells: 0 }
    for (const bin of this.bins) {
      if (!bin.cells) continue
      const isTooFull = bin.cells > this.groupCells && this.shift > 0
      if (run.cells && (isTooFull || run.cells + bin.cells > this.groupCells)) {
        yield run
        run = { bins: [], cells: 0 }
      }
      if (isTooFull) {
        yield* (bin.finer ??= this.divided(bin)).runs()
        continue
      }
      run.bins.push(bin)
      run.cells += bin.cells
    }
    if (run.cells) yield run
  }

  /** A bin that is too full, dealt out by its next bits. */
  private divided(bin: Bin): CellSort {
    const finer = new CellSort(this.file, this.groupCells, Math.max(0, this.shift - BIN_BITS))
    const kernels = new Kernels()
    for (const extent of bin.extents) {
      kernels.within(() => {
        const piece = { cells: 0, words: extent.words, extents: [extent] }
        finer.add(this.sorted(kernels, [piece], undefined, new Uint32Array(0)))
      })
    }
    finer.close()
    return finer
  }

  /** @param before  records that come first; @param cells  counted when absent */
  private sorted(kernels: Kernels, bins: readonly Bin[], cells: number | undefined, before: Uint32Array): KeyedCells {
    const nWords = before.length + bins.reduce((n, bin) => n + bin.words, 0)
    const words = kernels.take(Uint32Array, nWords)
    kernels.view(Uint32Array, words, before.length).set(before)
    let to = words + before.byteLength
    for (const extent of bins.flatMap((bin) => bin.extents)) {
      this.file.read(extent.at, kernels.view(Uint8Array, to, 4 * extent.words))
      to += 4 * extent.words
    }
    const n = cells ?? countOf(kernels.view(Uint32Array, words, nWords))
    const nNodes = nWords - HEAD * n
    const [numbers, keys, types, offsets, nodes] = [kernels.take(Uint32Array, n), kernels.take(Uint32Array, n), kernels.take(Uint8Array, n), kernels.take(Uint32Array, n + 1), kernels.take(Uint32Array, nNodes)] as const
    kernels.run.sortRecords(words, n, numbers, keys, types, offsets, nodes)
    return {
      numbers: kernels.view(Uint32Array, numbers, n),
      keys: kernels.view(Uint32Array, keys, n),
      types: kernels.view(Uint8Array, types, n),
      offsets: kernels.view(Uint32Array, offsets, n + 1),
      nodes: kernels.view(Uint32Array, nodes, nNodes),
    }
  }
}

function countOf(words: Uint32Array): number {
  let n = 0
  for (let at = 0; at < words.length; at += HEAD + (words[at + 2]! >>> 8)) n++
  return n
}

/** The records of cells from `first` on. */
function recordsOf({ numbers, keys, types, offsets, nodes }: KeyedCells, first: number): Uint32Array<ArrayBuffer> {
  const n = numbers.length
  const words = new Uint32Array(HEAD * (n - first) + nodes.length - offsets[first]!)
  for (let c = first, at = 0; c < n; c++) {
    words[at++] = numbers[c]!
    words[at++] = keys[c]!
    words[at++] = types[c]! | ((offsets[c + 1]! - offsets[c]!) << 8)
    for (let i = offsets[c]!; i < offsets[c + 1]!; i++) words[at++] = nodes[i]!
  }
  return words
}

/** Cells [from, to) of a group. */
export function partOfCells({ numbers, keys, types, offsets, nodes }: KeyedCells, from: number, to: number): KeyedCells {
  const first = offsets[from]!
  return {
    numbers: numbers.subarray(from, to),
    keys: keys.subarray(from, to),
    types: types.subarray(from, to),
    offsets: offsetsFrom(offsets, from, to),
    nodes: nodes.subarray(first, offsets[to]),
  }
}
