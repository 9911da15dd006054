/** What a block is made of besides its cells: its own numbering of points, boxes and ranges of its groups. */
import { alloc, mark, release } from './memory'

const GOLDEN: u32 = 0x9e3779b1
/** Numbers near each other stay near each other in the table: the lower bits are kept. */
const NEAR_BITS: u32 = 4
/** 16 KB: half of a core's first cache. */
const RECENT_BITS: u32 = 11

/**
 * Replaces numbers by their places among all different ones, in the order in which they come first.
 *
 * @param list  filled with the different numbers, room for n
 * @returns how many different numbers there are
 */
export function numberPoints(nodes: usize, n: u32, list: usize): u32 {
  // numbers and their places as they were last asked for: cells in a row use the same points
  const recent = alloc(8 << RECENT_BITS)
  memory.fill(recent, 0, 8 << RECENT_BITS)
  // 0 belongs to the first entry alone, 1 to another one
  store<u32>(recent, 1)
  const before = mark()
  let bits: u32 = 12
  let table = emptyTable(bits)
  let length: u32 = 0
  for (let i: u32 = 0; i < n; i++) {
    const number = load<u32>(nodes + (<usize>i << 2))
    const entry = recent + (<usize>((number * GOLDEN) >>> (32 - RECENT_BITS)) << 3)
    if (load<u32>(entry) === number) {
      store<u32>(nodes + (<usize>i << 2), load<u32>(entry, 4))
      continue
    }
    const place = placeIn(table, bits, number, length, list)
    store<u32>(nodes + (<usize>i << 2), place)
    store<u32>(entry, number)
    store<u32>(entry, place, 4)
    if (place < length) continue
    if (++length << 1 < 1 << bits) continue
    // half full: a larger one in its place
    release(before)
    bits += 2
    table = emptyTable(bits)
    for (let k: u32 = 0; k < length; k++) placeIn(table, bits, load<u32>(list + (<usize>k << 2)), k, list)
  }
  release(recent)
  return length
}

function emptyTable(bits: u32): usize {
  const table = alloc(<usize>4 << bits)
  memory.fill(table, 0, <usize>4 << bits)
  return table
}

/** Entries are place + 1. @returns `next` for a number that is new */
// @ts-ignore: decorator
@inline
function placeIn(table: usize, bits: u32, number: u32, next: u32, list: usize): u32 {
  const mask: u32 = (1 << bits) - 1
  let at = ((((number >>> NEAR_BITS) * GOLDEN) >>> (32 - bits + NEAR_BITS)) << NEAR_BITS) | (number & ((1 << NEAR_BITS) - 1))
  for (;;) {
    const entry = load<u32>(table + (<usize>at << 2))
    if (!entry) break
    if (load<u32>(list + (<usize>entry << 2) - 4) === number) return entry - 1
    at = (at + 1) & mask
  }
  store<u32>(table + (<usize>at << 2), next + 1)
  store<u32>(list + (<usize>next << 2), number)
  return next
}

/** Box of points [from, to), or of those that nodes [from, to) are: f64 (6), lower corner, then upper. */
// @ts-ignore: decorator
@inline
function boxOf<T>(points: usize, nodes: usize, from: u32, to: u32, out: usize): void {
  let x0 = Infinity, y0 = Infinity, z0 = Infinity, x1 = -Infinity, y1 = -Infinity, z1 = -Infinity
  for (let i = from; i < to; i++) {
    const p = points + <usize>(nodes ? load<u32>(nodes + (<usize>i << 2)) : i) * (3 * sizeof<T>())
    const x = <f64>load<T>(p), y = <f64>load<T>(p + sizeof<T>()), z = <f64>load<T>(p + 2 * sizeof<T>())
    if (x < x0) x0 = x
    if (x > x1) x1 = x
    if (y < y0) y0 = y
    if (y > y1) y1 = y
    if (z < z0) z0 = z
    if (z > z1) z1 = z
  }
  store<f64>(out, x0)
  store<f64>(out, y0, 8)
  store<f64>(out, z0, 16)
  store<f64>(out, x1, 24)
  store<f64>(out, y1, 32)
  store<f64>(out, z1, 40)
}

/**
 * The nodes of each group of cells, once each.
 *
 * @param starts  filled, u32 (nGroups + 1)
 * @param out     filled, room for all nodes
 * @returns how many stand in `out`
 */
export function groupNodes(offsets: usize, nodes: usize, nCells: u32, nPoints: u32, group: u32, starts: usize, out: usize): u32 {
  const before = mark()
  const last = alloc(4 * <usize>nPoints)
  memory.fill(last, 0, 4 * <usize>nPoints)
  let length: u32 = 0
  let stamp: u32 = 1
  for (let c: u32 = 0; c < nCells; c += group, stamp++, starts += 4) {
    store<u32>(starts, length)
    const end = load<u32>(offsets + (<usize>min(c + group, nCells) << 2))
    for (let i = load<u32>(offsets + (<usize>c << 2)); i < end; i++) {
      const node = load<u32>(nodes + (<usize>i << 2))
      if (load<u32>(last + (<usize>node << 2)) === stamp) continue
      store<u32>(last + (<usize>node << 2), stamp)
      store<u32>(out + (<usize>length << 2), node)
      length++
    }
  }
  store<u32>(starts, length)
  release(before)
  return length
}

/** Boxes of groups of nodes, f32 (6 × nGroups): x0 x1 y0 y1 z0 z1, rounded outwards. */
// @ts-ignore: decorator
@inline
function boxes<T>(points: usize, starts: usize, nodes: usize, nGroups: u32, out: usize): void {
  const before = mark()
  const box = alloc(48)
  for (let g: u32 = 0; g < nGroups; g++, starts += 4) {
    boxOf<T>(points, nodes, load<u32>(starts), load<u32>(starts, 4), box)
    for (let d: usize = 0; d < 24; d += 8, out += 8) {
      store<f32>(out, below(load<f64>(box + d)))
      store<f32>(out, above(load<f64>(box + d + 24)), 4)
    }
  }
  release(before)
}

function below(x: f64): f32 {
  const f = <f32>x
  return <f64>f <= x ? f : <f32>(x - Math.abs(x) * 2e-7)
}

function above(x: f64): f32 {
  const f = <f32>x
  return <f64>f >= x ? f : <f32>(x + Math.abs(x) * 2e-7)
}

export function groupBoxesSingle(points: usize, starts: usize, nodes: usize, nGroups: u32, out: usize): void {
  boxes<f32>(points, starts, nodes, nGroups, out)
}

export function groupBoxesDouble(points: usize, starts: usize, nodes: usize, nGroups: u32, out: usize): void {
  boxes<f64>(points, starts, nodes, nGroups, out)
}

/** Size of each item: itself, or the magnitude of a vector or tensor (six components: symmetric), f64. */
// @ts-ignore: decorator
@inline
function sizes<T>(values: usize, n: u32, components: u32, out: usize): void {
  for (let i: u32 = 0; i < n; i++, out += 8) {
    if (components === 1) {
      store<f64>(out, <f64>load<T>(values))
      values += sizeof<T>()
      continue
    }
    let sum: f64 = 0
    for (let c: u32 = 0; c < components; c++, values += sizeof<T>()) {
      const x = <f64>load<T>(values)
      sum += <f64>(components === 6 && c >= 3 ? 2 : 1) * x * x
    }
    store<f64>(out, Math.sqrt(sum))
  }
}

export function sizesSingle(values: usize, n: u32, components: u32, out: usize): void {
  sizes<f32>(values, n, components, out)
}

export function sizesDouble(values: usize, n: u32, components: u32, out: usize): void {
  sizes<f64>(values, n, components, out)
}

/** Smallest and largest finite number, and how many are not finite: f64 (3). Infinities the wrong way round where none is. */
export function extremes(numbers: usize, n: u32, out: usize): void {
  let low = Infinity, high = -Infinity
  let nonFinite: u32 = 0
  for (let i: u32 = 0; i < n; i++) {
    const x = load<f64>(numbers + (<usize>i << 3))
    // true for finite ones only: infinities and not-a-number give not-a-number
    if (x - x === 0) {
      if (x < low) low = x
      if (x > high) high = x
    } else nonFinite++
  }
  store<f64>(out, low)
  store<f64>(out, high, 8)
  store<f64>(out, <f64>nonFinite, 16)
}

export function boxSingle(points: usize, n: u32, out: usize): void {
  boxOf<f32>(points, 0, 0, n, out)
}

export function boxDouble(points: usize, n: u32, out: usize): void {
  boxOf<f64>(points, 0, 0, n, out)
}

/**
 * Smallest and largest size of each group, f64 (2 × nGroups).
 *
 * @param nodes  of the groups; 0 where their items follow one another
 */
export function groupRanges(sizes: usize, starts: usize, nodes: usize, nGroups: u32, out: usize): void {
  for (let g: u32 = 0; g < nGroups; g++, starts += 4, out += 16) {
    let low = Infinity, high = -Infinity
    const to = load<u32>(starts, 4)
    for (let i = load<u32>(starts); i < to; i++) {
      const x = load<f64>(sizes + (<usize>(nodes ? load<u32>(nodes + (<usize>i << 2)) : i) << 3))
      if (x < low) low = x
      if (x > high) high = x
    }
    store<f64>(out, low)
    store<f64>(out, high, 8)
  }
}
