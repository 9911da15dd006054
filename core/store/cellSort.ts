/**
 * Sorts the cells of a mesh that does not fit into memory along the curve: cells are dealt into bins by the upper bits of
 * their keys, bins are read back in order, as many at a time as memory allows, and sorted there.
 *
 * A cell is a run of words in the scratch file: number, key, type | nodes << 8, then its nodes.
 */
import { Kernels } from '../kernels/Kernels'
import { offsetsFrom } from '../mesh/cornerLots'
import type { CellLot } from '../mesh/cornerLots'
import { KEY_BITS } from '../mesh/curveOrder'
import type { ScratchFile } from '../scratch'

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

type SortedLot = KeyedLot & { numbers: number }

/** What was written of a bin. */
interface Bin {
  cells: number
  words: number
  extents: { at: number; words: number }[]
  /** The bin dealt out by its next bits, where it is too full. */
  finer?: CellSort
}

/** Addresses of cells and their keys in the memory of the kernels. */
export interface KeyedLot extends CellLot {
  keys: number
  /** Address of the numbers of the cells; or the number of the first of consecutive cells. */
  numbers: number | { first: number }
}

export class CellSort {
  private readonly bins: Bin[] = Array.from({ length: 2 ** BIN_BITS }, () => ({ cells: 0, words: 0, extents: [] }))
  private readonly at: { bins: number; buffers: number }
  /** Hold cells to be added and the buffers of the bins until all cells are there. */
  private kernels: Kernels | undefined

  /**
   * @param groupCells  cells that are sorted in memory at a time
   * @param kernels     with this as their `flush`
   * @param shift       bits of the key below those that choose the bin
   */
  constructor(
    private readonly file: ScratchFile,
    private readonly groupCells: number,
    kernels: Kernels,
    private readonly shift = KEY_BITS - BIN_BITS,
  ) {
    this.kernels = kernels
    this.at = {
      bins: kernels.put(new Uint32Array(2 * this.bins.length)),
      buffers: kernels.take(Uint32Array, this.bins.length * BUFFER_WORDS),
    }
  }

  add(lot: KeyedLot): void {
    deal(this.kernels!, lot, this.shift, 2 ** BIN_BITS - 1, { ...this.at, room: BUFFER_WORDS })
  }

  /** Writes what waits in the buffer of a bin. */
  flush(k: number): void {
    const kernels = this.kernels!
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
      const kept = i === runs.length - 1 ? all.n : Math.floor(all.n / grain) * grain
      rest = kernels.within(() => recordsOf(kernels, all, kept))
      nRest = all.n - kept
      if (kept) yield viewOf(kernels, all, kept)
      kernels.run.release(before)
    }
  }

  /** No cell is to come: what waits in the buffers is written. */
  private close(): void {
    if (this.kernels) for (const k of this.bins.keys()) this.flush(k)
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
    const kernels: Kernels = new Kernels({ flush: (k) => finer.flush(k) })
    const finer = new CellSort(this.file, this.groupCells, kernels, Math.max(0, this.shift - BIN_BITS))
    for (const extent of bin.extents) {
      kernels.within(() =>
        finer.add(this.sorted(kernels, [{ cells: 0, words: extent.words, extents: [extent] }], undefined, new Uint32Array(0))),
      )
    }
    finer.close()
    return finer
  }

  /** @param before  records that come first; @param cells  counted when absent */
  private sorted(kernels: Kernels, bins: readonly Bin[], cells: number | undefined, before: Uint32Array): SortedLot {
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
    const [numbers, keys, types, offsets, nodes] = [
      kernels.take(Uint32Array, n),
      kernels.take(Uint32Array, n),
      kernels.take(Uint8Array, n),
      kernels.take(Uint32Array, n + 1),
      kernels.take(Uint32Array, nNodes),
    ] as const
    kernels.run.sortRecords(words, n, numbers, keys, types, offsets, nodes)
    return { numbers, keys, types, offsets, nodes, n }
  }
}

function countOf(words: Uint32Array): number {
  let n = 0
  for (let at = 0; at < words.length; at += HEAD + (words[at + 2]! >>> 8)) n++
  return n
}

/** Deals cells out by bits of their keys. @param room  words of a buffer */
function deal(
  kernels: Kernels,
  { types, offsets, nodes, keys, n, numbers }: KeyedLot,
  shift: number,
  mask: number,
  { bins, buffers, room }: { bins: number; buffers: number; room: number },
): void {
  const [own, first] = typeof numbers === 'number' ? [numbers, 0] : [0, numbers.first]
  kernels.run.dealCells(types, offsets, nodes, own, first, keys, n, shift, mask, bins, buffers, room)
}

/** The records of cells from `first` on. */
function recordsOf(kernels: Kernels, { numbers, keys, types, offsets, nodes, n }: SortedLot, first: number): Uint32Array<ArrayBuffer> {
  const ends = kernels.view(Uint32Array, offsets, n + 1)
  const words = HEAD * (n - first) + ends[n]! - ends[first]!
  const bin = kernels.put(new Uint32Array(2))
  const buffer = kernels.take(Uint32Array, words)
  // all of them into one bin that has room
  deal(
    kernels,
    { types: types + first, offsets: offsets + 4 * first, nodes, keys: keys + 4 * first, n: n - first, numbers: numbers + 4 * first },
    0,
    0,
    { bins: bin, buffers: buffer, room: words },
  )
  return kernels.view(Uint32Array, buffer, words).slice()
}

/** The first cells of a lot. */
function viewOf(kernels: Kernels, { numbers, keys, types, offsets, nodes }: SortedLot, n: number): KeyedCells {
  const ends = kernels.view(Uint32Array, offsets, n + 1)
  return {
    numbers: kernels.view(Uint32Array, numbers, n),
    keys: kernels.view(Uint32Array, keys, n),
    types: kernels.view(Uint8Array, types, n),
    offsets: ends,
    nodes: kernels.view(Uint32Array, nodes, ends[n]!),
  }
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
