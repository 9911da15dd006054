/** The split of cells into tetrahedra; see `mesh/tetrahedra.ts` for the method, and `packedSplits` there for the table. */
import { HEXAHEDRON, nodesOf, PYRAMID, TETRA, WEDGE } from './cells'

/** Bytes of an entry of the table of splits: how many tetrahedra, and four local nodes of each. */
const ENTRY: usize = 25
/** Where the quads of each type stand in the table, and behind them the entries; as `packedSplits` lays them out. */
const PYRAMID_QUADS: usize = 0, WEDGE_QUADS: usize = 4, HEXAHEDRON_QUADS: usize = 16
const TETRA_ENTRIES: usize = 40
const PYRAMID_ENTRIES: usize = TETRA_ENTRIES + 4 * ENTRY
const WEDGE_ENTRIES: usize = PYRAMID_ENTRIES + 10 * ENTRY
const HEXAHEDRON_ENTRIES: usize = WEDGE_ENTRIES + 48 * ENTRY

/** Point numbers of the nodes of the cell at hand, u32. */
export const ids = memory.data(8 * 4)

/** The split of the cell whose numbers stand in `ids`: where its entry stands. */
// @ts-ignore: decorator
@inline
export function splitOf(type: u8, tables: usize): usize {
  if (type === TETRA) return tables + TETRA_ENTRIES
  const n = nodesOf(type)
  // the smallest number and where it stands, without a branch that cannot be foretold
  let smallest: u64 = u64.MAX_VALUE
  for (let i: u32 = 0; i < n; i++) smallest = min(smallest, (<u64>load<u32>(ids + (<usize>i << 2)) << 3) | i)
  const apex = <u32>smallest & 7
  const nQuads: u32 = type === HEXAHEDRON ? 6 : type === WEDGE ? 3 : 1
  let quad = tables + (type === HEXAHEDRON ? HEXAHEDRON_QUADS : type === WEDGE ? WEDGE_QUADS : PYRAMID_QUADS)
  let bits: u32 = 0
  for (let q: u32 = 0; q < nQuads; q++, quad += 4) {
    const odd = min(numberOf(load<u8>(quad, 1)), numberOf(load<u8>(quad, 3)))
    const even = min(numberOf(load<u8>(quad)), numberOf(load<u8>(quad, 2)))
    bits |= u32(odd < even) << q
  }
  const entries = type === HEXAHEDRON ? HEXAHEDRON_ENTRIES : type === WEDGE ? WEDGE_ENTRIES : PYRAMID_ENTRIES
  return tables + entries + <usize>((apex << nQuads) | bits) * ENTRY
}

// @ts-ignore: decorator
@inline
function numberOf(i: u8): u32 {
  return load<u32>(ids + (<usize>i << 2))
}
