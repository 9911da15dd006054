/** Volumes of linear cells and integrals over them, by their tetrahedra; see `measure/integrateCells.ts` for the method. */
import { nodesOf } from './cells'
import { ids, splitOf } from './splits'

/** Corners of the cell at hand, and the share of its volume that each node carries. */
const corners = memory.data(8 * 3 * 8)
const shares = memory.data(8 * 8)

// @ts-ignore: decorator
@inline
function loadCell(nodes: usize, n: u32, points: usize, numbers: usize): void {
  for (let i: usize = 0, at = corners; i < n; i++, at += 24) {
    const node = <usize>load<u32>(nodes + (i << 2))
    const p = points + 24 * node
    store<f64>(at, load<f64>(p))
    store<f64>(at, load<f64>(p, 8), 8)
    store<f64>(at, load<f64>(p, 16), 16)
    store<u32>(ids + (i << 2), load<u32>(numbers + (node << 2)))
    store<f64>(shares + (i << 3), 0)
  }
}

/** Fills `shares`. @returns the volume of the cell */
// @ts-ignore: decorator
@inline
function loadShares(type: u8, nodes: usize, points: usize, numbers: usize, tables: usize): f64 {
  loadCell(nodes, nodesOf(type), points, numbers)
  let entry = splitOf(type, tables)
  const n = load<u8>(entry++)
  // every tetrahedron of a cell has the cell's apex as its first node
  const apex = <usize>load<u8>(entry)
  const a = corners + 24 * apex
  const ax = load<f64>(a), ay = load<f64>(a, 8), az = load<f64>(a, 16)
  let volume: f64 = 0
  for (let t: u8 = 0; t < n; t++, entry += 4) {
    const b = <usize>load<u8>(entry, 1), c = <usize>load<u8>(entry, 2), d = <usize>load<u8>(entry, 3)
    const atB = corners + 24 * b, atC = corners + 24 * c, atD = corners + 24 * d
    const bx = load<f64>(atB) - ax, by = load<f64>(atB, 8) - ay, bz = load<f64>(atB, 16) - az
    const cx = load<f64>(atC) - ax, cy = load<f64>(atC, 8) - ay, cz = load<f64>(atC, 16) - az
    const dx = load<f64>(atD) - ax, dy = load<f64>(atD, 8) - ay, dz = load<f64>(atD, 16) - az
    // divided once at the end: the volume of a plain box comes out exact
    const sixfold = bx * (cy * dz - cz * dy) + by * (cz * dx - cx * dz) + bz * (cx * dy - cy * dx)
    volume += sixfold
    const share = sixfold / 24
    store<f64>(shares + (b << 3), load<f64>(shares + (b << 3)) + share)
    store<f64>(shares + (c << 3), load<f64>(shares + (c << 3)) + share)
    store<f64>(shares + (d << 3), load<f64>(shares + (d << 3)) + share)
  }
  store<f64>(shares + (apex << 3), volume / 24)
  return volume / 6
}

/**
 * @param points   f64 (3 × nPoints)
 * @param numbers  of points, u32 (nPoints): they decide how cells are split
 * @param tables   as `packedSplits`
 * @param volumes  filled, f64 (nCells)
 * @param each     filled with the share of its cell's volume that each node carries, f64 (nodes); 0 where that is not wanted
 */
export function cellVolumes(
  points: usize, types: usize, offsets: usize, nodes: usize, numbers: usize, tables: usize, nCells: u32,
  volumes: usize, each: usize,
): void {
  for (let c: u32 = 0; c < nCells; c++, offsets += 4, volumes += 8) {
    const type = load<u8>(types + c)
    const start = <usize>load<u32>(offsets)
    store<f64>(volumes, loadShares(type, nodes + (start << 2), points, numbers, tables))
    if (each) memory.copy(each + (start << 3), shares, <usize>nodesOf(type) << 3)
  }
}

/** Adds x to a compensated sum (Neumaier): f64 total, f64 lost. */
// @ts-ignore: decorator
@inline
function add(sum: usize, x: f64): void {
  const total = load<f64>(sum)
  const t = total + x
  store<f64>(sum, load<f64>(sum, 8) + (abs(total) >= abs(x) ? total - t + x : x - t + total), 8)
  store<f64>(sum, t)
}

/** Adds the share of a value to each component. @returns its magnitude */
// @ts-ignore: decorator
@inline
function addShare(part: usize, value: usize, share: f64, components: u32): f64 {
  let square: f64 = 0
  for (let d: u32 = 0; d < components; d++, part += 8, value += 8) {
    const x = load<f64>(value)
    store<f64>(part, load<f64>(part) + share * x)
    square += (components === 6 && d >= 3 ? 2 : 1) * x * x
  }
  return sqrt(square)
}

/**
 * Totals of cells, those of which a value is not finite left out and counted.
 *
 * @param values  f64 (components × points or cells)
 * @param first   number of the first cell among those with values
 * @param out     f64: smallest and largest magnitude, cells left out, then sums of total and lost: measure, measure left out, one for each
 *                component; then room for one number a component. All 0 but the extremes
 */
export function integrateLinear(
  points: usize, types: usize, offsets: usize, nodes: usize, numbers: usize, tables: usize, nCells: u32, values: usize,
  components: u32, isPoint: bool, first: u32, out: usize,
): void {
  const measure = out + 24, skipped = out + 40, sums = out + 56, part = sums + 16 * <usize>components
  const size = <usize>components << 3
  let lowest = load<f64>(out), highest = load<f64>(out, 8), left = load<f64>(out, 16)
  for (let c: u32 = 0; c < nCells; c++, offsets += 4) {
    const type = load<u8>(types + c)
    const own = nodes + (<usize>load<u32>(offsets) << 2)
    const volume = loadShares(type, own, points, numbers, tables)
    const n = isPoint ? nodesOf(type) : 1
    let low: f64 = Infinity, high: f64 = -Infinity, whole: f64 = 0
    for (let d: usize = 0; d < size; d += 8) store<f64>(part + d, 0)
    for (let i: u32 = 0; i < n; i++) {
      const at = values + <usize>(isPoint ? load<u32>(own + (<usize>i << 2)) : first + c) * size
      const share = isPoint ? load<f64>(shares + (<usize>i << 3)) : volume
      let x = load<f64>(at)
      if (components === 1) whole += share * x
      else x = addShare(part, at, share, components)
      if (x < low) low = x
      if (x > high) high = x
    }
    if (components === 1) store<f64>(part, whole)
    else for (let d: usize = 0; d < size; d += 8) whole += load<f64>(part + d)
    // infinities and not-a-number only: they alone differ from themselves
    if (whole - whole != 0) {
      left += 1
      add(skipped, volume)
      continue
    }
    add(measure, volume)
    for (let d: u32 = 0; d < components; d++) add(sums + (<usize>d << 4), load<f64>(part + (<usize>d << 3)))
    if (low < lowest) lowest = low
    if (high > highest) highest = high
  }
  store<f64>(out, lowest)
  store<f64>(out, highest, 8)
  store<f64>(out, left, 16)
}
