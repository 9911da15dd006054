/**
 * Cuts the volume cells of one block along the zero level of a function given at its points.
 *
 * Method: marching tetrahedra over the split of `mesh/tetrahedra.ts` (Doi and Koide, 1991): watertight across cells,
 * blocks and types, since the split and the crossing of an edge depend only on its two points. A point on the
 * level counts as above; the crossing then is that point itself. Linear functions are cut exactly.
 *
 * Cost: one sign byte per point of the groups that may be crossed, then the corner signs of their cells.
 * Triangles wind so that their normal points to where the function grows. Triangles that collapse to a point or line
 * because a node is on the level are dropped.
 */
import { cellNodeCount } from '../mesh/cellTypes'
import { tetrahedraOf } from '../mesh/tetrahedra'
import { groupCellsOf } from '../mesh/Domain'
import type { DomainMesh } from '../mesh/Domain'
import type { FloatArray } from '../mesh/MeshBlock'

/**
 *   points     Float64Array (3 × n)
 *   a, b       Uint32Array (n) local points of the block, in the order of their coordinates; equal when the crossing is a point
 *   t          Float64Array (n) weight of b; the weight of a is 1 - t
 *   triangles  Uint32Array (3 × nTriangles) into points
 *   cells      Uint32Array (nTriangles) local cell of the block
 */
export interface Cut {
  points: Float64Array
  a: Uint32Array
  b: Uint32Array
  t: Float64Array
  triangles: Uint32Array
  cells: Uint32Array
}

/**
 * Triangles of one tetrahedron by the signs of its nodes (bit i set: node i is at or above the level), as pairs of
 * nodes per corner. Every entry winds towards the nodes above, for tetrahedra of positive volume.
 */
const cases: readonly (readonly number[])[] = buildCases()

function buildCases(): number[][] {
  const list: number[][] = []
  for (let signs = 0; signs < 16; signs++) {
    const above = [0, 1, 2, 3].filter((i) => (signs >> i) & 1)
    const below = [0, 1, 2, 3].filter((i) => !((signs >> i) & 1))
    const edges: number[] = []
    if (above.length === 1 || below.length === 1) {
      const [alone, others] = above.length === 1 ? [above[0]!, below] : [below[0]!, above]
      const p = others[0]!
      let [q, r] = [others[1]!, others[2]!]
      // even permutation (alone p q r): seen from `alone`, p q r run clockwise, so the triangle faces away from it
      const even = isEven([alone, p, q, r])
      if (even === (above.length === 1)) [q, r] = [r, q]
      edges.push(alone, p, alone, q, alone, r)
    } else if (above.length === 2) {
      let [i, j] = above as [number, number]
      const [k, l] = below as [number, number]
      if (!isEven([i, j, k, l])) [i, j] = [j, i]
      edges.push(i, k, j, l, i, l, i, k, j, k, j, l)
    }
    list.push(edges)
  }
  return list
}

function isEven(permutation: number[]): boolean {
  let swaps = 0
  for (let i = 0; i < 4; i++) for (let j = i + 1; j < 4; j++) if (permutation[i]! > permutation[j]!) swaps++
  return swaps % 2 === 0
}

/** Sign of a point whose level was not asked for yet. */
const UNKNOWN = 4

/** Levels and signs of the points of one block, kept from cut to cut: making them anew takes a sixth of the time of a cut. */
let scratch = { level: new Float64Array(0), signs: new Uint8Array(0) }

/**
 * @param levelAt    function minus its level at a point of the block; not-a-number is treated as below and its cells are
 *                   left out. Asked only for points of groups that may be crossed
 * @param isCrossed  whether a group of cells can hold the level; skips the others unseen
 */
export function cutCells(mesh: DomainMesh, levelAt: (point: number) => number, isCrossed: (group: number) => boolean): Cut {
  const { types, offsets, connectivity, points, pointNumbers } = mesh
  const nPoints = pointNumbers.length
  if (scratch.signs.length < nPoints) scratch = { level: new Float64Array(nPoints), signs: new Uint8Array(nPoints) }
  const { level } = scratch
  const signs = scratch.signs.fill(UNKNOWN, 0, nPoints)
  const out = builder.begin(points, level)
  const groups = groupCellsOf(mesh)
  for (let g = 0; g + 1 < groups.length; g++) {
    const first = groups[g]!
    const last = groups[g + 1]!
    if (first === last || !isCrossed(g)) continue
    for (let i = offsets[first]!, end = offsets[last]!; i < end; i++) {
      const p = connectivity[i]!
      if (signs[p] !== UNKNOWN) continue
      const x = levelAt(p)
      level[p] = x
      signs[p] = x >= 0 ? 1 : x < 0 ? 0 : 2
    }
    for (let c = first; c < last; c++) {
      const start = offsets[c]!
      const end = offsets[c + 1]!
      let any = 0
      let every = 1
      for (let i = start; i < end; i++) {
        const sign = signs[connectivity[i]!]!
        any |= sign
        every &= sign
      }
      if (any !== 1 || every === 1 || !cellNodeCount[types[c]!]) continue
      const tets = tetrahedraOf(types[c]!, connectivity, start, pointNumbers)
      for (let k = 0; k < tets.length; k += 4) {
        const p0 = connectivity[start + tets[k]!]!
        const p1 = connectivity[start + tets[k + 1]!]!
        const p2 = connectivity[start + tets[k + 2]!]!
        const p3 = connectivity[start + tets[k + 3]!]!
        const edges = cases[signs[p0]! | (signs[p1]! << 1) | (signs[p2]! << 2) | (signs[p3]! << 3)]!
        for (let e = 0; e < edges.length; e += 6) {
          out.triangle(
            c,
            out.crossing(pick(edges[e]!, p0, p1, p2, p3), pick(edges[e + 1]!, p0, p1, p2, p3)),
            out.crossing(pick(edges[e + 2]!, p0, p1, p2, p3), pick(edges[e + 3]!, p0, p1, p2, p3)),
            out.crossing(pick(edges[e + 4]!, p0, p1, p2, p3), pick(edges[e + 5]!, p0, p1, p2, p3)),
          )
        }
      }
    }
  }
  return out.finish()
}

function pick(node: number, p0: number, p1: number, p2: number, p3: number): number {
  return node === 0 ? p0 : node === 1 ? p1 : node === 2 ? p2 : p3
}

const none = new Float64Array(0)

/** Collects crossings, each edge once, and triangles in growing arrays, which are kept from cut to cut. */
class CutBuilder {
  private points: FloatArray = none
  private level: FloatArray = none
  private nPoints = 0
  private nTriangles = 0
  private a = new Uint32Array(1024)
  private b = new Uint32Array(1024)
  private t = new Float64Array(1024)
  private triangles = new Uint32Array(3 * 2048)
  private cells = new Uint32Array(2048)
  /** Open addressing: crossing + 1 by edge; 0 is free. */
  private table = new Uint32Array(4096)

  begin(points: FloatArray, level: FloatArray): this {
    this.points = points
    this.level = level
    this.nPoints = this.nTriangles = 0
    this.table.fill(0)
    return this
  }

  /** Index of the crossing of the edge between two local points of different sign. */
  crossing(p: number, q: number): number {
    const { level, table } = this
    const fp = level[p]!
    const fq = level[q]!
    // a point on the level is the crossing itself
    const lo = fp === 0 ? p : fq === 0 ? q : p < q ? p : q
    const hi = fp === 0 ? p : fq === 0 ? q : p < q ? q : p
    const mask = table.length - 1
    let h = hashOf(lo, hi) & mask
    for (let found = table[h]!; found !== 0; found = table[h]!) {
      const a = this.a[found - 1]!
      const b = this.b[found - 1]!
      if ((a === lo && b === hi) || (a === hi && b === lo)) return found - 1
      h = (h + 1) & mask
    }
    // the same order in every block, so that copies of an edge are cut at bitwise the same place
    const isTurned = isAfter(this.points, lo, hi)
    const a = isTurned ? hi : lo
    const b = isTurned ? lo : hi
    const fa = level[a]!
    const fb = level[b]!
    if (this.nPoints === this.a.length) this.growPoints()
    const index = this.nPoints++
    this.a[index] = a
    this.b[index] = b
    this.t[index] = a === b ? 0 : fa / (fa - fb)
    table[h] = index + 1
    if (2 * this.nPoints > this.table.length) this.growTable()
    return index
  }

  triangle(cell: number, i: number, j: number, k: number): void {
    if (i === j || j === k || k === i) return
    if (this.nTriangles === this.cells.length) {
      this.triangles = grown(this.triangles)
      this.cells = grown(this.cells)
    }
    const at = 3 * this.nTriangles
    this.triangles[at] = i
    this.triangles[at + 1] = j
    this.triangles[at + 2] = k
    this.cells[this.nTriangles++] = cell
  }

  finish(): Cut {
    const n = this.nPoints
    const points = new Float64Array(3 * n)
    for (let i = 0; i < n; i++) {
      const a = 3 * this.a[i]!
      const b = 3 * this.b[i]!
      const t = this.t[i]!
      for (let d = 0; d < 3; d++) points[3 * i + d] = this.points[a + d]! * (1 - t) + this.points[b + d]! * t
    }
    this.points = this.level = none
    return {
      points,
      a: this.a.slice(0, n),
      b: this.b.slice(0, n),
      t: this.t.slice(0, n),
      triangles: this.triangles.slice(0, 3 * this.nTriangles),
      cells: this.cells.slice(0, this.nTriangles),
    }
  }

  private growPoints(): void {
    this.a = grown(this.a)
    this.b = grown(this.b)
    const t = new Float64Array(2 * this.t.length)
    t.set(this.t)
    this.t = t
  }

  private growTable(): void {
    const mask = 2 * this.table.length - 1
    const table = new Uint32Array(mask + 1)
    for (let i = 0; i < this.nPoints; i++) {
      const a = this.a[i]!
      const b = this.b[i]!
      let h = (a < b ? hashOf(a, b) : hashOf(b, a)) & mask
      while (table[h]) h = (h + 1) & mask
      table[h] = i + 1
    }
    this.table = table
  }
}

const builder = new CutBuilder()

/** Of a pair of points. */
export function hashOf(lo: number, hi: number): number {
  const h = (Math.imul(lo, 0x9e3779b1) ^ Math.imul(hi, 0x85ebca6b)) >>> 0
  return h ^ (h >>> 15)
}

/** Whether point a comes after b by x, then y, then z: an order that copies of the points in other blocks have, too. */
export function isAfter(points: FloatArray, a: number, b: number): boolean {
  const p = 3 * a
  const q = 3 * b
  if (points[p] !== points[q]) return points[p]! > points[q]!
  if (points[p + 1] !== points[q + 1]) return points[p + 1]! > points[q + 1]!
  return points[p + 2] !== points[q + 2] ? points[p + 2]! > points[q + 2]! : a > b
}

function grown(array: Uint32Array<ArrayBuffer>): Uint32Array<ArrayBuffer> {
  const bigger = new Uint32Array(2 * array.length)
  bigger.set(array)
  return bigger
}
