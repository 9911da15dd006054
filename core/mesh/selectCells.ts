/** A part of a mesh: some of its cells, and the points they use. */
import type { FloatArray } from './MeshBlock'
import type { SourceMesh } from './normaliseCells'

/** A mesh whose cells and points are numbered otherwise in the source that its values follow. */
export interface SelectedMesh extends SourceMesh {
  /** (nCells) number of each cell in the source. */
  cellNumbers: Uint32Array
  /** (nPoints) number of each point in the source; absent where they are the same. */
  pointSources?: Uint32Array
}

/** Some cells of a list, in the order that is given. Faces of polyhedra stay where they are. */
export function pickCells(
  { types, offsets, connectivity, polyhedra }: Omit<SourceMesh, 'points'>,
  keep: Uint32Array,
): Omit<SourceMesh, 'points'> {
  const ends = new Uint32Array(keep.length + 1)
  for (let i = 0; i < keep.length; i++) ends[i + 1] = ends[i]! + offsets[keep[i]! + 1]! - offsets[keep[i]!]!
  const nodes = new Uint32Array(ends[keep.length]!)
  for (let i = 0; i < keep.length; i++) nodes.set(connectivity.subarray(offsets[keep[i]!]!, offsets[keep[i]! + 1]!), ends[i]!)
  const picked = { types: Uint8Array.from(keep, (c) => types[c]!), offsets: ends, connectivity: nodes }
  return polyhedra
    ? { ...picked, polyhedra: { starts: Float64Array.from(keep, (c) => polyhedra.starts[c]!), stream: polyhedra.stream } }
    : picked
}

/**
 * @param keep  cells to keep, ascending. With polyhedra among them all points are kept, since their faces name points
 */
export function selectCells(source: SourceMesh, keep: Uint32Array): SelectedMesh {
  const cells = pickCells(source, keep)
  if (cells.polyhedra) return { ...cells, points: source.points, cellNumbers: keep }
  return { ...cells, ...compactPoints(source.points, cells.connectivity), cellNumbers: keep }
}

/** Renumbers `connectivity` in place to the points it uses, which keep their order. */
export function compactPoints(points: FloatArray, connectivity: Uint32Array): { points: FloatArray; pointSources: Uint32Array } {
  const numbers = new Int32Array(points.length / 3).fill(-1)
  for (let i = 0; i < connectivity.length; i++) if (connectivity[i]! < numbers.length) numbers[connectivity[i]!] = 0
  let n = 0
  for (let p = 0; p < numbers.length; p++) if (numbers[p] === 0) numbers[p] = n++
  const pointSources = new Uint32Array(n)
  const kept = points instanceof Float32Array ? new Float32Array(3 * n) : new Float64Array(3 * n)
  for (let p = 0; p < numbers.length; p++) {
    const to = numbers[p]!
    if (to < 0) continue
    pointSources[to] = p
    for (let d = 0; d < 3; d++) kept[3 * to + d] = points[3 * p + d]!
  }
  // a number out of range stays out of range, for the check of cells to name
  for (let i = 0; i < connectivity.length; i++)
    connectivity[i] = connectivity[i]! < numbers.length ? numbers[connectivity[i]!]! : connectivity[i]!
  return { points: kept, pointSources }
}
