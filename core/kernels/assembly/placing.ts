/** Cells turned the right way out and given their places along the curve in one go; see `store/CellPlacer.ts`. */
import { curvePlace, nodesOf, turn } from './cells'
import { alloc, mark, release } from './memory'
import { gather } from './points'

const MOST_NODES: usize = 8

/**
 * @param corner  lower corner of the box of all cells, f64 (3), and places on an axis per length
 * @param keys    filled, u32 (nCells)
 * @param turned  counts the cells that were mirrored, u32
 * @returns place of the first cell that is no volume, has not its number of nodes or a point out of range; or nCells
 */
// @ts-ignore: decorator
@inline
function place<T>(
  pages: usize, touched: usize, nPoints: u32, types: usize, offsets: usize, nodes: usize, nCells: u32, corner: usize,
  steps: usize, keys: usize, turned: usize,
): u32 {
  const before = mark()
  const corners = alloc(24 * MOST_NODES)
  const x0 = load<f64>(corner), y0 = load<f64>(corner, 8), z0 = load<f64>(corner, 16), scale = load<f64>(corner, 24)
  let mirrored = load<u32>(turned)
  let c: u32 = 0
  for (; c < nCells; c++, offsets += 4, keys += 4) {
    const type = load<u8>(types + c)
    const start = load<u32>(offsets)
    const n = load<u32>(offsets, 4) - start
    const own = nodes + (<usize>start << 2)
    if (!n || n !== nodesOf(type) || gather<T, f64>(pages, touched, nPoints, own, n, corners) < n) break
    if (turn(type, corners, own)) mirrored++
    store<u32>(keys, curvePlace(corners, n, x0, y0, z0, scale, steps))
  }
  store<u32>(turned, mirrored)
  release(before)
  return c
}

export function placeSingle(
  pages: usize, touched: usize, nPoints: u32, types: usize, offsets: usize, nodes: usize, nCells: u32, corner: usize,
  steps: usize, keys: usize, turned: usize,
): u32 {
  return place<f32>(pages, touched, nPoints, types, offsets, nodes, nCells, corner, steps, keys, turned)
}

export function placeDouble(
  pages: usize, touched: usize, nPoints: u32, types: usize, offsets: usize, nodes: usize, nCells: u32, corner: usize,
  steps: usize, keys: usize, turned: usize,
): u32 {
  return place<f64>(pages, touched, nPoints, types, offsets, nodes, nCells, corner, steps, keys, turned)
}
