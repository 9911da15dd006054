/**
 * Lines along a surface that follow a vector field with its part across the surface left out. From edge to edge of a triangle the field is
 * linear between its corners; steps are taken by the midpoint rule, at most a quarter of the triangle long: second order in its size.
 */
import { cross, dot, length, minus } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { TriangleTree, packTriangles } from '../mesh/TriangleTree'

/**
 * Triangles of a surface.
 *
 *   corners  (9 × n) positions
 *   vectors  (9 × n) values at the corners
 */
export interface FieldTriangles {
  corners: Float64Array
  vectors: Float64Array
}

export const surfaceEnds = [
  'left the surface',
  'came to rest',
  'reached the length limit',
  'reached the step limit',
  'met other flow',
] as const
export type SurfaceEnd = (typeof surfaceEnds)[number]

/**
 * One line.
 *
 *   places    (n) triangle, and the shares of its second and third corner
 *   times     (n) negative upstream, 0 where it starts
 */
export interface SurfaceLine {
  places: { triangle: number; s: number; t: number }[]
  times: number[]
  end: SurfaceEnd
}

export interface SurfaceLineOptions {
  /** 1 downstream, -1 upstream. */
  sign: number
  maxLength: number
  maxSteps: number
  check(): void
}

/** Speeds below this share of the largest one count as rest. */
const REST = 1e-9
/** Shorter steps are no way, as a share of the size. */
const NEAREST = 1e-9
/** Steps in one triangle. */
const STEPS_A_TRIANGLE = 4
/** Different corners are fewer. */
const MOST_POINTS = 2 ** 26
/** Crossings one after the other without any way between them: two triangles send the line back to each other. */
const MOST_TURNS = 3

export class SurfaceTracer {
  /** Triangle behind each edge (3 × n), -1 for none. Edge e is opposite to corner e. */
  private readonly behind: Int32Array
  private readonly tree: TriangleTree
  private readonly order: Uint32Array
  private readonly fastest: number
  private readonly size: number

  /** @param size  diagonal of the surface */
  constructor(
    private readonly triangles: FieldTriangles,
    size: number,
  ) {
    const { corners, vectors } = triangles
    const n = corners.length / 9
    this.size = size
    this.behind = edgesOf(corners, 1e-9 * size)
    this.order = new Uint32Array(n)
    this.tree = new TriangleTree(packTriangles(corners, this.order))
    let fastest = 0
    for (let i = 0; i < vectors.length; i += 3) fastest = Math.max(fastest, Math.hypot(vectors[i]!, vectors[i + 1]!, vectors[i + 2]!) || 0)
    this.fastest = fastest
  }

  /** From the place on the surface that is nearest to a position. */
  trace([x, y, z]: Vector, options: SurfaceLineOptions): SurfaceLine {
    const found = this.tree.nearest(x, y, z)
    const line: SurfaceLine = { places: [], times: [], end: 'left the surface' }
    if (found.triangle < 0) return line
    let { s, t } = found
    let triangle = this.order[found.triangle]!
    let [time, way, turns] = [0, 0, 0]
    const record = (): void => {
      line.places.push({ triangle, s, t })
      line.times.push(options.sign * time)
    }
    record()
    for (let steps = 0; ; steps++) {
      if (steps >= options.maxSteps) return { ...line, end: 'reached the step limit' }
      if (steps % 64 === 0) options.check()
      const step = this.step(triangle, s, t, options.sign)
      if (!step) return { ...line, end: 'came to rest' }
      const share = Math.min(1, (options.maxLength - way) / Math.max(step.length, 1e-300))
      ;[s, t] = [s + share * step.ds, t + share * step.dt]
      time += share * step.time
      way += share * step.length
      turns = step.length > NEAREST * this.size ? 0 : turns + 1
      if (step.length > 0) record()
      if (share < 1 || way >= options.maxLength) return { ...line, end: 'reached the length limit' }
      if (turns > MOST_TURNS) return { ...line, end: 'met other flow' }
      if (step.edge < 0) continue
      const next = this.behind[3 * triangle + step.edge]!
      if (next < 0) return line
      const at = this.position(triangle, s, t)
      triangle = next
      ;[s, t] = this.sharesIn(next, at)
    }
  }

  private corner(triangle: number, i: number): Vector {
    const at = 9 * triangle + 3 * i
    const { corners } = this.triangles
    return [corners[at]!, corners[at + 1]!, corners[at + 2]!]
  }

  position(triangle: number, s: number, t: number): Vector {
    return mixed(this.triangles.corners, 9 * triangle, s, t)
  }

  /** Direction in shares by time, and the speed along the surface. */
  private rate(triangle: number, s: number, t: number, sign: number): { ds: number; dt: number; along: Vector; speed: number } {
    const a = this.corner(triangle, 0)
    const [e1, e2] = [minus(this.corner(triangle, 1), a), minus(this.corner(triangle, 2), a)]
    const u = mixed(this.triangles.vectors, 9 * triangle, s, t)
    // the nearest combination of both edges: its difference from the vector is across the surface
    const [a11, a12, a22] = [dot(e1, e1), dot(e1, e2), dot(e2, e2)]
    const det = a11 * a22 - a12 * a12
    const [b1, b2] = [dot(e1, u), dot(e2, u)]
    const [ds, dt] = [(sign * (a22 * b1 - a12 * b2)) / det, (sign * (a11 * b2 - a12 * b1)) / det]
    const along = e1.map((c, d) => c * ds + e2[d]! * dt) as Vector
    return { ds, dt, along, speed: length(along) }
  }

  /** A step up to an edge, or a part of the triangle; `edge` is that which is reached, -1 for none. */
  private step(triangle: number, s: number, t: number, sign: number) {
    const first = this.rate(triangle, s, t, sign)
    if (!this.moves(first.speed)) return undefined
    const longest = Math.sqrt(
      length(cross(minus(this.corner(triangle, 1), this.corner(triangle, 0)), minus(this.corner(triangle, 2), this.corner(triangle, 0)))),
    )
    const most = longest / STEPS_A_TRIANGLE / first.speed
    let span = Math.min(most, exitOf(s, t, first).time)
    let middle = this.rate(triangle, s + (span / 2) * first.ds, t + (span / 2) * first.dt, sign)
    // where the flow comes from both sides a long step would go to and fro
    let isShort = false
    while (dot(first.along, middle.along) < 0 && span * first.speed > NEAREST * this.size) {
      isShort = true
      span /= 2
      middle = this.rate(triangle, s + (span / 2) * first.ds, t + (span / 2) * first.dt, sign)
    }
    const isOver = dot(first.along, middle.along) < 0 || (isShort && span * middle.speed < NEAREST * this.size)
    if (isOver || !this.moves(middle.speed)) return undefined
    const exit = exitOf(s, t, middle)
    const own = isShort ? span : most
    const time = Math.min(own, exit.time)
    return { ds: time * middle.ds, dt: time * middle.dt, time, length: time * middle.speed, edge: exit.time <= own ? exit.edge : -1 }
  }

  private moves(speed: number): boolean {
    return speed > REST * this.fastest
  }

  /** Of a place on an edge that both triangles have. */
  private sharesIn(triangle: number, at: Vector): [number, number] {
    const a = this.corner(triangle, 0)
    const [e1, e2, r] = [minus(this.corner(triangle, 1), a), minus(this.corner(triangle, 2), a), minus(at, a)]
    const [a11, a12, a22] = [dot(e1, e1), dot(e1, e2), dot(e2, e2)]
    const det = a11 * a22 - a12 * a12
    const s = Math.min(1, Math.max(0, (a22 * dot(e1, r) - a12 * dot(e2, r)) / det))
    return [s, Math.min(1 - s, Math.max(0, (a11 * dot(e2, r) - a12 * dot(e1, r)) / det))]
  }
}

/** When a place that moves leaves its triangle, and through the edge opposite to which corner. */
function exitOf(s: number, t: number, { ds, dt }: { ds: number; dt: number }): { time: number; edge: number } {
  let [time, edge] = [Infinity, -1]
  const shares = [1 - s - t, s, t]
  const rates = [-ds - dt, ds, dt]
  rates.forEach((rate, i) => {
    const left = rate < 0 ? Math.max(0, shares[i]!) / -rate : Infinity
    if (left < time) [time, edge] = [left, i]
  })
  return { time, edge }
}

/** Triangles that share an edge by the places of its ends. Of three at one edge each has one of the others behind it. */
function edgesOf(corners: Float64Array, near: number): Int32Array {
  const numbers = new Map<string, number>()
  const key = (at: number): number => {
    const name = [0, 1, 2].map((d) => Math.round(corners[at + d]! / near)).join()
    const known = numbers.get(name)
    if (known !== undefined) return known
    numbers.set(name, numbers.size)
    return numbers.size - 1
  }
  const n = corners.length / 9
  const points = Uint32Array.from({ length: 3 * n }, (_, i) => key(3 * i))
  const behind = new Int32Array(3 * n).fill(-1)
  const open = new Map<number, number>()
  for (let i = 0; i < behind.length; i++) {
    const first = 3 * Math.floor(i / 3)
    const [a, b] = [points[first + ((i + 1) % 3)]!, points[first + ((i + 2) % 3)]!]
    const edge = Math.min(a, b) * MOST_POINTS + Math.max(a, b)
    const other = open.get(edge)
    if (other === undefined) open.set(edge, i)
    else {
      behind[i] = Math.floor(other / 3)
      behind[other] = Math.floor(i / 3)
    }
  }
  return behind
}

function mixed(values: Float64Array, at: number, s: number, t: number): Vector {
  const r = 1 - s - t
  return [0, 1, 2].map((d) => r * values[at + d]! + s * values[at + 3 + d]! + t * values[at + 6 + d]!) as Vector
}
