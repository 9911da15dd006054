/** Writes columns as CSV with the unit behind each name, as `table.ts` reads it. */
import Papa from 'papaparse'

export interface CsvColumn {
  name: string
  unit: string | null
  values: ArrayLike<number>
}

/** Numbers keep all their digits; values that are not finite are left empty. */
export function writeCsv(columns: readonly CsvColumn[], delimiter = ','): string {
  const n = columns.reduce((most, column) => Math.max(most, column.values.length), 0)
  const fields = columns.map(({ name, unit }) => (unit ? `${name} [${unit}]` : name))
  const data = Array.from({ length: n }, (_, row) => columns.map(({ values }) => (Number.isFinite(values[row]) ? values[row]! : '')))
  return `${Papa.unparse({ fields, data }, { newline: '\n', delimiter })}\n`
}
