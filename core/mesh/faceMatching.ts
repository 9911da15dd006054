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

/** Matches faces of cells that come in several lots. Memory: 4 bytes a point and 17 for each face without twin so far. */
export class FaceMatcher {
  private readonly first: Int32Array
  private waiting = newWaiting(1024)
  private used = 0
  private free = -1
  private nOpen = 0

  constructor(nPoints: number) {
    this.first = new Int32Array(nPoints).fill(-1)
  }

  /** @param firstCell  number of the first of these cells; those of a lot follow one another */
  add({ types, offsets, connectivity }: Cells, firstCell: number, neighbours?: Int32Array): void {
    const { first } = this
    let { waiting, used, free, nOpen } = this
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
            neighbours[MAX_FACES * (firstCell + c) + f] = other
            neighbours[MAX_FACES * other + waiting.face[i]!] = firstCell + c
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
          if (used === waiting.next.length) waiting = grow(waiting)
          i = used++
        }
        waiting.second[i] = b
        waiting.third[i] = d
        waiting.cell[i] = firstCell + c
        waiting.face[i] = f
        waiting.next[i] = first[a]!
        first[a] = i
        nOpen++
      }
    }
    Object.assign(this, { waiting, used, free, nOpen })
  }

  /** Cell and local face of all that found no twin, ordered by cell then face: (2 × n). */
  finish(): Uint32Array {
    const keys = new Float64Array(this.nOpen)
    let n = 0
    // places given back are in no list: only those that still wait are found from their points
    for (let p = 0; p < this.first.length; p++) {
      for (let i = this.first[p]!; i >= 0; i = this.waiting.next[i]!) keys[n++] = this.waiting.cell[i]! * 8 + this.waiting.face[i]!
    }
    keys.sort()
    const open = new Uint32Array(2 * keys.length)
    for (let i = 0; i < keys.length; i++) {
      open[2 * i] = Math.floor(keys[i]! / 8)
      open[2 * i + 1] = keys[i]! % 8
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

function grow(old: Waiting): Waiting {
  const bigger = newWaiting(2 * old.next.length)
  bigger.second.set(old.second)
  bigger.third.set(old.third)
  bigger.cell.set(old.cell)
  bigger.face.set(old.face)
  bigger.next.set(old.next)
  return bigger
}
