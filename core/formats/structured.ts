/** Cells of structured grids: hexahedra, quads, lines or one vertex, by how many directions have more than one point. */
import { CellType } from '../mesh/cellTypes'
import type { FloatArray } from '../mesh/MeshBlock'
import type { SourceMesh } from '../mesh/normaliseCells'

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
  const strides = [1, counts[0], counts[0] * counts[1]]
  const axes = [0, 1, 2].filter((d) => counts[d]! > 1)
  const corners = cornersOf(axes.map((d) => strides[d]!))
  const [nx, ny, nz] = counts.map((n) => Math.max(n - 1, 1)) as [number, number, number]
  const nCells = nx * ny * nz
  const size = corners.length
  const connectivity = new Uint32Array(size * nCells)
  const offsets = new Uint32Array(nCells + 1)
  let c = 0
  for (let k = 0; k < nz; k++) for (let j = 0; j < ny; j++) for (let i = 0; i < nx; i++, c++) {
    const first = i + j * strides[1]! + k * strides[2]!
    for (let n = 0; n < size; n++) connectivity[size * c + n] = first + corners[n]!
    offsets[c + 1] = size * (c + 1)
  }
  return { types: new Uint8Array(nCells).fill(typeOfDimension[axes.length]!), offsets, connectivity }
}

function cornersOf(strides: number[]): number[] {
  const [a, b, c] = strides
  if (a === undefined) return [0]
  if (b === undefined) return [0, a]
  const quad = [0, a, a + b, b]
  return c === undefined ? quad : [...quad, ...quad.map((n) => n + c)]
}

/** Points of a grid whose lines are straight along the axes. */
export function rectilinearPoints(x: ArrayLike<number>, y: ArrayLike<number>, z: ArrayLike<number>): Float64Array {
  const points = new Float64Array(3 * x.length * y.length * z.length)
  let o = 0
  for (let k = 0; k < z.length; k++) for (let j = 0; j < y.length; j++) for (let i = 0; i < x.length; i++) {
    points[o++] = x[i]!
    points[o++] = y[j]!
    points[o++] = z[k]!
  }
  return points
}

/**
 * Points of a uniform grid.
 *
 * @param first      index of the first point along each axis
 * @param direction  rotation by rows; none when absent
 */
export function uniformPoints(counts: Counts, first: readonly number[], origin: readonly number[], spacing: readonly number[], direction?: readonly number[]): FloatArray {
  const axis = (d: number): Float64Array => Float64Array.from({ length: counts[d]! }, (_, i) => (first[d]! + i) * spacing[d]!)
  const points = rectilinearPoints(axis(0), axis(1), axis(2))
  const m = direction ?? [1, 0, 0, 0, 1, 0, 0, 0, 1]
  for (let p = 0; p < points.length; p += 3) {
    const [x, y, z] = [points[p]!, points[p + 1]!, points[p + 2]!]
    for (let d = 0; d < 3; d++) points[p + d] = origin[d]! + m[3 * d]! * x + m[3 * d + 1]! * y + m[3 * d + 2]! * z
  }
  return points
}
