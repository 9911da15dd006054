/**
 * Points of what is left of cells or elements after a cut: points that are kept, and crossings of edges, each once, with their weights over
 * points of the case.
 *
 * The ends of an edge are in the order of their coordinates and a point on the level is the crossing itself, as in `cutCells`: copies of an
 * edge in other blocks are cut at bitwise the same place.
 */
import { Growing } from '../mesh/growing'
import type { FloatArray } from '../mesh/MeshBlock'
import { hashOf, isAfter } from './cutCells'

/** Points with weights over points of a block of the case; without them they are those points. */
export interface WeightedPoints {
  points: FloatArray
  weightStarts?: Uint32Array
  sources?: Uint32Array
  weights?: Float64Array
}

/** Number of a point that nothing has used yet. */
const NONE = 0xffffffff

export class CutPoints {
  private readonly points = new Growing(Float64Array)
  private readonly starts = new Growing(Uint32Array)
  private readonly sources = new Growing(Uint32Array)
  private readonly weights = new Growing(Float64Array)
  private readonly keptAs: Uint32Array
  /** Ends of the edge that each point lies on, equal for points that are kept, and the weight of the second one. */
  private readonly ends = new Growing(Uint32Array)
  private readonly shares = new Growing(Float64Array)
  /** Hash table of crossings: their numbers plus one, 0 for none. */
  private table = new Uint32Array(1 << 10)
  private nCrossings = 0

  /** @param level  at each point: what is kept is where it is 0 or more */
  constructor(
    private readonly from: WeightedPoints,
    private readonly level: Float64Array,
  ) {
    this.keptAs = new Uint32Array(from.points.length / 3).fill(NONE)
    this.starts.push(0)
  }

  get count(): number {
    return this.shares.length
  }

  /** Point of `from` that a point is, or undefined for a crossing. */
  originOf(i: number): number | undefined {
    const origin = this.ends.at(2 * i)
    return origin === this.ends.at(2 * i + 1) ? origin : undefined
  }

  /** Points that are used from here on are new ones. */
  startRange(): void {
    this.keptAs.fill(NONE)
    this.table.fill(0)
    this.nCrossings = 0
  }

  kept(p: number): number {
    if (this.keptAs[p] === NONE) {
      this.keptAs[p] = this.count
      const { points, weightStarts } = this.from
      this.points.push(points[3 * p]!)
      this.points.push(points[3 * p + 1]!)
      this.points.push(points[3 * p + 2]!)
      this.ends.push(p)
      this.ends.push(p)
      this.shares.push(0)
      if (weightStarts) this.addWeights(p, 1)
      else {
        this.sources.push(p)
        this.weights.push(1)
      }
      this.starts.push(this.sources.length)
    }
    return this.keptAs[p]!
  }

  /** Where the level is crossed between two points on different sides. */
  crossing(p: number, q: number): number {
    const { level } = this
    if (level[p] === 0) return this.kept(p)
    if (level[q] === 0) return this.kept(q)
    const { points } = this.from
    const [a, b] = isAfter(points, p, q) ? [q, p] : [p, q]
    let h = this.slotOf(a, b)
    let index = this.table[h]! - 1
    if (index < 0) {
      index = this.count
      if (2 * ++this.nCrossings > this.table.length) {
        this.growTable()
        h = this.slotOf(a, b)
      }
      this.table[h] = index + 1
      const t = level[a]! / (level[a]! - level[b]!)
      this.ends.push(a)
      this.ends.push(b)
      this.shares.push(t)
      for (let d = 0; d < 3; d++) this.points.push(points[3 * a + d]! * (1 - t) + points[3 * b + d]! * t)
      this.addWeights(a, 1 - t)
      this.addWeights(b, t)
      this.starts.push(this.sources.length)
    }
    return index
  }

  /** Place of a crossing in the table, or the empty one where it would be. */
  private slotOf(a: number, b: number): number {
    const mask = this.table.length - 1
    let h = hashOf(a, b) & mask
    for (let found = this.table[h]!; found !== 0; found = this.table[h]!) {
      if (this.ends.at(2 * found - 2) === a && this.ends.at(2 * found - 1) === b) break
      h = (h + 1) & mask
    }
    return h
  }

  private growTable(): void {
    const old = this.table
    this.table = new Uint32Array(2 * old.length)
    for (const found of old) if (found !== 0) this.table[this.slotOf(this.ends.at(2 * found - 2), this.ends.at(2 * found - 1))] = found
  }

  /** Whether one of the new points comes after another in the order of coordinates. */
  isAfter(i: number, j: number): boolean {
    for (let d = 0; d < 3; d++) {
      const x = this.points.at(3 * i + d)
      const y = this.points.at(3 * j + d)
      if (x !== y) return x > y
    }
    return i > j
  }

  /** Values at the new points of what is given at the points of `from`. */
  interpolated(values: Float64Array): Float64Array {
    return Float64Array.from({ length: this.count }, (_, i) => {
      const t = this.shares.at(i)
      return values[this.ends.at(2 * i)]! * (1 - t) + values[this.ends.at(2 * i + 1)]! * t
    })
  }

  finish(): Required<WeightedPoints> & { points: Float64Array } {
    return {
      points: this.points.finish(),
      weightStarts: this.starts.finish(),
      sources: this.sources.finish(),
      weights: this.weights.finish(),
    }
  }

  /** Adds the weights of a point, times a factor, to those of the point at the end; equal sources are joined. */
  private addWeights(p: number, factor: number): void {
    const { weightStarts, sources, weights } = this.from
    const first = weightStarts ? weightStarts[p]! : p
    const last = weightStarts ? weightStarts[p + 1]! : p + 1
    for (let w = first; w < last; w++) {
      const source = sources ? sources[w]! : w
      const weight = factor * (weights ? weights[w]! : 1)
      let at = this.starts.at(this.starts.length - 1)
      while (at < this.sources.length && this.sources.at(at) !== source) at++
      if (at < this.sources.length) this.weights.addTo(at, weight)
      else {
        this.sources.push(source)
        this.weights.push(weight)
      }
    }
  }
}

/** A convex polygon as triangles that fan from its first corner in the order of coordinates: its neighbours split it in the same way. */
export function fanOf(polygon: readonly number[], points: CutPoints, add: (i: number, j: number, k: number) => void): void {
  let first = 0
  for (let i = 1; i < polygon.length; i++) if (points.isAfter(polygon[first]!, polygon[i]!)) first = i
  for (let n = 1; n < polygon.length - 1; n++) {
    const i = polygon[first]!
    const j = polygon[(first + n) % polygon.length]!
    const k = polygon[(first + n + 1) % polygon.length]!
    if (i !== j && j !== k && k !== i) add(i, j, k)
  }
}

/** What is left of a triangle: none, the triangle, a smaller one or a quad. Corners stay in their order. */
export function clippedTriangle(points: CutPoints, level: Float64Array, corners: readonly [number, number, number]): number[] {
  const polygon: number[] = []
  for (let i = 0; i < 3; i++) {
    const p = corners[i]!
    const q = corners[(i + 1) % 3]!
    if (level[p]! >= 0) polygon.push(points.kept(p))
    // a point on the level is its own crossing
    if (level[p]! > 0 && level[q]! < 0) polygon.push(points.crossing(p, q))
    if (level[p]! < 0 && level[q]! > 0) polygon.push(points.crossing(q, p))
  }
  return polygon
}
