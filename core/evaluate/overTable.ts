/** Rows of a job as a table, and as a curve over one of its axes. */
import Papa from 'papaparse'
import type { Quantity, Reading } from '../measure/results'
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
}

export interface PlainSeries {
  name: string
  x: (number | null)[]
  y: (number | null)[]
}

/** Over the last axis with numbers; other axes tell lines apart. Places of failed rows are gaps. */
export function curveOfTable({ axes, rows, value }: OverTable): { x: Quantity; y: Quantity; series: PlainSeries[] } {
  const along = axes.findLastIndex(({ isNumber }) => isNumber)
  const x: Quantity = along < 0 ? { name: 'number', unit: '1' } : { name: axes[along]!.name, unit: axes[along]!.unit }
  const series = new Map<string, PlainSeries>()
  rows.forEach(({ at, reading }, i) => {
    const name = at
      .flatMap((place, axis) => (axis === along ? [] : [`${axes[axis]!.isNumber ? `${axes[axis]!.name} ` : ''}${place}`]))
      .join(', ')
    const own = series.get(name) ?? { name: name || value.name, x: [], y: [] }
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
export function csvOfTable({ axes, rows, value }: OverTable): string {
  const components = Object.keys(rows.find(({ reading }) => reading?.components)?.reading?.components ?? {})
  const titled = ({ name, unit }: Quantity): string => (unit === '1' ? name : `${name} [${unit ?? 'unit unknown'}]`)
  const parts = components.map((name) => titled({ name: `${value.name}.${name}`, unit: value.unit }))
  const data = rows.map(({ at, reading, failure }) => [
    ...at,
    reading && Number.isFinite(reading.value) ? reading.value : '',
    ...components.map((name) => reading?.components?.[name] ?? ''),
    failure ?? reading?.cautions.join(' ') ?? '',
  ])
  return `${Papa.unparse({ fields: [...axes.map(titled), titled(value), ...parts, 'remark'], data }, { newline: '\n' })}\n`
}
