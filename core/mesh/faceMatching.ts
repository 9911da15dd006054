/**
 * Boundary faces and neighbours by matching faces on their smallest point numbers.
 *
 * Each face waits in a list under its smallest point until its twin arrives; what is left is the boundary. Places of
 * matched faces are used again, so that the waiting list stays near the size of the advancing front, not of all faces.
 * Cost: O(nFaces). Faces of three or four nodes; three smallest numbers tell faces of a valid mesh apart.
 */
import { cellFaces } from './cellTypes'

export interface Cells {
  types: Uint8Array
  offsets: Uint32Array
  connectivity: Uint32Array
}

/** Largest number of faces of a cell; the row length of `neighbours`. */
export const MAX_FACES = 6

interface Waiting {
  second: Uint32Array
  third: Uint32Array
  cell: Uint32Array
  face: Uint8Array
  next: Int32Array
}

/**
 * Matches the faces of all volume cells.
 *
 * @param nPoints     number of points the connectivity refers to
 * @param neighbours  filled, if given: Int32Array (6 × nCells), neighbour cell across each local face, -1 at the boundary
 * @returns Uint32Array (2 × nBoundaryFaces): cell and local face, ordered by cell then face
 */
export function matchFaces(cells: Cells, nPoints: number, neighbours?: Int32Array): Uint32Array {
  neighbours?.fill(-1)
  const matcher = new FaceMatcher(nPoints)
  matcher.add(cells, 0, neighbours)
  return matcher.finish()
}

/** Faces that found no twin. */
export interface OpenFaces {
  /** (2 × n) number of the cell and local face, ordered by cell then face. */
  boundary: Uint32Array
  /** (4 × n) nodes of each face in its own order, NO_NODE behind three. */
  nodes: Uint32Array
}

export const NO_NODE = 0xffffffff

/** Matches faces of cells that come in several lots. Memory: 4 bytes a point and `waitingBytes`. */
export class FaceMatcher {
  private readonly first: Int32Array
  private waiting = newWaiting(1024)
  private used = 0
  private free = -1
  private nOpen = 0
  private nodes: Uint32Array | undefined

  /** @param keepsNodes  keeps the nodes of waiting faces for `finishWithNodes` */
  constructor(nPoints: number, keepsNodes = false) {
    this.first = new Int32Array(nPoints).fill(-1)
    this.nodes = keepsNodes ? new Uint32Array(4 * this.waiting.next.length) : undefined
  }

  /** Memory that faces without twin take so far. */
  get waitingBytes(): number {
    return this.waiting.next.length * (this.nodes ? 33 : 17)
  }

  /** @param ids  numbers of the cells, or that of the first of cells that follow one another */
  add({ types, offsets, connectivity }: Cells, ids: number | Uint32Array, neighbours?: Int32Array): void {
    const { first } = this
    let { waiting, used, free, nOpen, nodes } = this
    const firstCell = typeof ids === 'number' ? ids : 0
    const numbers = typeof ids === 'number' ? undefined : ids
    const nCells = types.length
    for (let c = 0; c < nCells; c++) {
      const faces = cellFaces[types[c]!]
      if (!faces) continue
      const start = offsets[c]!
      for (let f = 0; f < faces.length; f++) {
        const face = faces[f]!
        // three smallest of three or four node numbers
        let a = connectivity[start + face[0]!]!
        let b = connectivity[start + face[1]!]!
        let d = connectivity[start + face[2]!]!
        let t: number
        if (a > b) { t = a; a = b; b = t }
        if (b > d) { t = b; b = d; d = t }
        if (a > b) { t = a; a = b; b = t }
        if (face.length === 4) {
          const e = connectivity[start + face[3]!]!
          if (e < d) {
            d = e
            if (b > d) { t = b; b = d; d = t }
            if (a > b) { t = a; a = b; b = t }
          }
        }
        let previous = -1
        let i = first[a]!
        while (i >= 0 && !(waiting.second[i] === b && waiting.third[i] === d)) {
          previous = i
          i = waiting.next[i]!
        }
        if (i >= 0) {
          if (neighbours) {
            const other = waiting.cell[i]!
            const own = numbers ? numbers[c]! : firstCell + c
            neighbours[MAX_FACES * own + f] = other
            neighbours[MAX_FACES * other + waiting.face[i]!] = own
          }
          if (previous < 0) first[a] = waiting.next[i]!
          else waiting.next[previous] = waiting.next[i]!
          waiting.next[i] = free
          free = i
          nOpen--
          continue
        }
        if (free >= 0) {
          i = free
          free = waiting.next[i]!
        } else {
          if (used === waiting.next.length) {
            waiting = grow(waiting)
            if (nodes) nodes = grown(nodes)
          }
          i = used++
        }
        if (nodes) {
          for (let k = 0; k < 3; k++) nodes[4 * i + k] = connectivity[start + face[k]!]!
          nodes[4 * i + 3] = face.length === 4 ? connectivity[start + face[3]!]! : NO_NODE
        }
        waiting.second[i] = b
        waiting.third[i] = d
        waiting.cell[i] = numbers ? numbers[c]! : firstCell + c
        waiting.face[i] = f
        waiting.next[i] = first[a]!
        first[a] = i
        nOpen++
      }
    }
    Object.assign(this, { waiting, used, free, nOpen, nodes })
  }

  /** Cell and local face of all that found no twin, ordered by cell then face: (2 × n). */
  finish(): Uint32Array {
    const { cell, face } = this.waiting
    const keys = Float64Array.from(this.open(), (i) => cell[i]! * 8 + face[i]!).sort()
    const open = new Uint32Array(2 * keys.length)
    for (let i = 0; i < keys.length; i++) {
      open[2 * i] = Math.floor(keys[i]! / 8)
      open[2 * i + 1] = keys[i]! % 8
    }
    return open
  }

  finishWithNodes(): OpenFaces {
    const { cell, face } = this.waiting
    const order = this.open().sort((i, j) => cell[i]! - cell[j]! || face[i]! - face[j]!)
    const out = { boundary: new Uint32Array(2 * order.length), nodes: new Uint32Array(4 * order.length) }
    order.forEach((i, k) => {
      out.boundary[2 * k] = cell[i]!
      out.boundary[2 * k + 1] = face[i]!
      for (let d = 0; d < 4; d++) out.nodes[4 * k + d] = this.nodes![4 * i + d]!
    })
    return out
  }

  /** Places of the faces that still wait. Those given back are in no list: they are not found from their points. */
  private open(): Uint32Array {
    const open = new Uint32Array(this.nOpen)
    let n = 0
    for (let p = 0; p < this.first.length; p++) {
      for (let i = this.first[p]!; i >= 0; i = this.waiting.next[i]!) open[n++] = i
    }
    return open
  }
}

function newWaiting(size: number): Waiting {
  return {
    second: new Uint32Array(size),
    third: new Uint32Array(size),
    cell: new Uint32Array(size),
    face: new Uint8Array(size),
    next: new Int32Array(size),
  }
}

function grown(old: Uint32Array): Uint32Array {
  const bigger = new Uint32Array(2 * old.length)
  bigger.set(old)
  return bigger
}

function grow(old: Waiting): Waiting {
  const { second, third, cell, face, next } = newWaiting(2 * old.next.length)
  second.set(old.second)
  third.set(old.third)
  cell.set(old.cell)
  face.set(old.face)
  next.set(old.next)
  return { second, third, cell, face, next }
}
