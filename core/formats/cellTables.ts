/** Windows of meshes whose cells are in tables, one for each kind of cell: a row of node numbers for each. */
import type { FloatArray } from '../mesh/MeshBlock'
import type { CellWindow, FormatWindows } from './Format'
import { joinArrays } from './meshParts'

export interface CellTable {
  /** As in `SourceMesh`. */
  type: number
  nNodes: number
  nCells: number
  /** Rows [from, to) in the core's order of nodes, points counted from zero. */
  rows(from: number, to: number): Promise<Uint32Array>
}

/** @param points  coordinates of points [from, to): (3 × n) */
export function tableWindows(name: string, nPoints: number, points: FormatWindows['points'], tables: readonly CellTable[]): FormatWindows {
  const nCells = tables.reduce((n, table) => n + table.nCells, 0)
  return { name, nPoints, nCells, points, cells: (from, to) => tableCells(tables, from, to) }
}

/** Cells [from, to) of tables, one table after the other. */
export async function tableCells(tables: readonly CellTable[], from: number, to: number): Promise<CellWindow> {
  const types = new Uint8Array(to - from)
  const offsets = new Uint32Array(to - from + 1)
  const rows: Uint32Array[] = []
  let first = 0
  for (const table of tables) {
    const [start, end] = [Math.max(from - first, 0), Math.min(to - first, table.nCells)]
    if (start < end) {
      rows.push(await table.rows(start, end))
      types.fill(table.type, first + start - from, first + end - from)
      for (let c = first + start - from; c < first + end - from; c++) offsets[c + 1] = offsets[c]! + table.nNodes
    }
    first += table.nCells
  }
  return { types, offsets, connectivity: joinArrays(Uint32Array, rows) }
}

/**
 * Rows of node numbers in the core's order.
 *
 * @param order  where each node of the core's order is in a row of the file
 * @param width  numbers in a row of the file
 * @param from   number of the first point in the file
 */
export function orderedRows(list: ArrayLike<number>, order: readonly number[], width: number, from: 0 | 1): Uint32Array {
  const n = Math.floor(list.length / width)
  const rows = new Uint32Array(n * order.length)
  for (let c = 0, at = 0; c < n; c++) for (const node of order) rows[at++] = list[c * width + node]! - from
  return rows
}

/** Points of columns, which may be fewer than three: (3 × n). Single precision where all are. */
export function pointsOfColumns(columns: readonly (FloatArray | undefined)[], n: number): FloatArray {
  const points = columns.every((column) => !column || column instanceof Float32Array) ? new Float32Array(3 * n) : new Float64Array(3 * n)
  columns.forEach((column, d) => {
    if (column) for (let p = 0; p < n; p++) points[3 * p + d] = column[p]!
  })
  return points
}
