/**
 * Finds places among points without a mesh: within which tetrahedron between them, or between which triangles or segments where the points
 * lie in a plane or on a line; and which points are nearest.
 */
import Delaunator from 'delaunator'
import { DataError } from '../errors'
import { boxOfPoints, diagonal } from './boxes'
import { curveOrderOfPoints } from './curveOrder'
import { delaunay, GHOST, sideOf, walk } from './delaunay'
import type { Tetrahedra } from './delaunay'
import { packTriangles, TriangleTree } from './TriangleTree'

/** Heights and widths below this share of the extent count as none. */
const FLAT = 1e-7
/** A place may lie so far outside, as a share of the extent. */
const OUTSIDE = 1e-7

/** As `Survey` has it. */
interface Packed {
  meta: unknown
  arrays: Record<string, Float32Array | Float64Array | Uint8Array | Uint32Array | Int32Array>
}

interface PackedArrays {
  order: Uint32Array
  moved: Float64Array
  corners: Int32Array
  neighbours: Int32Array
}

export class ScatteredPoints {
  /** Of the last place that was found: points, and the share of each. */
  readonly ids = new Int32Array(4)
  readonly shares = new Float64Array(4)
  /** Points at a place where another one is: these are left out. */
  readonly nRepeated: number
  private readonly extent: number
  private readonly order: Uint32Array
  private tetrahedra: Tetrahedra | undefined
  private flat: Flat | undefined
  private hull: PointTriangles | undefined
  private last = 0
  private tree: { tree: TriangleTree; order: Uint32Array } | undefined

  /**
   * @param points  (3 × n) n ≥ 1
   * @param known   what `packed` of the same points gave
   */
  constructor(
    readonly points: Float64Array,
    private readonly check: () => void,
    known?: Packed,
  ) {
    const n = points.length / 3
    if (!n) throw new DataError('no-points', 'There are no points that values could be carried from.')
    const box = boxOfPoints(points)
    this.extent = diagonal(box)
    if (known?.meta) {
      const { order, corners, neighbours, moved } = known.arrays as unknown as PackedArrays
      this.order = order
      this.nRepeated = n - order.length
      const { start } = known.meta as { start: number }
      if (start >= 0) this.tetrahedra = { corners, neighbours, points: moved, start }
      this.last = Math.max(0, start)
      return
    }
    this.order = withoutRepeated(points, curveOrderOfPoints(points, box))
    this.nRepeated = n - this.order.length
  }

  /** What is dear to find, to be kept. */
  packed(): Packed {
    this.prepare()
    const { points: moved, corners, neighbours, start } = this.tetrahedra ?? { points: null, corners: null, neighbours: null, start: -1 }
    return { meta: { start }, arrays: { order: this.order, ...(moved && { moved, corners, neighbours }) } }
  }

  /** How far outside a place may lie; of one point, which has no extent, in the unit of length. */
  private get outside(): number {
    return OUTSIDE * (this.extent || 1)
  }

  /** Whether they lie in a plane, on a line, or are one. */
  get isFlat(): boolean {
    this.prepare()
    return this.flat !== undefined
  }

  private prepare(): void {
    if (this.tetrahedra || this.flat) return
    const flat = flatnessOf(this.points, this.order, FLAT * this.extent)
    if (flat) {
      this.flat = new Flat(this.points, this.order, flat)
      return
    }
    this.tetrahedra = delaunay(this.points, this.order, this.extent, this.check)
    this.last = this.tetrahedra.start
  }

  /** Fills `ids` and `shares` by the points around a place; those of no share are -1. @returns whether it is among them */
  between(x: number, y: number, z: number): boolean {
    this.prepare()
    if (this.flat) return this.flat.between([x, y, z], this.outside, this.ids, this.shares)
    const { points, corners, neighbours } = this.tetrahedra!
    const tet = walk(points, corners, neighbours, this.last, x, y, z)
    if (corners[4 * tet + 3] === GHOST) {
      // a place that lies outside by rounding is on the hull
      this.hull ??= hullOf(this.tetrahedra!)
      return this.hull.between([x, y, z], this.outside, this.ids, this.shares)
    }
    this.last = tet
    this.shareAmong(tet, x, y, z)
    return true
  }

  private shareAmong(tet: number, x: number, y: number, z: number): void {
    const { points, corners } = this.tetrahedra!
    const [a, b, c, d] = [corners[4 * tet]!, corners[4 * tet + 1]!, corners[4 * tet + 2]!, corners[4 * tet + 3]!]
    const parts = [
      sideOf(points, b, d, c, x, y, z),
      sideOf(points, a, c, d, x, y, z),
      sideOf(points, a, d, b, x, y, z),
      sideOf(points, a, b, c, x, y, z),
    ].map((part) => Math.max(part, 0))
    const sum = parts.reduce((total, part) => total + part, 0)
    ;[a, b, c, d].forEach((id, k) => {
      this.ids[k] = id
      this.shares[k] = parts[k]! / sum
    })
  }

  /** @returns the nearest point and its distance */
  nearest(x: number, y: number, z: number): { id: number; distance: number } {
    const { tree, order } = this.searched()
    const { distance, triangle } = tree.nearest(x, y, z)
    return { id: order[triangle]!, distance }
  }

  /** @returns the nearest ones, the nearest first */
  nearestFew(x: number, y: number, z: number, count: number): { id: number; distance: number }[] {
    const { tree, order } = this.searched()
    return tree.nearestFew(x, y, z, count).map(({ triangle, distance }) => ({ id: order[triangle]!, distance }))
  }

  private searched(): { tree: TriangleTree; order: Uint32Array } {
    if (!this.tree) {
      const corners = new Float64Array(9 * this.order.length)
      this.order.forEach((p, i) => {
        for (let k = 0; k < 9; k++) corners[9 * i + k] = this.points[3 * p + (k % 3)]!
      })
      const order = new Uint32Array(this.order.length)
      const tree = new TriangleTree(packTriangles(corners, order))
      this.tree = { tree, order: order.map((i) => this.order[i]!) }
    }
    return this.tree
  }
}

/** Points at the same place follow each other along the curve. */
function withoutRepeated(points: Float64Array, order: Uint32Array): Uint32Array {
  const known = new Set<string>()
  return order.filter((p) => {
    const at = `${points[3 * p]} ${points[3 * p + 1]} ${points[3 * p + 2]}`
    if (known.has(at)) return false
    known.add(at)
    return true
  })
}

/** Triangles of points by their numbers, to find places on them; segments and single points are triangles whose corners coincide. */
class PointTriangles {
  private readonly packed: Uint32Array
  private readonly tree: TriangleTree

  /**
   * @param corners  three points each
   * @param where    places of the corners (3 × corners)
   */
  constructor(
    private readonly corners: ArrayLike<number>,
    where: Float64Array,
  ) {
    this.packed = new Uint32Array(corners.length / 3)
    this.tree = new TriangleTree(packTriangles(where, this.packed))
  }

  /** Fills `ids` and `shares`. @returns whether the place is nearer to them than `outside` */
  between([x, y, z]: Vec, outside: number, ids: Int32Array, shares: Float64Array): boolean {
    const { triangle, s, t } = this.tree.nearest(x, y, z, outside)
    if (triangle < 0) return false
    const first = 3 * this.packed[triangle]!
    ids.set([this.corners[first]!, this.corners[first + 1]!, this.corners[first + 2]!, -1])
    shares.set([1 - s - t, s, t, 0])
    return true
  }
}

/** Triangles around tetrahedra. */
function hullOf({ corners, points }: Tetrahedra): PointTriangles {
  const found: number[] = []
  for (let at = 0; at < corners.length; at += 4)
    if (corners[at + 3] === GHOST && corners[at]! >= 0) found.push(corners[at]!, corners[at + 1]!, corners[at + 2]!)
  const where = Float64Array.from({ length: 3 * found.length }, (_, i) => points[3 * found[Math.floor(i / 3)]! + (i % 3)]!)
  return new PointTriangles(found, where)
}

type Vec = [number, number, number]

/** A plane or a line that all points lie in: a place in it, and one or two directions at right angles; undefined when there is none. */
interface InPlane {
  origin: Vec
  axes: Vec[]
}

function flatnessOf(points: Float64Array, order: Uint32Array, tolerance: number): InPlane | undefined {
  const at = (p: number): Vec => [points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!]
  const origin = at(order[0]!)
  const axes: Vec[] = []
  for (let dimension = 0; dimension < 3; dimension++) {
    let [most, rest] = [0, [0, 0, 0] as Vec]
    for (const p of order) {
      const off = at(p).map((x, d) => x - origin[d]!) as Vec
      for (const axis of axes) {
        const along = dot(off, axis)
        for (let d = 0; d < 3; d++) off[d]! -= along * axis[d]!
      }
      const size = Math.hypot(...off)
      if (size > most) [most, rest] = [size, off]
    }
    if (most <= tolerance) return { origin, axes }
    axes.push(rest.map((x) => x / most) as Vec)
  }
  return undefined
}

function dot(a: readonly number[], b: readonly number[]): number {
  return a[0]! * b[0]! + a[1]! * b[1]! + a[2]! * b[2]!
}

/** Triangles or segments between points in a plane or on a line; places are looked at where they are above it. */
class Flat {
  private readonly triangles: PointTriangles

  constructor(
    points: Float64Array,
    order: Uint32Array,
    private readonly plane: InPlane,
  ) {
    const inPlane = (p: number): Vec => this.inPlane(points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!)
    const corners = elementsOf(Array.from(order, inPlane), plane.axes.length).map((i) => order[i]!)
    this.triangles = new PointTriangles(corners, Float64Array.from(corners.flatMap(inPlane)))
  }

  /** Coordinates along the axes of the plane; 0 for those that it has not. */
  private inPlane(x: number, y: number, z: number): Vec {
    const { origin, axes } = this.plane
    const along = axes.map((axis) => dot([x - origin[0], y - origin[1], z - origin[2]], axis))
    return [along[0] ?? 0, along[1] ?? 0, 0]
  }

  between([x, y, z]: Vec, outside: number, ids: Int32Array, shares: Float64Array): boolean {
    return this.triangles.between(this.inPlane(x, y, z), outside, ids, shares)
  }
}

/** Corners of triangles, three by three; segments and a single point have corners that coincide. */
function elementsOf(places: readonly number[][], dimension: number): number[] {
  if (dimension === 2)
    return [
      ...Delaunator.from(
        places,
        ([u]) => u!,
        ([, v]) => v!,
      ).triangles,
    ]
  if (dimension === 0) return [0, 0, 0]
  const sorted = places.map((_, i) => i).sort((a, b) => places[a]![0]! - places[b]![0]!)
  return sorted.slice(1).flatMap((i, k) => [sorted[k]!, i, i])
}
