/** Rows of a job as a table, and as a curve over one of its axes. */
import Papa from 'papaparse'
import type { PlainSeries, Quantity, Reading } from '../measure/results'
import { verdictOf } from '../measure/limit'
import { accumulated, extremesBy, meanAlong } from './accumulators'

/** What a table is taken over: a column, and a chart's axis where it holds numbers. */
export interface TableAxis extends Quantity {
  isNumber: boolean
}

export interface TableRow {
  /** On each axis: a number, or a name. */
  at: readonly (number | string)[]
  reading: Reading | null
  failure: string | null
}

export interface OverTable {
  axes: readonly TableAxis[]
  /** In the order of their frames; those that are there. */
  rows: readonly TableRow[]
  value: Quantity
  /** What the value must keep to. */
  limit?: string
  /** Of an axis of cases: the one that the others are compared with. */
  base?: { axis: number; name: string }
}

/** A number about a row besides its reading. */
export interface TableCompared extends Quantity {
  of(row: TableRow): number
}

/** How much more each row is than that of the base case at the same places of all other axes: in the unit, and in per cent. */
export function comparedOf({ rows, value, base }: OverTable): TableCompared[] {
  if (!base || rows.length < 2) return []
  const placeOf = ({ at }: TableRow): string => JSON.stringify(at.filter((_, axis) => axis !== base.axis))
  const of = new Map(rows.flatMap((row) => (row.at[base.axis] === base.name ? [[placeOf(row), valueOf(row)] as const] : [])))
  const less = (row: TableRow): number => (row.at[base.axis] === base.name ? NaN : valueOf(row) - (of.get(placeOf(row)) ?? NaN))
  return [
    { name: `less ${base.name}`, unit: value.unit, isDifference: true, of: less },
    { name: `of ${base.name}`, unit: '%', of: (row) => (100 * less(row)) / Math.abs(of.get(placeOf(row)) ?? NaN) },
  ]
}

/** A number beside the value of each row: a component, or a part of the reading. */
export interface TableExtra extends Quantity {
  of(reading: Reading): number
}

/** Components of the value, and the other numbers that come with it. */
export function extrasOf({ rows, value }: OverTable): TableExtra[] {
  const first = rows.find(({ reading }) => reading)?.reading
  const components = Object.keys(first?.components ?? {}).map((name): TableExtra => ({
    name: `${value.name}.${name}`,
    unit: value.unit,
    of: (reading) => reading.components?.[name] ?? NaN,
  }))
  const parts = (first?.parts ?? []).flatMap(({ name, unit, components: own }): TableExtra[] => {
    const part = (reading: Reading) => reading.parts?.find((other) => other.name === name)
    const each = Object.keys(own ?? {}).map((axis): TableExtra => ({
      name: `${name}.${axis}`,
      unit,
      of: (reading) => part(reading)?.components?.[axis] ?? NaN,
    }))
    return [{ name, unit, of: (reading) => part(reading)?.value ?? NaN }, ...each]
  })
  return [...components, ...parts]
}

/** Rows in the order of a column: an axis, or with `axes.length` the value. What is not there comes last. */
export function sortedRows({ axes, rows }: OverTable, column: number, isDown: boolean): TableRow[] {
  const of = (row: TableRow): number | string => (column < axes.length ? row.at[column]! : valueOf(row))
  const isMissing = (x: number | string): boolean => Number.isNaN(x)
  return [...rows].sort((a, b) => {
    const [x, y] = [of(a), of(b)]
    if (isMissing(x) || isMissing(y)) return Number(isMissing(x)) - Number(isMissing(y))
    const order = typeof x === 'number' && typeof y === 'number' ? x - y : String(x).localeCompare(String(y))
    return isDown ? -order : order
  })
}

/**
 * Over the last axis with numbers; other axes tell lines apart. Places of failed rows are gaps.
 *
 * @param caseOf  id of the case of a row, where cases are an axis
 */
export function curveOfTable(
  { axes, rows, value }: OverTable,
  caseOf?: (row: TableRow) => string | undefined,
): { x: Quantity; y: Quantity; series: (PlainSeries & { case?: string })[] } {
  const along = axes.findLastIndex(({ isNumber }) => isNumber)
  const x: Quantity = along < 0 ? { name: 'number', unit: '1' } : { name: axes[along]!.name, unit: axes[along]!.unit }
  const series = new Map<string, { name: string; x: (number | null)[]; y: (number | null)[]; case?: string }>()
  rows.forEach((row, i) => {
    const { at, reading } = row
    const name = at
      .flatMap((place, axis) => (axis === along ? [] : [`${axes[axis]!.isNumber ? `${axes[axis]!.name} ` : ''}${place}`]))
      .join(', ')
    const id = along < 0 ? undefined : caseOf?.(row)
    const own = series.get(name) ?? { name: name || value.name, x: [], y: [], ...(id !== undefined && { case: id }) }
    own.x.push(along < 0 ? i + 1 : Number(at[along]))
    own.y.push(reading && Number.isFinite(reading.value) ? reading.value : null)
    series.set(name, own)
  })
  return { x, y: value, series: [...series.values()] }
}

/** Smallest and largest value with the rows where they are; undefined while there is none. */
export function extremesOfTable({ rows }: OverTable): { min: TableRow; max: TableRow } | undefined {
  return accumulated(extremesBy(valueOf), rows)
}

/** The mean over the axis, of tables with one axis of numbers; undefined for others, or while there are too few rows. */
export function meanOfTable({ axes, rows }: OverTable): number | undefined {
  if (axes.length !== 1 || !axes[0]!.isNumber) return undefined
  return accumulated(
    meanAlong,
    rows.map((row) => ({ x: Number(row.at[0]), y: valueOf(row) })),
  )
}

function valueOf({ reading }: TableRow): number {
  return reading?.value ?? NaN
}

/** Comma-separated, with units in the head; a value that failed is empty and its reason stands behind. */
export function csvOfTable(table: OverTable): string {
  const { axes, rows, value, limit } = table
  const extras = extrasOf(table)
  const compared = comparedOf(table)
  const finite = (x: number): number | '' => (Number.isFinite(x) ? x : '')
  const titled = ({ name, unit }: Quantity): string => (unit === '1' ? name : `${name} [${unit ?? 'unit unknown'}]`)
  const data = rows.map((row) => {
    const { at, reading, failure } = row
    return [
      ...at,
      finite(valueOf(row)),
      ...compared.map((column) => finite(column.of(row))),
      ...extras.map((extra) => (reading ? finite(extra.of(reading)) : '')),
      ...(limit === undefined ? [] : [reading ? verdictOf(limit, reading) : '']),
      failure ?? reading?.cautions.join(' ') ?? '',
    ]
  })
  const head = [...axes, value, ...compared, ...extras].map(titled)
  const fields = [...head, ...(limit === undefined ? [] : [`limit: ${limit}`]), 'remark']
  return `${Papa.unparse({ fields, data }, { newline: '\n' })}\n`
}
