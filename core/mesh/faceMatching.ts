/**
 * Boundary faces and neighbours by matching faces on their smallest point numbers (`kernels/assembly/faces.ts`).
 *
 * Each face waits in a list under its smallest point until its twin arrives; the remaining faces are the boundary. Places of
 * matched faces are used again, so that the waiting list stays near the size of the advancing front, not of all faces.
 * Cost: O(nFaces). Faces of three or four nodes; three smallest numbers tell faces of a valid mesh apart.
 */
import { Kernels } from '../kernels/Kernels'
import { cellFaces } from './cellTypes'

export interface Cells {
  types: Uint8Array
  offsets: Uint32Array
  connectivity: Uint32Array
}

/** Largest number of faces of a cell; the row length of `neighbours`. */
export const MAX_FACES = 6

/**
 * Matches the faces of all volume cells.
 *
 * @param nPoints     number of points the connectivity refers to
 * @param neighbours  filled, if given: Int32Array (6 × nCells), neighbour cell across each local face, -1 at the boundary
 * @returns Uint32Array (2 × nBoundaryFaces): cell and local face, ordered by cell then face
 */
export function matchFaces(cells: Cells, nPoints: number, neighbours?: Int32Array): Uint32Array {
  const matcher = new FaceMatcher(nPoints, false, neighbours && cells.types.length)
  matcher.add(cells, 0)
  neighbours?.set(matcher.neighbours())
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

/** Words of a waiting face, and the offsets of its cell, local face and nodes. */
const WORDS = 5
const WORDS_WITH_NODES = 9
const CELL = 2
const FACE = 3
const NODES = 5
/** Cells that are put into memory at a time. */
const LOT = 1 << 14
const MOST_NODES = 8
/** A local face has three bits, above the place of a face among those that are open. */
const FACE_SHIFT = 29

/** Matches faces of cells that come in several lots. Memory: 4 bytes a point, 24 a cell for neighbours, and `waitingBytes`. */
export class FaceMatcher {
  private readonly kernels = new Kernels()
  private readonly at: { types: number; offsets: number; nodes: number; ids: number; neighbours: number }

  /**
   * @param keepsNodes  keeps the nodes of waiting faces for `finishWithNodes`
   * @param nCells      cells whose neighbours are wanted
   */
  constructor(
    private readonly nPoints: number,
    private readonly keepsNodes = false,
    private readonly nCells = 0,
  ) {
    const { kernels } = this
    kernels.run.beginFaces(kernels.put(faceTable()), nPoints, Number(keepsNodes))
    const neighbours = nCells ? kernels.take(Int32Array, MAX_FACES * nCells) : 0
    kernels.view(Int32Array, neighbours, MAX_FACES * nCells).fill(-1)
    this.at = {
      types: kernels.take(Uint8Array, LOT),
      offsets: kernels.take(Uint32Array, LOT + 1),
      nodes: kernels.take(Uint32Array, MOST_NODES * LOT),
      ids: kernels.take(Uint32Array, LOT),
      neighbours,
    }
  }

  /** Memory that faces without twin take so far. */
  get waitingBytes(): number {
    return 4 * this.words * this.kernels.run.waitingFaces()
  }

  private get words(): number {
    return this.keepsNodes ? WORDS_WITH_NODES : WORDS
  }

  /** @param ids  numbers of the cells, or that of the first of cells that follow one another */
  add({ types, offsets, connectivity }: Cells, ids: number | Uint32Array): void {
    const { kernels, at } = this
    for (let from = 0, to = 0; from < types.length; from = to) {
      to = Math.min(from + LOT, types.length)
      const first = offsets[from]!
      while (offsets[to]! - first > MOST_NODES * LOT && to > from + 1) to = (from + to) >>> 1
      // only polygons have more nodes than fit, and they have no faces
      if (offsets[to]! - first > MOST_NODES * LOT) continue
      const n = to - from
      kernels.view(Uint8Array, at.types, n).set(types.subarray(from, to))
      kernels.view(Uint32Array, at.offsets, n).set(offsets.subarray(from, to))
      kernels.view(Uint32Array, at.nodes, offsets[to]! - first).set(connectivity.subarray(first, offsets[to]))
      const isCounted = typeof ids === 'number'
      if (!isCounted) kernels.view(Uint32Array, at.ids, n).set(ids.subarray(from, to))
      // offsets count from the first node of all, not of the lot
      kernels.run.addFaces(at.types, at.offsets, at.nodes - 4 * first, n, isCounted ? 0 : at.ids, isCounted ? ids + from : 0, at.neighbours)
    }
  }

  /** Neighbour of each cell across each local face, -1 for none: (6 × nCells). */
  neighbours(): Int32Array {
    return this.kernels.view(Int32Array, this.at.neighbours, MAX_FACES * this.nCells)
  }

  /** Cell and local face of all that found no twin, ordered by cell then face: (2 × n). */
  finish(): Uint32Array {
    return this.open().boundary
  }

  finishWithNodes(): OpenFaces {
    const { boundary, places, words } = this.open()
    const nodes = new Uint32Array(4 * places.length)
    for (let i = 0; i < places.length; i++) for (let d = 0; d < 4; d++) nodes[4 * i + d] = words[places[i]! + NODES + d]!
    return { boundary, nodes }
  }

  /** The faces that still wait, and their addresses. */
  private open(): { boundary: Uint32Array; places: Uint32Array; words: Uint32Array } {
    const { kernels } = this
    const at = kernels.run.listOpen(this.nPoints) >>> 0
    const n = kernels.run.openFaces()
    const list = kernels.view(Uint32Array, at, n)
    const words = kernels.view(Uint32Array, 0, at / 4)
    // sorted as whole numbers of 64 bits: cell, face, place in the list
    const keys = new BigUint64Array(n)
    const halves = new Uint32Array(keys.buffer)
    for (let i = 0; i < n; i++) {
      halves[2 * i] = (words[list[i]! / 4 + FACE]! << FACE_SHIFT) | i
      halves[2 * i + 1] = words[list[i]! / 4 + CELL]!
    }
    keys.sort()
    const boundary = new Uint32Array(2 * n)
    const places = new Uint32Array(n)
    for (let i = 0; i < n; i++) {
      boundary[2 * i] = halves[2 * i + 1]!
      boundary[2 * i + 1] = halves[2 * i]! >>> FACE_SHIFT
      places[i] = list[halves[2 * i]! & ((1 << FACE_SHIFT) - 1)]! / 4
    }
    return { boundary, places, words }
  }
}

/** Of each cell type: number of faces; of each face: number of nodes and its local nodes. */
function faceTable(): Uint8Array {
  const table = new Uint8Array(256 * 32)
  cellFaces.forEach((faces, type) => {
    if (!faces) return
    table[32 * type] = faces.length
    faces.forEach((face, f) => table.set([face.length, ...face], 32 * type + 1 + 5 * f))
  })
  return table
}
