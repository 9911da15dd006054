/** Cells of structured grids: hexahedra, quads, lines or one vertex, by how many directions have more than one point. */
import { CellType } from '../mesh/cellTypes'
import type { FloatArray } from '../mesh/MeshBlock'
import type { SourceMesh } from '../mesh/normaliseCells'
import type { CellTable } from './cellTables'

export type Counts = readonly [number, number, number]

export function structuredDimension(counts: Counts): number {
  return counts.filter((n) => n > 1).length
}

/** Type of the cells of a grid by its dimension. */
export const typeOfDimension = [CellType.vertex, CellType.line, CellType.quad, CellType.hexahedron] as const
export const structuredTypeName = ['vertex', 'line', 'quad', 'hexahedron'] as const

export function structuredCellCount(counts: Counts): number {
  return counts.reduce((n, c) => n * Math.max(c - 1, 1), 1)
}

/**
 * @param counts  points along i, j and k; points run with i fastest
 */
export function structuredCells(counts: Counts): Omit<SourceMesh, 'points'> {
  const { type, nNodes, nCells, between } = structuredTable(counts)
  return {
    types: new Uint8Array(nCells).fill(type),
    offsets: Uint32Array.from({ length: nCells + 1 }, (_, c) => nNodes * c),
    connectivity: between(0, nCells),
  }
}

/** The cells of a grid as rows of a table, which are made when asked for. */
export function structuredTable(counts: Counts): CellTable & { between(from: number, to: number): Uint32Array } {
  const strides = [1, counts[0], counts[0] * counts[1]]
  const axes = [0, 1, 2].filter((d) => counts[d]! > 1)
  const corners = cornersOf(axes.map((d) => strides[d]!))
  const [nx, ny] = counts.map((n) => Math.max(n - 1, 1)) as [number, number]
  const between = (from: number, to: number): Uint32Array => {
    const rows = new Uint32Array(corners.length * (to - from))
    for (let c = from, at = 0; c < to; c++) {
      const row = Math.floor(c / nx)
      const first = (c % nx) + (row % ny) * strides[1]! + Math.floor(row / ny) * strides[2]!
      for (const corner of corners) rows[at++] = first + corner
    }
    return rows
  }
  return {
    type: typeOfDimension[axes.length]!,
    nNodes: corners.length,
    nCells: structuredCellCount(counts),
    between,
    rows: async (from, to) => between(from, to),
  }
}

function cornersOf(strides: number[]): number[] {
  const [a, b, c] = strides
  if (a === undefined) return [0]
  if (b === undefined) return [0, a]
  const quad = [0, a, a + b, b]
  return c === undefined ? quad : [...quad, ...quad.map((n) => n + c)]
}

/** Points [from, to) of a grid whose lines are straight along the axes; all when absent. */
export function rectilinearPoints(
  x: ArrayLike<number>,
  y: ArrayLike<number>,
  z: ArrayLike<number>,
  from = 0,
  to = x.length * y.length * z.length,
): Float64Array {
  const points = new Float64Array(3 * (to - from))
  for (let p = from, o = 0; p < to; p++) {
    const row = Math.floor(p / x.length)
    points[o++] = x[p % x.length]!
    points[o++] = y[row % y.length]!
    points[o++] = z[Math.floor(row / y.length)]!
  }
  return points
}

/**
 * Points [from, to) of a uniform grid; all when absent.
 *
 * @param first      index of the first point along each axis
 * @param direction  rotation by rows; none when absent
 */
export function uniformPoints(
  counts: Counts,
  first: readonly number[],
  origin: readonly number[],
  spacing: readonly number[],
  direction?: readonly number[],
  from?: number,
  to?: number,
): FloatArray {
  const axis = (d: number): Float64Array => Float64Array.from({ length: counts[d]! }, (_, i) => (first[d]! + i) * spacing[d]!)
  const points = rectilinearPoints(axis(0), axis(1), axis(2), from, to)
  const m = direction ?? [1, 0, 0, 0, 1, 0, 0, 0, 1]
  for (let p = 0; p < points.length; p += 3) {
    const [x, y, z] = [points[p]!, points[p + 1]!, points[p + 2]!]
    for (let d = 0; d < 3; d++) points[p + d] = origin[d]! + m[3 * d]! * x + m[3 * d + 1]! * y + m[3 * d + 2]! * z
  }
  return points
}
