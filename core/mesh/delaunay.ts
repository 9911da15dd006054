/**
 * Tetrahedra between scattered points: Delaunay, by inserting one point after the other (Bowyer 1981, Watson 1981) in the order of a
 * space-filling curve, each beginning its search where the last one was put.
 *
 * Outside the hull stand ghosts: tetrahedra of a face of the hull and the vertex GHOST. Signs are exact (`robust-predicates`: Shewchuk
 * 1997). Points are moved by a share JITTER of their extent, always by the same amounts: sets on grids, whose tests are all zero, would
 * otherwise be slow and give flat tetrahedra. So what is linear comes out to about that share.
 */
import { insphere, orient3d } from 'robust-predicates'
import { DataError } from '../errors'

/** The vertex of tetrahedra outside the hull. */
export const GHOST = -1
const JITTER = 1e-8
/** Points between two looks at whether it is still wanted. */
const CHECK_EVERY = 512
/** Tetrahedra that a point is inside of the hull of, about; more room is made when it is needed. */
const PER_POINT = 8

/**
 *   points      Float64Array (3 × n), as they were moved
 *   corners     Int32Array (4 × nTets), the fourth above the others seen anticlockwise; GHOST at most once; -2 first for what is free
 *   neighbours  Int32Array (4 × nTets), behind the face opposite to each corner
 */
export interface Tetrahedra {
  points: Float64Array
  corners: Int32Array
  neighbours: Int32Array
  /** One that is in use. */
  start: number
}

const FREE = -2
/** Corners of the face opposite to each corner, so that with that corner fourth they turn as the tetrahedron does. */
const FACES = [
  [1, 3, 2],
  [0, 2, 3],
  [0, 3, 1],
  [0, 1, 2],
] as const

/**
 * @param points  (3 × n) of which no two are the same, and which do not all lie in a plane
 * @param order   in which they are inserted
 */
export function delaunay(points: Float64Array, order: ArrayLike<number>, extent: number, check: () => void): Tetrahedra {
  return new Builder(jittered(points, JITTER * extent)).build(order, check)
}

/** The same amounts for the same number of a point. */
function jittered(points: Float64Array, by: number): Float64Array {
  let state = 0x9e3779b9
  return points.map((x) => {
    state = (Math.imul(state ^ (state >>> 15), 0x2c1b3c6d) + 0x6d2b79f5) | 0
    const share = ((state ^ (state >>> 13)) >>> 0) / 2 ** 32
    return x + by * (share - 0.5)
  })
}

class Builder {
  private corners: Int32Array
  private neighbours: Int32Array
  private used = 0
  private readonly free: number[] = []
  private last = 0
  /** Tetrahedra that lose their place, and faces of the hole that they leave. */
  private readonly hole: number[] = []
  private readonly rim: number[] = []
  private marks: Int32Array
  private mark = 0
  private readonly edges = new Edges()

  constructor(private readonly points: Float64Array) {
    const room = 4 * Math.max(64, (PER_POINT * points.length) / 3)
    this.corners = new Int32Array(room)
    this.neighbours = new Int32Array(room)
    this.marks = new Int32Array(room / 4)
  }

  build(order: ArrayLike<number>, check: () => void): Tetrahedra {
    const first = this.begin(order)
    for (let i = 0; i < order.length; i++) {
      if (i % CHECK_EVERY === 0) check()
      if (!first.includes(order[i]!)) this.insert(order[i]!)
    }
    const n = 4 * this.used
    return { points: this.points, corners: this.corners.slice(0, n), neighbours: this.neighbours.slice(0, n), start: this.last }
  }

  /** A tetrahedron of the first points that are not in a plane, with a ghost at each face. */
  private begin(order: ArrayLike<number>): number[] {
    const [a, b] = [order[0]!, order[1]!]
    let c = 2
    while (c < order.length && this.areInLine(a, b, order[c]!)) c++
    let d = c + 1
    while (d < order.length && this.side(a, b, order[c]!, order[d]!) === 0) d++
    if (d >= order.length) throw new DataError('flat-points', 'These points lie in a plane.')
    const four = [a, b, order[c]!, order[d]!]
    if (this.side(a, b, four[2]!, four[3]!) < 0) [four[0], four[1]] = [b, a]
    const inner = this.make(four[0]!, four[1]!, four[2]!, four[3]!)
    const ghosts = FACES.map((face) => {
      const [u, v, w] = face.map((i) => four[i]!) as [number, number, number]
      // seen from outside
      return this.make(u, w, v, GHOST)
    })
    ghosts.forEach((ghost, i) => {
      this.neighbours[4 * inner + i] = ghost
      this.neighbours[4 * ghost + 3] = inner
    })
    for (const one of ghosts) {
      for (let i = 0; i < 3; i++) {
        const [u, v] = [0, 1, 2].filter((k) => k !== i).map((k) => this.corners[4 * one + k]!) as [number, number]
        this.neighbours[4 * one + i] = ghosts.find((other) => other !== one && this.has(other, u) && this.has(other, v))!
      }
    }
    this.last = inner
    return four
  }

  private has(tet: number, corner: number): boolean {
    for (let i = 0; i < 4; i++) if (this.corners[4 * tet + i] === corner) return true
    return false
  }

  private areInLine(a: number, b: number, c: number): boolean {
    const { points: p } = this
    const u = [0, 1, 2].map((d) => p[3 * b + d]! - p[3 * a + d]!)
    const v = [0, 1, 2].map((d) => p[3 * c + d]! - p[3 * a + d]!)
    return u[0]! * v[1]! === u[1]! * v[0]! && u[0]! * v[2]! === u[2]! * v[0]! && u[1]! * v[2]! === u[2]! * v[1]!
  }

  /** Positive where d is above a, b, c seen anticlockwise. */
  private side(a: number, b: number, c: number, d: number): number {
    return sideOf(this.points, a, b, c, this.points[3 * d]!, this.points[3 * d + 1]!, this.points[3 * d + 2]!)
  }

  private make(a: number, b: number, c: number, d: number): number {
    const tet = this.free.pop() ?? this.used++
    if (4 * tet >= this.corners.length) this.grow()
    const { corners } = this
    corners[4 * tet] = a
    corners[4 * tet + 1] = b
    corners[4 * tet + 2] = c
    corners[4 * tet + 3] = d
    return tet
  }

  private grow(): void {
    const wider = (array: Int32Array): Int32Array => {
      const out = new Int32Array(2 * array.length)
      out.set(array)
      return out
    }
    this.corners = wider(this.corners)
    this.neighbours = wider(this.neighbours)
    this.marks = wider(this.marks)
  }

  private insert(p: number): void {
    const { points } = this
    const [x, y, z] = [points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!]
    this.findHole(walk(points, this.corners, this.neighbours, this.last, x, y, z), p)
    this.edges.clear()
    const { rim } = this
    for (let r = 0; r < rim.length; r += 2) this.close(rim[r]!, rim[r + 1]!, p)
    for (const tet of this.hole) {
      this.corners[4 * tet] = FREE
      this.free.push(tet)
    }
  }

  /** Everything whose sphere holds the point, from one on, and the faces around it: of which tetrahedron, and its place there. */
  private findHole(from: number, p: number): void {
    const { hole, rim, marks, neighbours } = this
    const mark = ++this.mark
    hole.length = rim.length = 0
    hole.push(from)
    marks[from] = mark
    for (let h = 0; h < hole.length; h++) {
      const tet = hole[h]!
      for (let i = 0; i < 4; i++) {
        const other = neighbours[4 * tet + i]!
        if (marks[other] === mark) continue
        if (this.isHit(other, p)) {
          marks[other] = mark
          hole.push(other)
        } else rim.push(tet, i)
      }
    }
  }

  /** A new tetrahedron of a face of the hole and the point, joined to what is there. */
  private close(tet: number, i: number, p: number): void {
    const { corners: old } = this
    const face = FACES[i]!
    const a = old[4 * tet + face[0]]!
    const b = old[4 * tet + face[1]]!
    const c = old[4 * tet + face[2]]!
    const behind = this.neighbours[4 * tet + i]!
    // with a ghost among them the point takes its turn, so that the ghost is the last
    const made =
      a === GHOST
        ? this.make(b, p, c, GHOST)
        : b === GHOST
          ? this.make(c, p, a, GHOST)
          : c === GHOST
            ? this.make(a, p, b, GHOST)
            : this.make(a, b, c, p)
    const { corners, neighbours } = this
    for (let k = 0; k < 4; k++) {
      const corner = corners[4 * behind + k]!
      // the two may share several faces
      if (neighbours[4 * behind + k] === tet && corner !== a && corner !== b && corner !== c) neighbours[4 * behind + k] = made
    }
    for (let k = 0; k < 4; k++) {
      const corner = corners[4 * made + k]!
      if (corner === p) neighbours[4 * made + k] = behind
      else if (corner === a) this.join(made, k, b, c)
      else if (corner === b) this.join(made, k, a, c)
      else this.join(made, k, a, b)
    }
    if (corners[4 * made + 3] !== GHOST) this.last = made
  }

  /** New tetrahedra with the same edge of the rim share the face through it and the point. */
  private join(made: number, k: number, a: number, b: number): void {
    const { neighbours } = this
    const known = this.edges.meet(Math.min(a, b), Math.max(a, b), 4 * made + k)
    if (known < 0) return
    neighbours[4 * made + k] = known >> 2
    neighbours[known] = made
  }

  private isHit(tet: number, p: number): boolean {
    const { corners, points } = this
    const [a, b, c, d] = [corners[4 * tet]!, corners[4 * tet + 1]!, corners[4 * tet + 2]!, corners[4 * tet + 3]!]
    if (d !== GHOST) return inSphere(points, a, b, c, d, p) > 0
    const side = this.side(a, b, c, p)
    if (side !== 0) return side > 0
    // in the plane of a face of the hull: within its circle, as within the sphere of what is behind the face
    const k = 4 * this.neighbours[4 * tet + 3]!
    return inSphere(points, corners[k]!, corners[k + 1]!, corners[k + 2]!, corners[k + 3]!, p) > 0
  }
}

/** Edges that were seen once, with what was said of them. Emptied by raising a number. */
class Edges {
  private size = 256
  private stamps = new Int32Array(this.size)
  private entries = new Int32Array(3 * this.size)
  private now = 0
  private count = 0

  clear(): void {
    this.now++
    this.count = 0
  }

  /** @returns what was said of the edge before; -1 where it is new, and this is kept */
  meet(a: number, b: number, value: number): number {
    if (2 * ++this.count > this.size) this.grow()
    const { entries, stamps, now } = this
    let at = this.placeOf(a, b)
    while (stamps[at] === now) {
      if (entries[3 * at] === a && entries[3 * at + 1] === b) return entries[3 * at + 2]!
      at = (at + 1) & (this.size - 1)
    }
    stamps[at] = now
    entries[3 * at] = a
    entries[3 * at + 1] = b
    entries[3 * at + 2] = value
    return -1
  }

  private placeOf(a: number, b: number): number {
    const mixed = Math.imul(a + 2, 0x9e3779b1) ^ Math.imul(b + 2, 0x85ebca6b)
    return (mixed ^ (mixed >>> 15)) & (this.size - 1)
  }

  private grow(): void {
    const { entries, stamps, now } = this
    const kept = [...stamps.keys()].filter((at) => stamps[at] === now).map((at) => entries.slice(3 * at, 3 * at + 3))
    this.size *= 2
    this.stamps = new Int32Array(this.size)
    this.entries = new Int32Array(3 * this.size)
    this.now = 1
    this.count = 0
    for (const [a, b, value] of kept) this.meet(a!, b!, value!)
    this.count++
  }
}

/** Positive where a place is above a, b, c seen anticlockwise; six times the volume between them. */
export function sideOf(p: Float64Array, a: number, b: number, c: number, x: number, y: number, z: number): number {
  const i = 3 * a,
    j = 3 * b,
    k = 3 * c
  return -orient3d(p[i]!, p[i + 1]!, p[i + 2]!, p[j]!, p[j + 1]!, p[j + 2]!, p[k]!, p[k + 1]!, p[k + 2]!, x, y, z)
}

/** Positive where e lies within the sphere of a, b, c, d. */
function inSphere(p: Float64Array, a: number, b: number, c: number, d: number, e: number): number {
  const i = 3 * a,
    j = 3 * b,
    k = 3 * c,
    l = 3 * d,
    m = 3 * e
  // prettier-ignore
  return insphere(
    p[i]!, p[i + 1]!, p[i + 2]!, p[j]!, p[j + 1]!, p[j + 2]!, p[k]!, p[k + 1]!, p[k + 2]!,
    p[l]!, p[l + 1]!, p[l + 2]!, p[m]!, p[m + 1]!, p[m + 2]!,
  )
}

/**
 * From one tetrahedron to the one that holds a place, through faces that the place is behind. In Delaunay tetrahedra this ends (Devillers,
 * Pion and Teillaud, "Walking in a triangulation", 2002).
 *
 * @returns a ghost where the place is outside the hull
 */
export function walk(
  points: Float64Array,
  corners: Int32Array,
  neighbours: Int32Array,
  start: number,
  x: number,
  y: number,
  z: number,
): number {
  let tet = corners[4 * start + 3] === GHOST ? neighbours[4 * start + 3]! : start
  let before = -1
  for (;;) {
    let next = -1
    for (let i = 0; i < 4 && next < 0; i++) {
      const behind = neighbours[4 * tet + i]!
      if (behind === before) continue
      const face = FACES[i]!
      const [a, b, c] = [corners[4 * tet + face[0]]!, corners[4 * tet + face[1]]!, corners[4 * tet + face[2]]!]
      if (sideOf(points, a, b, c, x, y, z) < 0) next = behind
    }
    if (next < 0) return tet
    if (corners[4 * next + 3] === GHOST) return next
    before = tet
    tet = next
  }
}
