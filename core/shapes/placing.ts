/**
 * Places on shapes: evenly, or at points and elements as they are, thinned by a distance.
 *
 * Evenly on surfaces: darts from a fixed sequence spread by area, each kept if no other is nearer than the spacing (Cook, ACM Trans. Graph.
 * 5, 1986; with a grid after Bridson, 2007). The places are the same every time, and no two are nearer than the spacing.
 */
import { Growing } from '../mesh/growing'
import { triangleNormal } from './normals'
import { direction } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { elementSize } from './Shape'
import type { Piece, Shape, ShapeKind, ShapeRange } from './Shape'

/** Points on a piece, and the normal of the surface at each (3 × nPoints). */
export interface Placed {
  piece: Piece
  normals: Float64Array | undefined
}

/** A place on an element of a piece: weights of its corners. */
interface Place {
  piece: number
  element: number
  corners: readonly number[]
  position: Vector
}

/** Darts for each place that there is room for; more would fill few gaps. */
const DARTS = 14
/** Places a full set has for each square of the spacing. */
const PER_SQUARE = 0.61
export const MOST_PLACES = 200_000

/** The spacing at which about so many places fit. */
export function spacingFor(shape: Shape, count: number): number {
  const size = sizesOf(shape).reduce((sum, list) => sum + list.reduce((a, b) => a + b, 0), 0)
  return shape.kind === 'surface' ? Math.sqrt((PER_SQUARE * size) / count) : size / count
}

/** Points evenly on a surface or along lines; those of points as they are. */
export function evenPlaces(shape: Shape, spacing: number): Placed[] {
  if (!(spacing > 0)) return []
  if (shape.kind === 'points') return placesOfData(shape, 'points', spacing)
  const sizes = sizesOf(shape)
  return piecesOf(shape, shape.kind === 'surface' ? dartsOn(shape, sizes, spacing) : alongLines(shape, sizes, spacing))
}

/** The points of a shape, or the middles of its elements. @param spacing  0 for all of them */
export function placesOfData(shape: Shape, at: 'points' | 'cells', spacing: number): Placed[] {
  const found: Place[] = []
  const near = new Neighbours(spacing)
  const size = elementSize(shape.kind)
  shape.pieces.forEach((piece, p) => {
    const seen = new Uint8Array(piece.points.length / 3)
    for (let e = 0; e < piece.cells.length; e++) {
      if (at === 'cells') add(placeAt(piece, p, e, new Array<number>(size).fill(1 / size)))
      for (let i = 0; at === 'points' && i < size; i++) {
        const node = piece.elements[size * e + i]!
        if (seen[node]) continue
        seen[node] = 1
        add(
          placeAt(
            piece,
            p,
            e,
            Array.from({ length: size }, (_, k) => Number(k === i)),
          ),
        )
      }
    }
  })
  return piecesOf(shape, found)

  function add(place: Place): void {
    if (near.isFree(place.position) && found.length < MOST_PLACES) {
      near.add(place.position)
      found.push(place)
    }
  }
}

/** Areas of triangles or lengths of segments, by piece. */
function sizesOf({ kind, pieces }: Shape): Float64Array[] {
  return pieces.map(({ points, elements, cells }) =>
    Float64Array.from({ length: cells.length }, (_, e) => {
      if (kind === 'surface') return Math.hypot(...triangleNormal(points, elements, e)) / 2
      if (kind === 'points') return 1
      const [a, b] = [3 * elements[2 * e]!, 3 * elements[2 * e + 1]!]
      return Math.hypot(points[b]! - points[a]!, points[b + 1]! - points[a + 1]!, points[b + 2]! - points[a + 2]!)
    }),
  )
}

function dartsOn(shape: Shape, sizes: readonly Float64Array[], spacing: number): Place[] {
  const ends = new Growing(Float64Array)
  const owners: [number, number][] = []
  let total = 0
  sizes.forEach((list, p) =>
    list.forEach((size, e) => {
      if (!(size > 0)) return
      ends.push((total += size))
      owners.push([p, e])
    }),
  )
  if (!(total > 0)) return []
  const n = Math.min(Math.ceil((DARTS * PER_SQUARE * total) / spacing ** 2), DARTS * MOST_PLACES)
  const near = new Neighbours(spacing)
  const found: Place[] = []
  const darts = Math.max(n, 1)
  for (let k = 0; k < darts && found.length < MOST_PLACES; k++) {
    // additive recurrences: the next dart is far from the last ones
    const at = fraction(0.5 + k * GOLDEN) * total
    const i = firstAbove(ends, at)
    const [p, e] = owners[i]!
    const [u, v] = [fraction(0.5 + k * PLASTIC), fraction(0.5 + k * PLASTIC * PLASTIC)]
    const root = Math.sqrt(u)
    const place = placeAt(shape.pieces[p]!, p, e, [1 - root, root * (1 - v), root * v])
    if (!near.isFree(place.position)) continue
    near.add(place.position)
    found.push(place)
  }
  return found.sort((a, b) => a.piece - b.piece || a.element - b.element)
}

const GOLDEN = 0.6180339887498949
const PLASTIC = 0.7548776662466927

function fraction(x: number): number {
  return x - Math.floor(x)
}

/** One behind the other along all segments, in their order. */
function alongLines(shape: Shape, sizes: readonly Float64Array[], spacing: number): Place[] {
  const found: Place[] = []
  let left = spacing / 2
  sizes.forEach((list, p) =>
    list.forEach((size, e) => {
      let at = left
      for (; at <= size && found.length < MOST_PLACES; at += spacing)
        found.push(placeAt(shape.pieces[p]!, p, e, [1 - at / size, at / size]))
      left = at - size
    }),
  )
  return found
}

function placeAt({ points, elements }: Piece, piece: number, element: number, corners: readonly number[]): Place {
  const position: Vector = [0, 0, 0]
  corners.forEach((w, i) => {
    const p = 3 * elements[corners.length * element + i]!
    for (let d = 0; d < 3; d++) position[d]! += w * points[p + d]!
  })
  return { piece, element, corners, position }
}

function firstAbove(ends: Growing<Float64Array>, value: number): number {
  let lo = 0
  let hi = ends.length - 1
  while (lo < hi) {
    const middle = (lo + hi) >> 1
    if (ends.at(middle) < value) lo = middle + 1
    else hi = middle
  }
  return lo
}

/** Whether a place is as far as the spacing from all that were added; found by the cells of a grid, whose numbers may coincide. */
class Neighbours {
  private readonly cells = new Map<number, number[]>()
  private readonly places: number[] = []

  constructor(private readonly spacing: number) {}

  isFree([x, y, z]: Vector): boolean {
    const { spacing, places, cells } = this
    if (!(spacing > 0)) return true
    const [i, j, k] = [Math.floor(x / spacing), Math.floor(y / spacing), Math.floor(z / spacing)]
    for (let a = i - 1; a <= i + 1; a++) {
      for (let b = j - 1; b <= j + 1; b++) {
        for (let c = k - 1; c <= k + 1; c++) {
          for (const p of cells.get(cellNumber(a, b, c)) ?? []) {
            const [dx, dy, dz] = [places[p]! - x, places[p + 1]! - y, places[p + 2]! - z]
            if (dx * dx + dy * dy + dz * dz < spacing * spacing) return false
          }
        }
      }
    }
    return true
  }

  add([x, y, z]: Vector): void {
    const { spacing, places, cells } = this
    if (!(spacing > 0)) return
    const key = cellNumber(Math.floor(x / spacing), Math.floor(y / spacing), Math.floor(z / spacing))
    const list = cells.get(key)
    if (list) list.push(places.length)
    else cells.set(key, [places.length])
    places.push(x, y, z)
  }
}

function cellNumber(i: number, j: number, k: number): number {
  return (Math.imul(i, 73856093) ^ Math.imul(j, 19349663) ^ Math.imul(k, 83492791)) | 0
}

/** Points of pieces, with weights over points of the case. @param places  in the order of pieces and elements */
function piecesOf(shape: Shape, places: readonly Place[]): Placed[] {
  const byPiece = new Map<number, Place[]>()
  for (const place of places) {
    const own = byPiece.get(place.piece)
    if (own) own.push(place)
    else byPiece.set(place.piece, [place])
  }
  return [...byPiece].map(([p, own]) => {
    const from = shape.pieces[p]!
    return { piece: pieceOfPlaces(shape.kind, from, own), normals: shape.kind === 'surface' ? normalsOf(from, own) : undefined }
  })
}

function normalsOf({ points, elements }: Piece, places: readonly Place[]): Float64Array {
  return Float64Array.from(places.flatMap(({ element }) => direction(triangleNormal(points, elements, element))))
}

function pieceOfPlaces(kind: ShapeKind, piece: Piece, places: readonly Place[]): Piece {
  const size = elementSize(kind)
  const weightStarts = new Growing(Uint32Array)
  const sources = new Growing(Uint32Array)
  const weights = new Growing(Float64Array)
  weightStarts.push(0)
  for (const { element, corners } of places) {
    corners.forEach((share, i) => {
      if (share === 0) return
      const node = piece.elements[size * element + i]!
      for (let w = piece.weightStarts[node]!; w < piece.weightStarts[node + 1]!; w++) {
        sources.push(piece.sources[w]!)
        weights.push(share * piece.weights[w]!)
      }
    })
    weightStarts.push(sources.length)
  }
  return {
    points: Float64Array.from(places.flatMap(({ position }) => position)),
    elements: Uint32Array.from(places, (_, i) => i),
    cells: Uint32Array.from(places, ({ element }) => piece.cells[element]!),
    weightStarts: weightStarts.finish(),
    sources: sources.finish(),
    weights: weights.finish(),
    ranges: rangesOf(piece, places),
    ...(piece.motion && { motion: piece.motion }),
  }
}

function rangesOf({ ranges }: Piece, places: readonly Place[]): ShapeRange[] {
  let at = 0
  return ranges.flatMap(({ part, block, elementEnd }) => {
    const start = at
    while (at < places.length && places[at]!.element < elementEnd) at++
    return at > start ? [{ part, block, pointStart: start, pointEnd: at, elementStart: start, elementEnd: at }] : []
  })
}
