/**
 * Cuts the volume cells of one block along the zero level of a function given at its points.
 *
 * Method: marching tetrahedra over the split of `mesh/tetrahedra.ts` (Doi and Koide, 1991): watertight across cells,
 * blocks and types, since the split and the crossing of an edge depend only on its two points. A point on the
 * level counts as above; the crossing then is that point itself. Linear functions are cut exactly.
 *
 * Cost: one sign byte per point of the groups or runs that may be crossed, then the corner signs of their cells. Cells are cut by a kernel
 * (`kernels/assembly/cuts.ts`).
 * Triangles wind so that their normal points to where the function grows. Triangles that collapse to a point or line
 * because a node is on the level are dropped.
 */
import { sharedKernels } from '../kernels/Kernels'
import type { Kernels } from '../kernels/Kernels'
import { MAX_TETRAHEDRA, packedSplits } from '../mesh/tetrahedra'
import { groupCellsOf } from '../mesh/Domain'
import { RUN_CELLS } from '../mesh/runs'
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

/** The cases one after the other, for the kernel: how many numbers, and those. */
const packedCases = Uint8Array.from(cases.flatMap((edges) => [edges.length, ...edges, ...Array<number>(12 - edges.length).fill(0)]))

/** Signs of points, as the kernel takes them. */
const Sign = { below: 0, above: 1, none: 2, on: 9 } as const

/** The most edges and triangles that one cell can have: six tetrahedra, of which each has two. */
const MOST_CROSSINGS = 19
const MOST_TRIANGLES = 2 * MAX_TETRAHEDRA

/** Levels and signs of the points of one block, kept from cut to cut: making them anew takes a sixth of the time of a cut. */
let scratch = { level: new Float64Array(0), signs: new Uint8Array(0) }

/**
 * @param levelAt    function minus its level at a point of the block; not-a-number is treated as below and its cells are
 *                   left out. Asked only for points of cells that may be crossed
 * @param isCrossed  whether a group of cells can hold the level; skips the others unseen
 * @param isRunCrossed  the same of a run of RUN_CELLS cells of such a group, of a block that is whole
 */
export function cutCells(
  mesh: DomainMesh,
  levelAt: (point: number) => number,
  isCrossed: (group: number) => boolean,
  isRunCrossed?: (run: number) => boolean,
): Cut {
  const kernels = sharedKernels()
  return kernels.within(() => {
    const stretches = putStretches(kernels, mesh, crossed(groupCellsOf(mesh), isCrossed, isRunCrossed))
    const levels = levelsOf(pointsOf(kernels, mesh, stretches), levelAt, mesh.pointNumbers.length)
    return cutStretches(kernels, mesh, stretches, levels)
  })
}

/** Cells that may be crossed: from the first to before the last of each stretch. @param starts  of the groups */
function crossed(starts: Uint32Array, isCrossed: (group: number) => boolean, isRunCrossed?: (run: number) => boolean): [number, number][] {
  const found: [number, number][] = []
  const add = (first: number, last: number): void => {
    const before = found.at(-1)
    if (before?.[1] === first) before[1] = last
    else if (first < last) found.push([first, last])
  }
  for (let g = 0; g + 1 < starts.length; g++) {
    if (!isCrossed(g)) continue
    const last = starts[g + 1]!
    if (!isRunCrossed) add(starts[g]!, last)
    else
      for (let first = starts[g]!; first < last; first += RUN_CELLS)
        if (isRunCrossed(first / RUN_CELLS)) add(first, Math.min(first + RUN_CELLS, last))
  }
  return found
}

/** Cells that follow each other in the memory of the kernels. */
interface PutStretch {
  first: number
  nCells: number
  nNodes: number
  types: number
  offsets: number
  nodes: number
}

function putStretches(
  kernels: Kernels,
  { types, offsets, connectivity }: DomainMesh,
  stretches: readonly (readonly [number, number])[],
): PutStretch[] {
  return stretches.map(([first, last]) => ({
    ...{ first, nCells: last - first, nNodes: offsets[last]! - offsets[first]! },
    types: kernels.put(types.subarray(first, last)),
    offsets: kernels.put(offsets.subarray(first, last + 1)),
    nodes: kernels.put(connectivity.subarray(offsets[first], offsets[last])),
  }))
}

/** The points of some cells, each once. */
function pointsOf(kernels: Kernels, { pointNumbers }: DomainMesh, stretches: readonly PutStretch[]): Uint32Array {
  return kernels.within(() => {
    const isListed = kernels.take(Uint8Array, pointNumbers.length)
    kernels.view(Uint8Array, isListed, pointNumbers.length).fill(0)
    // one more: the kernel writes behind those that are listed
    const list = kernels.take(Uint32Array, pointNumbers.length + 1)
    const n = stretches.reduce((before, { nodes, nNodes }) => kernels.run.listPoints(nodes, nNodes, isListed, list, before), 0)
    return kernels.view(Uint32Array, list, n).slice()
  })
}

/** Levels and signs of those points; others are of no account. */
function levelsOf(list: Uint32Array, levelAt: (point: number) => number, nPoints: number): { level: Float64Array; signs: Uint8Array } {
  if (scratch.signs.length < nPoints) scratch = { level: new Float64Array(nPoints), signs: new Uint8Array(nPoints) }
  const { level, signs } = scratch
  for (let i = 0; i < list.length; i++) {
    const p = list[i]!
    const x = levelAt(p)
    level[p] = x
    signs[p] = x > 0 ? Sign.above : x < 0 ? Sign.below : x === 0 ? Sign.on : Sign.none
  }
  return { level, signs: signs.subarray(0, nPoints) }
}

function cutStretches(
  kernels: Kernels,
  { points, pointNumbers }: DomainMesh,
  stretches: readonly PutStretch[],
  { level, signs }: { level: Float64Array; signs: Uint8Array },
): Cut {
  const signsAt = kernels.put(signs)
  const list = kernels.take(Uint32Array, 3 * stretches.reduce((sum, { nCells }) => sum + nCells, 0))
  let n = 0
  for (const { types, offsets, nodes, first, nCells } of stretches)
    n = kernels.run.listCut(types, offsets, nodes, first, nCells, signsAt, list, n)
  const given = [signsAt, kernels.put(pointNumbers), kernels.put(packedSplits), kernels.put(packedCases)]
  const crossings = kernels.take(Uint32Array, 2 * MOST_CROSSINGS * n)
  const nSlots = 2 ** Math.ceil(Math.log2(MOST_CROSSINGS * n + 1))
  const slots = kernels.take(Uint32Array, nSlots)
  kernels.view(Uint32Array, slots, nSlots).fill(0)
  const triangles = kernels.take(Uint32Array, 3 * MOST_TRIANGLES * n)
  const cells = kernels.take(Uint32Array, MOST_TRIANGLES * n)
  const counts = kernels.take(Uint32Array, 2)
  kernels.run.cutListed(list, n, ...given, crossings, slots, nSlots, triangles, cells, counts)
  const [nCrossings, nTriangles] = kernels.view(Uint32Array, counts, 2) as unknown as [number, number]
  return {
    ...placed(kernels.view(Uint32Array, crossings, 2 * nCrossings), points, level),
    triangles: kernels.view(Uint32Array, triangles, 3 * nTriangles).slice(),
    cells: kernels.view(Uint32Array, cells, nTriangles).slice(),
  }
}

/** Where edges are crossed. @param ends  of the edges, pairs of points */
function placed(ends: Uint32Array, points: FloatArray, level: Float64Array): Omit<Cut, 'triangles' | 'cells'> {
  const n = ends.length / 2
  const out = { points: new Float64Array(3 * n), a: new Uint32Array(n), b: new Uint32Array(n), t: new Float64Array(n) }
  for (let i = 0; i < n; i++) {
    const lo = ends[2 * i]!
    const hi = ends[2 * i + 1]!
    // the same order in every block, so that copies of an edge are cut at bitwise the same place
    const isTurned = isAfter(points, lo, hi)
    const a = isTurned ? hi : lo
    const b = isTurned ? lo : hi
    const fa = level[a]!
    const t = a === b ? 0 : fa / (fa - level[b]!)
    out.a[i] = a
    out.b[i] = b
    out.t[i] = t
    for (let d = 0; d < 3; d++) out.points[3 * i + d] = points[3 * a + d]! * (1 - t) + points[3 * b + d]! * t
  }
  return out
}

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
