/**
 * Tables in workbooks (Office Open XML): the first sheet with rows of numbers, read as `table.ts` reads a text with tabs. What stands above
 * the row of names is left out; a row of units between the names and the numbers belongs to the names.
 */
import type { CellValue, Worksheet } from 'exceljs'
import { FormatError } from '../errors'
import { parseUnit } from '../units/units'
import type { Format } from './Format'
import { caseOfTable, readTable } from './table'
import { readWhole } from './TextScanner'

/** Bytes of a file: a workbook is read whole, and is many times as large in memory. */
const MOST_BYTES = 32 * 2 ** 20

type Row = (string | number | null)[]

export const xlsx: Format = {
  id: 'XLSX',
  endings: ['.xlsx'],
  sniff: (head, name) => /\.xlsx$/i.test(name) && head[0] === 0x50 && head[1] === 0x4b,
  async open(source) {
    const { name, size } = source
    if (size > MOST_BYTES)
      throw new FormatError(
        'too-large',
        `${name} is larger than the ${MOST_BYTES / 2 ** 20} MiB that are read of a workbook; save it as CSV.`,
      )
    const { default: excel } = await import('exceljs')
    const book = new excel.Workbook()
    const bytes = await readWhole(source)
    await book.xlsx.load(bytes.slice().buffer as never).catch(() => {
      throw new FormatError('damaged', `${name} is damaged or is no workbook; save it again as .xlsx, or as CSV.`)
    })
    const sheets = book.worksheets.map((sheet) => [sheet.name, textOf(rowsOf(sheet))] as const)
    const [first, ...others] = sheets.filter(([, text]) => text !== undefined)
    if (!first) throw new FormatError('empty-table', `${name} has no sheet with rows of numbers; check that it holds a table.`)
    const found = caseOfTable(readTable(first[1]!, name), name)
    if (others.length)
      found.catalogue.cautions.push(
        `Only the sheet “${first[0]}” is read; others with numbers are ${others.map(([own]) => `“${own}”`).join(', ')}.`,
      )
    return found
  },
}

function rowsOf(sheet: Worksheet): Row[] {
  const rows: Row[] = []
  sheet.eachRow((row) => {
    const values = row.values as CellValue[]
    // cells are numbered from 1
    rows.push(Array.from({ length: values.length - 1 }, (_, c) => plain(values[c + 1])))
  })
  return rows
}

/** Formulas count by their results, texts by their letters; times are seconds since 1970. */
function plain(value: CellValue | undefined): string | number | null {
  if (value === null || value === undefined) return null
  if (typeof value === 'number') return value
  if (value instanceof Date) return value.getTime() / 1000
  if (typeof value === 'object' && 'result' in value) return plain(value.result as CellValue)
  if (typeof value === 'object' && 'richText' in value) return value.richText.map(({ text }) => text).join('')
  if (typeof value === 'object' && 'text' in value) return String(value.text)
  return typeof value === 'string' ? value : null
}

/** A text with tabs; undefined for a sheet without rows of numbers. */
function textOf(rows: readonly Row[]): string | undefined {
  const first = rows.findIndex((row) => row.some((cell) => typeof cell === 'number'))
  if (first < 0) return undefined
  const isUnits = (row: Row | undefined): boolean =>
    row !== undefined && row.some((cell) => cell) && row.every((cell) => !cell || parseUnit(String(cell)) !== null)
  const units = isUnits(rows[first - 1]) && first > 1 ? rows[first - 1] : undefined
  const names = rows[first - (units ? 2 : 1)]
  const header = names?.map((cell, c) => (units?.[c] ? `${cell ?? ''} [${units[c]}]` : `${cell ?? ''}`))
  const width = Math.max(header?.length ?? 0, ...rows.slice(first).map((row) => row.length))
  const line = (row: readonly unknown[]): string =>
    Array.from({ length: width }, (_, c) => String(row[c] ?? '').replace(/[\t\r\n]+/g, ' ')).join('\t')
  return [...(header ? [header] : []), ...rows.slice(first)].map(line).join('\n')
}
