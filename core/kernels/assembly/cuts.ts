/** Cuts through linear cells by their tetrahedra; see `shapes/cutCells.ts` for the method. */
import { nodesOf } from './cells'
import { ids, splitOf } from './splits'

/** A cell that is cut: its number, where its nodes stand, its type; u32 each. */
const LISTED: usize = 12
/** Bits of the sign of a point: at or above the level, not a number, on the level. */
const ABOVE: u8 = 1, NEITHER: u8 = 2, ON: u8 = 8
/** Bytes of an entry of the table of cases: how many ends of edges, and those. */
const CASE: usize = 13

/**
 * Lists points, each once.
 *
 * @param nodes     points, u32 (nNodes)
 * @param isListed  of points, u8
 * @param list      filled after the n that are in it, u32
 * @returns how many are in it
 */
export function listPoints(nodes: usize, nNodes: u32, isListed: usize, list: usize, n: u32): u32 {
  for (const end = nodes + (<usize>nNodes << 2); nodes < end; nodes += 4) {
    const p = load<u32>(nodes)
    // written in any case: a branch that cannot be foretold takes longer
    store<u32>(list + (<usize>n << 2), p)
    n += 1 - load<u8>(isListed + p)
    store<u8>(isListed + p, 1)
  }
  return n
}

/**
 * Lists the cells that have points on both sides and at all of them a number.
 *
 * @param nodes  of the cells, of which the first begins at the first offset
 * @param first  number of the first cell
 * @param list   filled after the n that are in it
 * @returns how many are in it
 */
export function listCut(types: usize, offsets: usize, nodes: usize, first: u32, nCells: u32, signs: usize, list: usize, n: u32): u32 {
  const start = load<u32>(offsets)
  for (let c: u32 = 0; c < nCells; c++, offsets += 4) {
    const own = nodes + (<usize>(load<u32>(offsets) - start) << 2)
    const end = nodes + (<usize>(load<u32>(offsets, 4) - start) << 2)
    let any: u8 = 0, every: u8 = ABOVE
    for (let at = own; at < end; at += 4) {
      const sign = load<u8>(signs + <usize>load<u32>(at))
      any |= sign
      every &= sign
    }
    const type = load<u8>(types + <usize>c)
    if ((any & (ABOVE | NEITHER)) !== ABOVE || every || !nodesOf(type)) continue
    const at = list + LISTED * <usize>(n++)
    store<u32>(at, first + c)
    store<u32>(at, <u32>own, 4)
    store<u32>(at, type, 8)
  }
  return n
}

/** Ends of the edges that are crossed so far, pairs of u32, and the table of their numbers plus one, in which 0 is free. */
let ends: usize = 0, table: usize = 0, mask: u32 = 0, nPoints: u32 = 0

/**
 * @param list       cells as `listCut` leaves them
 * @param signs      of points, u8
 * @param numbers    of points, u32: they decide how cells are split
 * @param splits     as `packedSplits`
 * @param cases      of the signs of four nodes: pairs of nodes for the corners of triangles
 * @param crossings  filled with pairs of points, u32; equal where a point on the level is the crossing itself
 * @param slots      of a table for their numbers, cleared, u32 (nSlots): a power of two and more than there can be crossings
 * @param triangles  filled, u32 (3 a triangle)
 * @param cells      filled with the cell of each triangle, u32
 * @param counts     filled with the number of crossings and of triangles, u32
 */
export function cutListed(
  list: usize, n: u32, signs: usize, numbers: usize, splits: usize, cases: usize, crossings: usize, slots: usize, nSlots: u32,
  triangles: usize, cells: usize, counts: usize,
): void {
  ends = crossings
  table = slots
  mask = nSlots - 1
  nPoints = 0
  let nTriangles: u32 = 0
  for (; n > 0; n--, list += LISTED) {
    const cell = load<u32>(list), nodes = <usize>load<u32>(list, 4), type = load<u8>(list, 8)
    const size = <usize>nodesOf(type) << 2
    for (let i: usize = 0; i < size; i += 4) store<u32>(ids + i, load<u32>(numbers + (<usize>load<u32>(nodes + i) << 2)))
    let tetra = splitOf(type, splits)
    const last = tetra + 4 * <usize>load<u8>(tetra++)
    for (; tetra < last; tetra += 4) {
      let edge = cases
      for (let i: usize = 0; i < 4; i++) edge += CASE * <usize>(u32(load<u8>(signs + nodeAt(nodes, load<u8>(tetra + i))) & ABOVE) << <u32>i)
      const end = edge + 1 + load<u8>(edge)
      for (edge++; edge < end; edge += 6) {
        const i = crossing(signs, nodes, tetra, edge)
        const j = crossing(signs, nodes, tetra, edge + 2)
        const k = crossing(signs, nodes, tetra, edge + 4)
        // those that collapse to a point or line
        if (i === j || j === k || k === i) continue
        const at = triangles + 12 * <usize>nTriangles
        store<u32>(at, i)
        store<u32>(at, j, 4)
        store<u32>(at, k, 8)
        store<u32>(cells + (<usize>(nTriangles++) << 2), cell)
      }
    }
  }
  store<u32>(counts, nPoints)
  store<u32>(counts, nTriangles, 4)
}

// @ts-ignore: decorator
@inline
function nodeAt(nodes: usize, local: u8): usize {
  return <usize>load<u32>(nodes + (<usize>local << 2))
}

/** Number of the crossing of the edge between two nodes of a tetrahedron on different sides, which may be new. */
function crossing(signs: usize, nodes: usize, tetra: usize, edge: usize): u32 {
  const p = <u32>nodeAt(nodes, load<u8>(tetra + load<u8>(edge))), q = <u32>nodeAt(nodes, load<u8>(tetra + load<u8>(edge, 1)))
  let lo = min(p, q), hi = max(p, q)
  if (load<u8>(signs + p) & ON) lo = hi = p
  else if (load<u8>(signs + q) & ON) lo = hi = q
  const mixed: u32 = (lo * 0x9e3779b1) ^ (hi * 0x85ebca6b)
  let h = (mixed ^ (mixed >>> 15)) & mask
  for (let found = load<u32>(table + (<usize>h << 2)); found; found = load<u32>(table + (<usize>h << 2))) {
    const at = ends + (<usize>(found - 1) << 3)
    if (load<u32>(at) === lo && load<u32>(at, 4) === hi) return found - 1
    h = (h + 1) & mask
  }
  const at = ends + (<usize>nPoints << 3)
  store<u32>(at, lo)
  store<u32>(at, hi, 4)
  store<u32>(table + (<usize>h << 2), ++nPoints)
  return nPoints - 1
}
