/** Orientation of cells and their places along the curve, from the coordinates of their corners: f64 (3 × nodes), cell by cell. */

export const TETRA: u8 = 10
export const HEXAHEDRON: u8 = 12
export const WEDGE: u8 = 13
export const PYRAMID: u8 = 14
const BITS: i32 = 10

/** Factors of each node in three edge vectors through the middle of the cell. */
const tetraEdges: StaticArray<i8> = [-1, -1, -1, 1, 0, 0, 0, 1, 0, 0, 0, 1]
const pyramidEdges: StaticArray<i8> = [-1, -1, -1, 1, -1, -1, 1, 1, -1, -1, 1, -1, 0, 0, 4]
const wedgeEdges: StaticArray<i8> = [-1, -1, -1, 1, 0, -1, 0, 1, -1, -1, -1, 1, 1, 0, 1, 0, 1, 1]
/** Pairs of nodes to swap to mirror a cell. */
const tetraSwaps: StaticArray<u8> = [1, 2]
const pyramidSwaps: StaticArray<u8> = [1, 3]
const wedgeSwaps: StaticArray<u8> = [0, 3, 1, 4, 2, 5]
const hexahedronSwaps: StaticArray<u8> = [0, 4, 1, 5, 2, 6, 3, 7]

/** Mirrors volume cells of negative volume by their node order. @returns how many */
export function orientCells(types: usize, offsets: usize, corners: usize, nodes: usize, nCells: u32): u32 {
  let mirrored: u32 = 0
  for (let c: u32 = 0; c < nCells; c++) {
    const type = load<u8>(types + c)
    if (!nodesOf(type)) continue
    const start = load<u32>(offsets + (<usize>c << 2))
    if (turn(type, corners + 24 * <usize>start, nodes + (<usize>start << 2))) mirrored++
  }
  return mirrored
}

/** Nodes of a volume cell, 0 for any other type. */
// @ts-ignore: decorator
@inline
export function nodesOf(type: u8): u32 {
  return type === HEXAHEDRON ? 8 : type === TETRA ? 4 : type === WEDGE ? 6 : type === PYRAMID ? 5 : 0
}

/** Mirrors a cell whose volume is negative. */
// @ts-ignore: decorator
@inline
export function turn(type: u8, corners: usize, nodes: usize): bool {
  if ((type === HEXAHEDRON ? hexahedronVolume(corners) : roughVolume(corners, edgesOf(type))) >= 0) return false
  swap(nodes, swapsOf(type))
  return true
}

// @ts-ignore: decorator
@inline
function edgesOf(type: u8): StaticArray<i8> {
  return type === TETRA ? tetraEdges : type === WEDGE ? wedgeEdges : pyramidEdges
}

function swapsOf(type: u8): StaticArray<u8> {
  return type === HEXAHEDRON ? hexahedronSwaps : type === TETRA ? tetraSwaps : type === WEDGE ? wedgeSwaps : pyramidSwaps
}

function swap(nodes: usize, pairs: StaticArray<u8>): void {
  for (let i = 0; i < pairs.length; i += 2) {
    const a = nodes + (<usize>unchecked(pairs[i]) << 2)
    const b = nodes + (<usize>unchecked(pairs[i + 1]) << 2)
    const kept = load<u32>(a)
    store<u32>(a, load<u32>(b))
    store<u32>(b, kept)
  }
}

/** The same for the most frequent type, from its diagonals. */
// @ts-ignore: decorator
@inline
function hexahedronVolume(corner: usize): f64 {
  const ux = component(corner, 0, 6, 0), uy = component(corner, 0, 6, 8), uz = component(corner, 0, 6, 16)
  const vx = component(corner, 1, 7, 0), vy = component(corner, 1, 7, 8), vz = component(corner, 1, 7, 16)
  const wx = component(corner, 2, 4, 0), wy = component(corner, 2, 4, 8), wz = component(corner, 2, 4, 16)
  const sx = component(corner, 3, 5, 0), sy = component(corner, 3, 5, 8), sz = component(corner, 3, 5, 16)
  return triple(
    ux - vx - wx + sx, uy - vy - wy + sy, uz - vz - wz + sz, ux + vx - wx - sx, uy + vy - wy - sy, uz + vz - wz - sz,
    ux + vx + wx + sx, uy + vy + wy + sy, uz + vz + wz + sz,
  )
}

// @ts-ignore: decorator
@inline
function component(corner: usize, from: usize, to: usize, at: usize): f64 {
  return load<f64>(corner + 24 * to + at) - load<f64>(corner + 24 * from + at)
}

// @ts-ignore: decorator
@inline
function triple(ax: f64, ay: f64, az: f64, bx: f64, by: f64, bz: f64, cx: f64, cy: f64, cz: f64): f64 {
  return ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
}

// @ts-ignore: decorator
@inline
function roughVolume(corner: usize, edges: StaticArray<i8>): f64 {
  let ax: f64 = 0, ay: f64 = 0, az: f64 = 0, bx: f64 = 0, by: f64 = 0, bz: f64 = 0, cx: f64 = 0, cy: f64 = 0, cz: f64 = 0
  for (let f = 0; f < edges.length; f += 3, corner += 24) {
    const x = load<f64>(corner), y = load<f64>(corner, 8), z = load<f64>(corner, 16)
    const a = <f64>unchecked(edges[f]), b = <f64>unchecked(edges[f + 1]), c = <f64>unchecked(edges[f + 2])
    ax += a * x; ay += a * y; az += a * z
    bx += b * x; by += b * y; bz += b * z
    cx += c * x; cy += c * y; cz += c * z
  }
  return triple(ax, ay, az, bx, by, bz, cx, cy, cz)
}

/**
 * Places of the cells' centres along the curve.
 *
 * @param steps  the curve as an automaton of two levels, as in `mesh/curveOrder.ts`
 * @param keys   filled, u32 (nCells)
 */
export function curvePlaces(
  offsets: usize, corners: usize, nCells: u32, x0: f64, y0: f64, z0: f64, scale: f64, steps: usize, keys: usize,
): void {
  for (let c: u32 = 0; c < nCells; c++) {
    const start = load<u32>(offsets + (<usize>c << 2))
    const n = load<u32>(offsets + (<usize>c << 2), 4) - start
    store<u32>(keys + (<usize>c << 2), curvePlace(corners + 24 * <usize>start, n, x0, y0, z0, scale, steps))
  }
}

/** Place of the centre of a cell. */
// @ts-ignore: decorator
@inline
export function curvePlace(corners: usize, nodes: u32, x0: f64, y0: f64, z0: f64, scale: f64, steps: usize): u32 {
  let x: f64 = 0, y: f64 = 0, z: f64 = 0
  for (let i: u32 = 0; i < nodes; i++, corners += 24) {
    x += load<f64>(corners)
    y += load<f64>(corners, 8)
    z += load<f64>(corners, 16)
  }
  const n = <f64>max(nodes, 1)
  return placeOf(cell((x / n - x0) * scale), cell((y / n - y0) * scale), cell((z / n - z0) * scale), steps)
}

/** Not-a-number becomes 0. */
// @ts-ignore: decorator
@inline
function cell(x: f64): u32 {
  return x > 0 ? <u32>min(x, <f64>((1 << BITS) - 1)) : 0
}

/** Two levels of the curve at a time. */
// @ts-ignore: decorator
@inline
function placeOf(i: u32, j: u32, k: u32, steps: usize): u32 {
  let key: u32 = 0
  let state: u32 = 0
  for (let b = BITS - 2; b >= 0; b -= 2) {
    const step = <u32>load<u16>(steps + (((state << 6) | (((i >>> b) & 3) << 4) | (((j >>> b) & 3) << 2) | ((k >>> b) & 3)) << 1))
    key = (key << 6) | (step & 63)
    state = step >>> 6
  }
  return key
}
