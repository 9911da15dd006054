/**
 * Matches faces on their three smallest point numbers; see `mesh/faceMatching.ts`. One matching an instance.
 *
 * Waiting faces are in lists under their smallest point. A face: second and third point, cell, local face, next in its list; and,
 * where they are kept, its nodes in their own order. Place 0 is none.
 */
import { alloc, mark, reach } from './memory'

const SECOND: usize = 0
const THIRD: usize = 4
const CELL: usize = 8
const FACE: usize = 12
const NEXT: usize = 16
const NODES: usize = 20
/** Bytes of a cell type in the table of faces, and of a face in it: number of nodes, then local nodes. */
const TYPE_SHIFT: usize = 5
const FACE_BYTES: usize = 5
const MAX_FACES: usize = 6
const HEXAHEDRON: u8 = 12
const NO_NODE: u32 = 0xffffffff

let table: usize = 0
let first: usize = 0
let faceBytes: usize = 0
let waiting: usize = 0
let capacity: i32 = 0
let used: i32 = 0
let free: i32 = 0
let nOpen: i32 = 0

/** @param faces  table of faces by cell type; all other arrays must be taken before the first cells are added */
export function beginFaces(faces: usize, nPoints: u32, keepsNodes: bool): void {
  table = faces
  first = alloc(4 * <usize>nPoints)
  faceBytes = keepsNodes ? NODES + 16 : NODES
}

/**
 * @param ids         numbers of the cells, or 0: `firstCell` and those behind it
 * @param neighbours  neighbour by cell number and local face, filled where it is not 0
 */
export function addFaces(types: usize, offsets: usize, nodes: usize, nCells: u32, ids: usize, firstCell: u32, neighbours: usize): void {
  if (!waiting) waiting = mark()
  for (let c: u32 = 0; c < nCells; c++) {
    const type = load<u8>(types + c)
    const start = nodes + (<usize>load<u32>(offsets + (<usize>c << 2)) << 2)
    const own = ids ? load<u32>(ids + (<usize>c << 2)) : firstCell + c
    if (type === HEXAHEDRON) {
      addHexahedron(start, own, neighbours)
      continue
    }
    let face = table + (<usize>type << TYPE_SHIFT)
    const nFaces = <u32>load<u8>(face++)
    for (let f: u32 = 0; f < nFaces; f++, face += FACE_BYTES) {
      addFace(
        node(face, start, 0), node(face, start, 1), node(face, start, 2),
        load<u8>(face) === 4 ? node(face, start, 3) : NO_NODE, own, f, neighbours,
      )
    }
  }
}

// @ts-ignore: decorator
@inline
function node(face: usize, start: usize, i: usize): u32 {
  return load<u32>(start + (<usize>load<u8>(face + 1 + i) << 2))
}

/** The most frequent cell: its nodes are loaded once. Faces as in `mesh/cellTypes.ts`. */
function addHexahedron(start: usize, own: u32, neighbours: usize): void {
  const a = load<u32>(start), b = load<u32>(start, 4), c = load<u32>(start, 8), d = load<u32>(start, 12)
  const e = load<u32>(start, 16), f = load<u32>(start, 20), g = load<u32>(start, 24), h = load<u32>(start, 28)
  addFace(a, d, c, b, own, 0, neighbours)
  addFace(e, f, g, h, own, 1, neighbours)
  addFace(a, b, f, e, own, 2, neighbours)
  addFace(b, c, g, f, own, 3, neighbours)
  addFace(c, d, h, g, own, 4, neighbours)
  addFace(d, a, e, h, own, 5, neighbours)
}

/** @param s  NO_NODE, the largest number, for a triangle */
function addFace(p: u32, q: u32, r: u32, s: u32, own: u32, f: u32, neighbours: usize): void {
  // the three smallest numbers in their order: a sorting network
  const high = max(p, q)
  let a = min(min(p, q), r)
  const middle = max(min(p, q), r)
  let b = min(high, middle)
  let d = min(max(high, middle), s)
  const low = min(b, d)
  d = max(b, d)
  b = max(a, low)
  a = min(a, low)
  const head = first + (<usize>a << 2)
  let link = head
  let place: usize = 0
  let i = load<i32>(head)
  while (i) {
    place = waiting + <usize>i * faceBytes
    if (load<u32>(place, SECOND) === b && load<u32>(place, THIRD) === d) break
    link = place + NEXT
    i = load<i32>(link)
  }
  if (!i) {
    const waits = wait(head, b, d, own, f)
    if (faceBytes === NODES) return
    store<u32>(waits, p, NODES)
    store<u32>(waits, q, NODES + 4)
    store<u32>(waits, r, NODES + 8)
    store<u32>(waits, s, NODES + 12)
    return
  }
  if (neighbours) {
    const other = load<u32>(place, CELL)
    store<u32>(neighbours + ((MAX_FACES * own + f) << 2), other)
    store<u32>(neighbours + ((MAX_FACES * other + load<u32>(place, FACE)) << 2), own)
  }
  store<i32>(link, load<i32>(place, NEXT))
  store<i32>(place, free, NEXT)
  free = i
  nOpen--
}

/** @returns where the face waits */
// @ts-ignore: decorator
@inline
function wait(head: usize, b: u32, d: u32, own: u32, f: u32): usize {
  let i = free
  if (i) free = load<i32>(waiting + <usize>i * faceBytes, NEXT)
  else {
    i = ++used
    if (i >= capacity) {
      capacity = max(1024, capacity + capacity / 2)
      reach(waiting + <usize>(capacity + 1) * faceBytes)
    }
  }
  const place = waiting + <usize>i * faceBytes
  store<u32>(place, b, SECOND)
  store<u32>(place, d, THIRD)
  store<u32>(place, own, CELL)
  store<u32>(place, f, FACE)
  store<i32>(place, load<i32>(head), NEXT)
  store<i32>(head, i)
  nOpen++
  return place
}

export function openFaces(): i32 {
  return nOpen
}

export function waitingFaces(): i32 {
  return used
}

/** Lists where the waiting faces stand, u32, above all else. @returns where the list is */
export function listOpen(nPoints: u32): usize {
  const list = waiting + <usize>(capacity + 1) * faceBytes
  reach(list + 4 * <usize>nOpen)
  let out = list
  for (let p: u32 = 0; p < nPoints; p++) {
    for (let i = load<i32>(first + (<usize>p << 2)); i; ) {
      const place = waiting + <usize>i * faceBytes
      store<u32>(out, <u32>place)
      out += 4
      i = load<i32>(place, NEXT)
    }
  }
  return list
}
