/**
 * Cells as records, dealt into bins by bits of their key and sorted by it; see `store/cellSort.ts`.
 *
 * A record is a run of u32 words: number, key, type | nodes << 8, then its nodes.
 */
import { alloc, mark, release } from './memory'

const HEAD: u32 = 3
const KEY: usize = 4
const TYPE: usize = 8
const DIGIT_BITS: u32 = 10
const KEY_BITS: u32 = 30

// @ts-ignore: decorator
@external("env", "flush")
declare function flush(bin: u32): void

/**
 * @param numbers  of the cells, or 0: \`first\` and those behind it
 * @param bins     of each: words used, cells; the host empties one that is full
 * @param buffers  of each bin, `room` words; a record must fit in
 */
export function dealCells(
  types: usize, offsets: usize, nodes: usize, numbers: usize, first: u32, keys: usize, nCells: u32, shift: u32,
  mask: u32, bins: usize, buffers: usize, room: u32,
): void {
  for (let c: u32 = 0; c < nCells; c++) {
    const at4 = <usize>c << 2
    const start = load<u32>(offsets + at4)
    const n = load<u32>(offsets + at4, 4) - start
    const key = load<u32>(keys + at4)
    const bin = (key >>> shift) & mask
    const entry = bins + (<usize>bin << 3)
    if (HEAD + n > room) unreachable()
    if (load<u32>(entry) + HEAD + n > room) flush(bin)
    const used = load<u32>(entry)
    const to = buffers + ((<usize>bin * room + used) << 2)
    store<u32>(to, numbers ? load<u32>(numbers + at4) : first + c)
    store<u32>(to, key, KEY)
    store<u32>(to, <u32>load<u8>(types + c) | (n << 8), TYPE)
    memory.copy(to + 4 * HEAD, nodes + (<usize>start << 2), <usize>n << 2)
    store<u32>(entry, used + HEAD + n)
    store<u32>(entry, load<u32>(entry, 4) + 1, 4)
  }
}

/** Records in the order of their keys, equal ones as they came, taken apart into arrays. */
export function sortRecords(words: usize, nCells: u32, numbers: usize, keys: usize, types: usize, offsets: usize, nodes: usize): void {
  const before = mark()
  const starts = alloc(4 * <usize>nCells)
  const sorted = alloc(4 * <usize>nCells)
  for (let c: u32 = 0, at = words; c < nCells; c++) {
    store<u32>(starts + (<usize>c << 2), <u32>at)
    store<u32>(keys + (<usize>c << 2), load<u32>(at, KEY))
    at += (HEAD + (load<u32>(at, TYPE) >>> 8)) << 2
  }
  orderByKey(keys, nCells, sorted)
  let to = nodes
  store<u32>(offsets, 0)
  for (let i: u32 = 0; i < nCells; i++) {
    const at4 = <usize>i << 2
    const at = <usize>load<u32>(starts + (<usize>load<u32>(sorted + at4) << 2))
    const head = load<u32>(at, TYPE)
    const bytes = <usize>(head >>> 8) << 2
    store<u32>(numbers + at4, load<u32>(at))
    store<u32>(keys + at4, load<u32>(at, KEY))
    store<u8>(types + i, <u8>head)
    memory.copy(to, at + 4 * HEAD, bytes)
    to += bytes
    store<u32>(offsets + at4, <u32>((to - nodes) >>> 2), 4)
  }
  release(before)
}

/** Numbers of keys in their order; equal ones stay in theirs. By digits, the lowest first. */
export function orderByKey(keys: usize, n: u32, order: usize): void {
  const before = mark()
  let from = alloc(4 * <usize>n)
  let to = order
  const counts = alloc(4 << DIGIT_BITS)
  const mask: u32 = (1 << DIGIT_BITS) - 1
  for (let i: u32 = 0; i < n; i++) store<u32>(from + (<usize>i << 2), i)
  // three digits: the last run ends in `order`
  for (let shift: u32 = 0; shift < KEY_BITS; shift += DIGIT_BITS) {
    memory.fill(counts, 0, 4 << DIGIT_BITS)
    for (let i: u32 = 0; i < n; i++) {
      const count = counts + (<usize>((load<u32>(keys + (<usize>i << 2)) >>> shift) & mask) << 2)
      store<u32>(count, load<u32>(count) + 1)
    }
    let sum: u32 = 0
    for (let d: usize = 0; d <= mask; d++) {
      const count = load<u32>(counts + (d << 2))
      store<u32>(counts + (d << 2), sum)
      sum += count
    }
    for (let i: u32 = 0; i < n; i++) {
      const entry = load<u32>(from + (<usize>i << 2))
      const count = counts + (<usize>((load<u32>(keys + (<usize>entry << 2)) >>> shift) & mask) << 2)
      const place = load<u32>(count)
      store<u32>(count, place + 1)
      store<u32>(to + (<usize>place << 2), entry)
    }
    const other = from
    from = to
    to = other
  }
  release(before)
}
