/** Rows of a table put into space: which of its columns are the coordinates of each row is said by hand. */
import { DataError } from '../errors'
import type { Column, Table } from './table'
import { writeCsv } from './write/csv'

export interface PlaceColumns {
  /** Names of the columns of x, y and z; null where there is none and the coordinate is 0. */
  places: readonly [string | null, string | null, string | null]
  /** Of the coordinates. */
  unit: string
  /** Whether the rows are joined to a line in their order; else each is a point by itself. */
  isLine: boolean
}

const axes = ['x', 'y', 'z'] as const

/** The table as CSV with its places in columns named x, y and z, as `table.ts` reads it. @throws DataError */
export function placedTable({ columns, nRows }: Table, { places, unit, isLine }: PlaceColumns): string {
  const found = places.map((name) => columns.find((column) => column.name === name))
  const used = found.filter((column) => column !== undefined)
  if (!used.length) throw new DataError('no-places', 'No column says where the rows are; choose one for x, y or z at least.')
  if (new Set(used).size < used.length) throw new DataError('no-places', 'One column stands for two coordinates; choose another one.')
  const coordinates = found.map((column, d): Column => ({ name: axes[d]!, unit, values: column?.values ?? new Float64Array(nRows) }))
  const line = isLine ? [{ name: 'line', unit: null, values: new Float64Array(nRows).fill(1) }] : []
  const isTaken = ({ name }: Column): boolean => /^([xyz]|line)$/i.test(name)
  // a name that would be read as a coordinate is told apart
  const others = columns.filter((column) => !used.includes(column))
  return writeCsv([...coordinates, ...line, ...others.map((own) => (isTaken(own) ? { ...own, name: `${own.name} column` } : own))])
}

/** Columns that are most likely x, y and z by their names: `px`, `X_mm`, `coord.z`; else the first three. */
export function likelyPlaces(names: readonly string[]): PlaceColumns['places'] {
  const found = axes.map((axis) => names.find((name) => new RegExp(`(^|[^a-z])[a-z]?${axis}([^a-z]|$)`, 'i').test(name)) ?? null)
  const isTold = found[0] !== null && found[1] !== null && new Set(found).size >= 2
  const likely = isTold ? found : axes.map((_, d) => names[d] ?? null)
  return [likely[0]!, likely[1]!, likely[2]!]
}
