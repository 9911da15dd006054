/**
 * Values of faces on other faces so that their total stays: what a face holds (value times area) goes to the faces that it overlaps, in
 * proportion to the areas that they share, seen along its normal.
 *
 * Method: overlaps of triangles by clipping (Sutherland and Hodgman, Comm. ACM 17, 1974). A face that overlaps none gives all it
 * holds to the one that is nearest to its middle. Where both surfaces are the same plane, a constant stays exactly what it is.
 */
import type { FloatArray } from '../mesh/MeshBlock'
import { cross, dot, length, minus } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { packTriangles, TriangleTree } from '../mesh/TriangleTree'
import { cornerValues } from './Shape'
import type { Piece, Shape, ShapeValues } from './Shape'
import { TriangleGrid, triangleOf } from './TriangleGrid'
import type { Triangle } from './TriangleGrid'

/** Cosine of the angle up to which faces count as facing each other. */
const FACING = 0.5
/** How far apart along the normal they may be, in lengths of the longer side. */
const APART = 0.5
const CHECK_EVERY = 1024

export interface CarriedByFaces {
  /** (components × n) of each target, per area. */
  values: Float64Array
  components: number
  /** Share of the area of the source that overlaps nothing. */
  besideShare: number
  /** Largest distance over which that went. */
  farthest: number
  /** Targets that were given nothing. */
  nEmpty: number
}

/** @param targets  in the length unit of the source */
export function carryByFaces(source: Shape, values: ShapeValues, targets: readonly Triangle[], check: () => void): CarriedByFaces {
  const { components } = values
  const grid = new TriangleGrid(targets)
  const order = new Uint32Array(targets.length)
  const tree = new TriangleTree(packTriangles(Float64Array.from(targets.flat(2)), order))
  const held = new Float64Array(components * targets.length)
  let [all, beside, farthest] = [0, 0, 0]
  const give = (t: number, own: Float64Array, share: number): void => {
    for (let c = 0; c < components; c++) held[t * components + c]! += share * own[c]!
  }
  source.pieces.forEach((piece, p) => {
    const means = faceMeans(piece, cornerValues('surface', piece, values.pieces[p]!).values, components)
    for (let e = 0; e < piece.cells.length; e++) {
      if (e % CHECK_EVERY === 0) check()
      const own = triangleOf(piece, e)
      const area = areaOf(own)
      const holds = means.subarray(e * components, (e + 1) * components).map((x) => x * area)
      if (!(area > 0) || holds.some(Number.isNaN)) continue
      all += area
      const found = [...grid.near(own)].map((t) => [t, overlapOf(own, targets[t]!)] as const).filter(([, shared]) => shared > 0)
      const sum = found.reduce((total, [, shared]) => total + shared, 0)
      if (sum > 0) {
        for (const [t, shared] of found) give(t, holds, shared / sum)
        continue
      }
      const near = tree.nearest(...middleOf(own))
      if (near.triangle < 0) continue
      beside += area
      farthest = Math.max(farthest, near.distance)
      give(order[near.triangle]!, holds, 1)
    }
  })
  let nEmpty = 0
  targets.forEach((target, t) => {
    const area = areaOf(target)
    const own = held.subarray(t * components, (t + 1) * components)
    if (own.every((x) => x === 0)) nEmpty++
    own.forEach((x, c) => (own[c] = area > 0 ? x / area : 0))
  })
  return { values: held, components, besideShare: all > 0 ? beside / all : 0, farthest, nEmpty }
}

/** Mean over the corners of each face. */
function faceMeans({ cells }: Piece, corners: FloatArray, components: number): Float64Array {
  const out = new Float64Array(components * cells.length)
  for (let e = 0; e < cells.length; e++)
    for (let c = 0; c < components; c++)
      out[e * components + c] =
        (corners[3 * e * components + c]! + corners[(3 * e + 1) * components + c]! + corners[(3 * e + 2) * components + c]!) / 3
  return out
}

export function areaOf([a, b, c]: Triangle): number {
  return length(cross(minus(b, a), minus(c, a))) / 2
}

function middleOf([a, b, c]: Triangle): Vector {
  return [0, 1, 2].map((d) => (a[d]! + b[d]! + c[d]!) / 3) as Vector
}

type Plane = [number, number]

/** Area that two triangles share, seen along the normal of the first; 0 where they do not face each other or lie far apart. */
function overlapOf(first: Triangle, second: Triangle): number {
  const [a, b, c] = first
  const along = minus(b, a)
  const normal = cross(along, minus(c, a))
  const other = cross(minus(second[1], second[0]), minus(second[2], second[0]))
  const [size, otherSize, side] = [length(normal), length(other), length(along)]
  if (!(size > 0 && otherSize > 0) || Math.abs(dot(normal, other)) < FACING * size * otherSize) return 0
  const unit = normal.map((x) => x / size) as Vector
  const across = cross(unit, along)
  const longest = Math.max(side, length(minus(c, b)), length(minus(a, c)), length(minus(second[1], second[0])))
  if (Math.abs(dot(unit, minus(middleOf(second), middleOf(first)))) > APART * longest) return 0
  const flat = (p: Vector): Plane => [dot(minus(p, a), along) / side, dot(minus(p, a), across) / side]
  let polygon = second.map(flat)
  const corners = first.map(flat)
  for (let i = 0; i < 3 && polygon.length; i++) polygon = clipped(polygon, corners[i]!, corners[(i + 1) % 3]!)
  return polygonArea(polygon)
}

/** What of a polygon lies to the left of a line. */
function clipped(polygon: readonly Plane[], [ax, ay]: Plane, [bx, by]: Plane): Plane[] {
  const side = ([x, y]: Plane): number => (bx - ax) * (y - ay) - (by - ay) * (x - ax)
  return polygon.flatMap((p, i) => {
    const next = polygon[(i + 1) % polygon.length]!
    const [own, then] = [side(p), side(next)]
    const kept: Plane[] = own >= 0 ? [p] : []
    if (own >= 0 === then >= 0) return kept
    const t = own / (own - then)
    return [...kept, [p[0] + t * (next[0] - p[0]), p[1] + t * (next[1] - p[1])]]
  })
}

function polygonArea(polygon: readonly Plane[]): number {
  let sum = 0
  polygon.forEach(([x, y], i) => {
    const [u, v] = polygon[(i + 1) % polygon.length]!
    sum += x * v - u * y
  })
  return Math.abs(sum) / 2
}

/** A surface whose faces have points of their own, so that each can have a value of its own. */
export function apartFaces(piece: Piece): Piece {
  const { points, elements, weightStarts, sources, weights, columns, ranges } = piece
  const n = elements.length
  const ends = new Uint32Array(n + 1)
  for (let i = 0; i < n; i++) ends[i + 1] = ends[i]! + weightStarts[elements[i]! + 1]! - weightStarts[elements[i]!]!
  const own = { sources: new Uint32Array(ends[n]!), weights: new Float64Array(ends[n]!) }
  const places = new Float64Array(3 * n)
  for (let i = 0; i < n; i++) {
    const p = elements[i]!
    places.set(points.subarray(3 * p, 3 * p + 3), 3 * i)
    own.sources.set(sources.subarray(weightStarts[p]!, weightStarts[p + 1]!), ends[i])
    own.weights.set(weights.subarray(weightStarts[p]!, weightStarts[p + 1]!), ends[i])
  }
  return {
    points: places,
    elements: Uint32Array.from({ length: n }, (_, i) => i),
    cells: piece.cells,
    weightStarts: ends,
    ...own,
    ranges: ranges.map((range) => ({ ...range, pointStart: 3 * range.elementStart, pointEnd: 3 * range.elementEnd })),
    ...(columns && { columns: columns.map((column) => Float64Array.from(elements, (p) => column[p]!)) }),
    ...(piece.motion && { motion: piece.motion }),
    ...(piece.from && { from: piece.from }),
  }
}
