/**
 * The curve in which two surfaces meet: edges that both have, and segments in which triangles cut each other.
 *
 * Method: triangles are cut by each other's planes and the two intervals on the common line are intersected (Möller, J. Graphics Tools 2,
 * 1997). An end is where an edge of one surface goes through a triangle of the other. Where edges of both meet, as in cuts through the same
 * cells, it is found in several ways: ends nearer than rounding are made one. A corner in the other's plane counts as above it.
 * Memory: that of the grid of the second surface.
 */
import { cross, dot } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import type { Piece, Shape } from './Shape'
import { TriangleGrid, triangleOf } from './TriangleGrid'
import type { Triangle } from './TriangleGrid'

/** A segment on an element of the first surface: ends with the weights of the corners of the element. */
interface Segment {
  element: number
  ends: [End, End]
}

interface End {
  position: Vector
  corners: Vector
}

/** @param check  called now and then; throws to cancel */
export function meetSurfaces(first: Shape, second: Shape, check: () => void): Piece[] {
  const other = second.pieces.flatMap((piece) => Array.from({ length: piece.cells.length }, (_, e) => triangleOf(piece, e)))
  const grid = new TriangleGrid(other)
  const edges = edgesOf(other)
  const welded = new Welding(first)
  return first.pieces.flatMap((piece) => {
    const segments: Segment[] = []
    const used = new Set<string>()
    for (let e = 0; e < piece.cells.length; e++) {
      if (e % 4096 === 0) check()
      const own = triangleOf(piece, e)
      const shared = sharedEdges(own, edges, used)
      for (const ends of shared) segments.push({ element: e, ends })
      for (const t of grid.near(own)) {
        // triangles that share an edge meet in it
        if (commonCorners(own, other[t]!) >= 2) continue
        const ends = crossing(own, other[t]!)?.map((end): End => ({ ...end, position: welded.place(end.position) })) as
          [End, End] | undefined
        if (ends && keyOf(ends[0].position) !== keyOf(ends[1].position)) segments.push({ element: e, ends })
      }
    }
    return segments.length ? [pieceOf(piece, segments)] : []
  })
}

const keyOf = (a: Vector): string => `${a[0] + 0} ${a[1] + 0} ${a[2] + 0}`

function edgeKey(a: Vector, b: Vector): string {
  const [p, q] = [keyOf(a), keyOf(b)]
  return p < q ? `${p}|${q}` : `${q}|${p}`
}

function edgesOf(triangles: readonly Triangle[]): Set<string> {
  return new Set(triangles.flatMap(([a, b, c]) => [edgeKey(a, b), edgeKey(b, c), edgeKey(c, a)]))
}

/** Edges that both surfaces have, each once. */
function sharedEdges(own: Triangle, edges: ReadonlySet<string>, used: Set<string>): [End, End][] {
  const found: [End, End][] = []
  for (let i = 0; i < 3; i++) {
    const j = (i + 1) % 3
    const key = edgeKey(own[i]!, own[j]!)
    if (!edges.has(key) || used.has(key)) continue
    used.add(key)
    found.push([i, j].map((k): End => ({ position: own[k]!, corners: [0, 1, 2].map((d) => Number(d === k)) as Vector })) as [End, End])
  }
  return found
}

function commonCorners(a: Triangle, b: Triangle): number {
  return a.filter((p) => b.some((q) => p[0] === q[0] && p[1] === q[1] && p[2] === q[2])).length
}

/** Where two triangles cut each other. */
function crossing(own: Triangle, other: Triangle): [End, End] | undefined {
  const mine = throughPlane(own, other)
  const theirs = mine && throughPlane(other, own)
  if (!mine || !theirs) return undefined
  const along = cross(normalOf(own), normalOf(other))
  const sorted = (pair: [Vector, Vector]): [Vector, Vector] => (dot(along, pair[0]) <= dot(along, pair[1]) ? pair : [pair[1], pair[0]])
  const [a, b] = [sorted(mine), sorted(theirs)]
  const start = dot(along, a[0]) >= dot(along, b[0]) ? a[0] : b[0]
  const end = dot(along, a[1]) <= dot(along, b[1]) ? a[1] : b[1]
  if (!(dot(along, start) < dot(along, end))) return undefined
  return [start, end].map((position): End => ({ position, corners: barycentric(own, position) })) as [End, End]
}

/** The two places where the edges of a triangle go through the plane of another. */
function throughPlane(triangle: Triangle, plane: Triangle): [Vector, Vector] | undefined {
  const normal = normalOf(plane)
  const level = triangle.map((p) => dot(normal, [p[0] - plane[0][0], p[1] - plane[0][1], p[2] - plane[0][2]])) as Vector
  const above = level.map((x) => x >= 0)
  const alone = above.findIndex((is, i) => above.every((has, k) => k === i || has !== is))
  if (alone < 0) return undefined
  return [1, 2].map((k) => edgePoint(triangle, level, alone, (alone + k) % 3)) as [Vector, Vector]
}

/** From the lesser end in the order of coordinates, as neighbours do. */
function edgePoint(triangle: Triangle, level: Vector, i: number, j: number): Vector {
  const [a, b] = isBefore(triangle[i]!, triangle[j]!) ? [i, j] : [j, i]
  if (level[a] === 0) return triangle[a]!
  if (level[b] === 0) return triangle[b]!
  const t = level[a]! / (level[a]! - level[b]!)
  return triangle[a]!.map((c, d) => c * (1 - t) + triangle[b]![d]! * t) as Vector
}

function isBefore(a: Vector, b: Vector): boolean {
  for (let d = 0; d < 3; d++) if (a[d] !== b[d]) return a[d]! < b[d]!
  return true
}

function normalOf([a, b, c]: Triangle): Vector {
  return cross([b[0] - a[0], b[1] - a[1], b[2] - a[2]], [c[0] - a[0], c[1] - a[1], c[2] - a[2]])
}

function barycentric(triangle: Triangle, p: Vector): Vector {
  const normal = normalOf(triangle)
  const square = dot(normal, normal) || 1
  const part = (a: Vector, b: Vector): number => dot(normal, normalOf([p, a, b])) / square
  const [u, v] = [part(triangle[1], triangle[2]), part(triangle[2], triangle[0])]
  return [u, v, 1 - u - v]
}

/** Places nearer than rounding are the first of them. */
class Welding {
  private readonly places = new Map<string, Vector>()
  private readonly tolerance: number

  constructor({ pieces }: Shape) {
    let largest = 0
    for (const { points } of pieces) for (const c of points) if (Math.abs(c) > largest) largest = Math.abs(c)
    this.tolerance = 1e-9 * largest || 1e-300
  }

  place(position: Vector): Vector {
    const cell = position.map((c) => Math.round(c / this.tolerance)) as Vector
    for (let i = -1; i <= 1; i++)
      for (let j = -1; j <= 1; j++)
        for (let k = -1; k <= 1; k++) {
          const known = this.places.get(`${cell[0] + i} ${cell[1] + j} ${cell[2] + k}`)
          if (known) return known
        }
    this.places.set(cell.join(' '), position)
    return position
  }
}

/** Segments as a piece, whose points belong to one segment each. */
function pieceOf(piece: Piece, segments: readonly Segment[]): Piece {
  const weightStarts = [0]
  const sources: number[] = []
  const weights: number[] = []
  for (const { element, ends } of segments) {
    for (const { corners } of ends) {
      corners.forEach((share, i) => {
        const node = piece.elements[3 * element + i]!
        for (let w = piece.weightStarts[node]!; share !== 0 && w < piece.weightStarts[node + 1]!; w++) {
          sources.push(piece.sources[w]!)
          weights.push(share * piece.weights[w]!)
        }
      })
      weightStarts.push(sources.length)
    }
  }
  let at = 0
  const ranges = piece.ranges.flatMap(({ part, block, elementEnd }) => {
    const start = at
    while (at < segments.length && segments[at]!.element < elementEnd) at++
    return at > start ? [{ part, block, pointStart: 2 * start, pointEnd: 2 * at, elementStart: start, elementEnd: at }] : []
  })
  return {
    points: Float64Array.from(segments.flatMap(({ ends }) => ends.flatMap(({ position }) => position))),
    elements: Uint32Array.from({ length: 2 * segments.length }, (_, i) => i),
    cells: Uint32Array.from(segments, ({ element }) => piece.cells[element]!),
    weightStarts: Uint32Array.from(weightStarts),
    sources: Uint32Array.from(sources),
    weights: Float64Array.from(weights),
    ranges,
    ...(piece.motion && { motion: piece.motion }),
  }
}
