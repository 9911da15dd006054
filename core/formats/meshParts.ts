/** Parts of meshes that a reader holds whole. */
import { CellType } from '../mesh/cellTypes'
import type { FloatArray } from '../mesh/MeshBlock'
import { sourceDimension, sourceTypeNames } from '../mesh/normaliseCells'
import type { SourceMesh } from '../mesh/normaliseCells'
import { selectCells } from '../mesh/selectCells'
import type { SourcePart } from './SourceCase'

/** What the cells of a dimension are called behind the name of their file. */
export const dimensionNames = ['points', 'lines', 'faces', 'cells'] as const

/** A mesh read whole as parts by the dimension of its cells; the first keeps the plain name. */
export function partsByDimension(name: string, mesh: SourceMesh): SourcePart[] {
  const lists: number[][] = [[], [], [], []]
  for (let c = 0; c < mesh.types.length; c++) lists[Math.max(sourceDimension(mesh.types[c]!), 0)]!.push(c)
  const present = [3, 2, 1, 0].filter((d) => lists[d]!.length)
  return present.map((dimension, i) => {
    const cells = Uint32Array.from(lists[dimension]!)
    const own = present.length === 1 ? mesh : selectCells(mesh, cells)
    return {
      name: i === 0 ? name : `${name} ${dimensionNames[dimension]}`,
      dimension,
      points: own.points.length / 3,
      cells: cells.length,
      cellTypes: countTypes(own.types),
      mesh: async () => own,
    }
  })
}

export function countTypes(types: Uint8Array): Record<string, number> {
  const counts: Record<string, number> = {}
  for (const type of types) {
    const name = sourceTypeNames[type] ?? `type ${type}`
    counts[name] = (counts[name] ?? 0) + 1
  }
  return counts
}

/** Some cells of a mesh as a part; values of the mesh fit it by its cell and point numbers. */
export function partOfCells(name: string, dimension: number, mesh: SourceMesh, cells: Uint32Array): SourcePart {
  const own = selectCells(mesh, cells)
  return { name, dimension, points: own.points.length / 3, cells: cells.length, cellTypes: countTypes(own.types), mesh: async () => own }
}

/** One vertex cell per point. */
export function pointCloud(points: FloatArray): SourceMesh {
  const n = points.length / 3
  const numbers = Uint32Array.from({ length: n + 1 }, (_, i) => i)
  return { points, types: new Uint8Array(n).fill(CellType.vertex), offsets: numbers, connectivity: numbers.slice(0, n) }
}

/** Lists of cells one after the other; each list's point numbers count from its own first point. */
export function joinCells(groups: readonly Omit<SourceMesh, 'points'>[], firstPoints: readonly number[]): Omit<SourceMesh, 'points'> {
  const nCells = groups.reduce((n, g) => n + g.types.length, 0)
  const types = new Uint8Array(nCells)
  const offsets = new Uint32Array(nCells + 1)
  const connectivity = new Uint32Array(groups.reduce((n, g) => n + g.connectivity.length, 0))
  let cell = 0
  let node = 0
  groups.forEach((group, k) => {
    types.set(group.types, cell)
    for (let c = 1; c < group.offsets.length; c++) offsets[cell + c] = node + group.offsets[c]!
    for (let i = 0; i < group.connectivity.length; i++) connectivity[node + i] = group.connectivity[i]! + firstPoints[k]!
    cell += group.types.length
    node += group.connectivity.length
  })
  return { types, offsets, connectivity, ...(groups.some((group) => group.polyhedra) && { polyhedra: joinFaces(groups, firstPoints) }) }
}

function joinFaces(groups: readonly Omit<SourceMesh, 'points'>[], firstPoints: readonly number[]): NonNullable<SourceMesh['polyhedra']> {
  const starts = new Float64Array(groups.reduce((n, group) => n + group.types.length, 0)).fill(-1)
  const stream = new Uint32Array(groups.reduce((n, group) => n + (group.polyhedra?.stream.length ?? 0), 0))
  let cell = 0
  let first = 0
  groups.forEach(({ types, polyhedra }, k) => {
    if (polyhedra) {
      const moved = moveFaces(types, polyhedra, (p) => p + firstPoints[k]!)
      stream.set(moved.stream, first)
      for (let c = 0; c < types.length; c++) if (polyhedra.starts[c]! >= 0) starts[cell + c] = first + polyhedra.starts[c]!
      first += moved.stream.length
    }
    cell += types.length
  })
  return { starts, stream }
}

/** Faces of polyhedra with other numbers of their points. A stream that is damaged is for the check of cells to name. */
export function moveFaces(
  types: Uint8Array,
  { starts, stream }: NonNullable<SourceMesh['polyhedra']>,
  number: (p: number) => number,
): NonNullable<SourceMesh['polyhedra']> {
  const out = stream.slice()
  for (let c = 0; c < types.length; c++) {
    let at = starts[c]!
    if (!(at >= 0)) continue
    for (let n = out[at++] ?? 0; n > 0 && at < out.length; n--) {
      const end = Math.min(at + 1 + out[at]!, out.length)
      for (at++; at < end; at++) out[at] = number(out[at]!)
    }
  }
  return { starts, stream: out }
}

/** Values one after the other; single precision only where all are. */
export function joinFloats(list: readonly FloatArray[]): FloatArray {
  if (list.length === 1) return list[0]!
  const n = list.reduce((sum, a) => sum + a.length, 0)
  const out = list.every((a) => a instanceof Float32Array) ? new Float32Array(n) : new Float64Array(n)
  let at = 0
  for (const a of list) {
    out.set(a, at)
    at += a.length
  }
  return out
}

/** Whole numbers one after the other. */
export function joinArrays<T extends Uint8Array | Uint32Array | Float64Array>(type: new (n: number) => T, list: readonly T[]): T {
  if (list.length === 1) return list[0]!
  const out = new type(list.reduce((n, a) => n + a.length, 0))
  let at = 0
  for (const a of list) {
    out.set(a, at)
    at += a.length
  }
  return out
}
