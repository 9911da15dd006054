/**
 * CSV and whitespace tables: points with fields, by columns named x, y and z.
 *
 * The separator (comma, semicolon, tab, spaces) and decimal commas are inferred from the first rows; lines that begin with # are
 * comments; a unit may follow a name in brackets or parentheses: `T [K]`, `speed (m/s)`. Columns `name.x name.y
 * name.z`, `name_x …` or `name:0 …` become a vector. A column named `line` joins the points of equal numbers to polylines.
 * Cells that hold no number are not-a-number; the first column of nothing but texts names the points. Without columns for a place the
 * rows are XY data along the first column.
 */
import Papa from 'papaparse'
import { FormatError } from '../errors'
import { parseUnit } from '../units/units'
import type { SourceMesh } from '../mesh/normaliseCells'
import type { Format } from './Format'
import { countTypes, pointCloud } from './meshParts'
import { SourceCase } from './SourceCase'
import type { SourceField } from './SourceCase'
import { parseNumber, readWhole } from './TextScanner'

export interface Column {
  name: string
  unit: string | null
  values: Float64Array
}

export interface Table {
  columns: Column[]
  /** A column of nothing but texts. */
  labels?: string[]
  nRows: number
  /** Cells that held a text that is no number, and the first of them in words. */
  nTexts: number
  texts?: string[]
}

/** Rows looked at to tell separator and decimal sign. */
const SAMPLE_ROWS = 20
/** Cells without a number that are named. */
const MOST_TEXTS = 3
const MAX_COLUMNS = 2000
/** Points that are named, and letters of a name. */
const MOST_LABELS = 5000
const LONGEST_LABEL = 100
/** Letters of a text that is named because it is no number. */
const LONGEST_WORD = 20
/** The field that tells which one a point has, whatever order the points are kept in. */
const ROW = 'row'

export const table: Format = {
  id: 'Table',
  endings: ['.csv'],
  sniff(head, name) {
    if (!/\.(csv|txt|dat|xy)$/i.test(name)) return false
    const text = new TextDecoder('latin1').decode(head)
    return !/[\x00-\x08\x0e-\x1f]/.test(text) && /\d/.test(text)
  },
  async open(source) {
    const text = new TextDecoder().decode(await readWhole(source))
    return caseOfTable(readTable(text, source.name), source.name)
  },
}

/** @throws FormatError when no row holds numbers */
export function readTable(text: string, name: string): Table {
  const { lines, numbers } = linesOf(text)
  const header = lines[0] ?? ''
  const isNamed = /[a-z]/i.test(header.replace(/[-+]?(nan|inf(inity)?)|\d[.,]?\d*e[-+]?\d+/gi, ''))
  const body = isNamed ? lines.slice(1) : lines
  if (!body.length) throw new FormatError('empty-table', `${name} has no rows of numbers; check that it is a table.`)
  const { separator, hasDecimalComma } = tellSeparators(header, body.slice(0, SAMPLE_ROWS))
  const split = (line: string): string[] =>
    separator === ' ' ? line.trim().split(/\s+/) : (Papa.parse<string[]>(line, { delimiter: separator }).data[0] ?? [])
  const names = isNamed ? split(header).map((cell) => cell.trim()) : split(body[0]!).map((_, i) => `column ${i + 1}`)
  if (names.length > MAX_COLUMNS)
    throw new FormatError('too-many', `${name} has ${names.length} columns, more than are read; check its separator.`)
  const all = names.map((cell) => ({ ...nameAndUnit(cell), values: new Float64Array(body.length), nTexts: 0, texts: [] as string[] }))
  const first = lines.length - body.length
  body.forEach((line, row) => {
    const cells = split(line)
    all.forEach((column, c) => {
      const word = (cells[c] ?? '').trim()
      const value = parseNumber(hasDecimalComma ? word.replace(',', '.') : word)
      if (value === undefined && word !== '' && column.nTexts++ < MOST_TEXTS)
        column.texts.push(`“${word.slice(0, LONGEST_WORD)}” in ${column.name}, line ${numbers[first + row]}`)
      column.values[row] = value ?? NaN
    })
  })
  const hasPlaces = placeColumns(all).some((column) => column) && body.length <= MOST_LABELS
  const named = hasPlaces ? all.findIndex((column) => column.nTexts && column.values.every(Number.isNaN)) : -1
  const numeric = all.filter((_, c) => c !== named)
  const columns = numeric.map(({ name, unit, values }) => ({ name, unit, values }))
  const nTexts = numeric.reduce((sum, column) => sum + column.nTexts, 0)
  const texts = numeric.flatMap((column) => column.texts).slice(0, MOST_TEXTS)
  if (columns.every(({ values }) => values.every(Number.isNaN)))
    throw new FormatError('empty-table', `${name} has no rows of numbers; check that it is a table.`)
  const table = { columns, nRows: body.length, nTexts, texts }
  if (named < 0) return table
  return { ...table, labels: body.map((line) => (split(line)[named] ?? '').trim().slice(0, LONGEST_LABEL)) }
}

/** Lines that are no comment, with their numbers in the file. */
function linesOf(text: string): { lines: string[]; numbers: number[] } {
  const lines: string[] = []
  const numbers: number[] = []
  text.split(/\r?\n/).forEach((line, i) => {
    if (line.trim() === '' || line.trimStart().startsWith('#')) return
    lines.push(line)
    numbers.push(i + 1)
  })
  return { lines, numbers }
}

/** A comma separates unless a semicolon or tab does, or every comma is between digits and spaces separate. */
function tellSeparators(header: string, rows: readonly string[]): { separator: string; hasDecimalComma: boolean } {
  const all = [header, ...rows]
  for (const separator of [';', '\t']) {
    if (rows.every((line) => line.includes(separator)))
      return { separator, hasDecimalComma: rows.some((line) => /\d,\d/.test(line)) && !rows.some((line) => /\d\.\d/.test(line)) }
  }
  const isDecimal =
    rows.every((line) => !/,\s|,$|,,/.test(line)) &&
    rows.every((line) => /\d,\d+\s+[-+]?\d/.test(line)) &&
    !rows.some((line) => /\d\.\d/.test(line))
  if (isDecimal) return { separator: ' ', hasDecimalComma: true }
  return all.some((line) => line.includes(',')) ? { separator: ',', hasDecimalComma: false } : { separator: ' ', hasDecimalComma: false }
}

function nameAndUnit(cell: string): { name: string; unit: string | null } {
  const plain = cell.replace(/^"|"$/g, '')
  const match = /^(.*?)\s*[[(]\s*([^\])]*)\s*[\])]$/.exec(plain)
  if (!match || !match[1]) return { name: plain || 'column', unit: null }
  return parseUnit(match[2]!) ? { name: match[1], unit: match[2]! } : { name: plain, unit: null }
}

/**
 * Positions of a table: its columns named x, y and z, or all three of a table of three columns.
 *
 * @throws FormatError when there are none, or a row lacks a coordinate
 */
export function tablePositions(text: string, name: string): { positions: number[][]; unit: string | null } {
  const { columns, nRows } = readTable(text, name)
  const named = placeColumns(columns)
  const xyz = named[0] || named[1] ? named : columns.length === 3 ? columns : undefined
  if (!xyz) throw new FormatError('no-places', `${name} has no positions; name three columns x, y and z.`)
  const points = placesOf(xyz, nRows)
  const positions = Array.from({ length: nRows }, (_, p) => Array.from(points.subarray(3 * p, 3 * p + 3)))
  const bad = positions.findIndex((place) => !place.every(Number.isFinite))
  if (bad >= 0) throw new FormatError('no-places', `Row ${bad + 1} of ${name} has no position; each needs numbers for x, y and z.`)
  return { positions, unit: xyz.find((c) => c)?.unit ?? null }
}

/** Columns of x, y and z, as far as there are such. */
function placeColumns<T extends Column>(columns: readonly T[]): (T | undefined)[] {
  return ['x', 'y', 'z'].map((letter, d) =>
    columns.find((c) => new RegExp(`^(${letter}|points?[:_. ]?${d}|${letter}[ _-]?coord(inate)?)$`, 'i').test(c.name)),
  )
}

/** Three numbers for each row; 0 where there is no column. */
function placesOf(xyz: readonly (Column | undefined)[], nRows: number): Float64Array {
  const points = new Float64Array(3 * nRows)
  for (let p = 0; p < nRows; p++) for (let d = 0; d < 3; d++) points[3 * p + d] = xyz[d]?.values[p] ?? 0
  return points
}

/** Points, lines, or rows along the first column. @throws FormatError */
export function caseOfTable(table: Table, name: string): SourceCase {
  const { columns, labels, nRows } = table
  const xyz = placeColumns(columns)
  const cautions = cautionsOf(table)
  if (!xyz[0] && !xyz[1]) return caseOfRows(table, name, cautions)
  const points = placesOf(xyz, nRows)
  const lines = columns.find((c) => /^line(_?id)?$/i.test(c.name))
  if (labels && lines)
    cautions.push('Names are those of single points: the column of texts is left out, since the points are joined to lines.')
  const mesh = lines ? polylines(points, lines.values) : pointCloud(points)
  const part = {
    name: lines ? 'lines' : 'points',
    dimension: lines ? 1 : 0,
    points: nRows,
    cells: mesh.types.length,
    cellTypes: countTypes(mesh.types),
    ...(labels && !lines && { labels: { by: ROW, texts: labels } }),
    mesh: async () => mesh,
  }
  const rest = columns.filter((c) => !xyz.includes(c) && c !== lines && !(labels && c.name === ROW))
  if (labels && !lines) rest.push({ name: ROW, unit: '1', values: Float64Array.from(labels, (_, row) => row + 1) })
  return new SourceCase({
    format: 'Table',
    name,
    lengthUnit: xyz.find((c) => c)?.unit ?? null,
    parts: [part],
    fields: fieldsOf(rest, part.name),
    cautions,
  })
}

function cautionsOf({ nTexts, texts = [] }: Table): string[] {
  if (!nTexts) return []
  const named = texts.length ? `: ${texts.join('; ')}${nTexts > texts.length ? `, and ${nTexts - texts.length} more` : ''}` : ''
  return [`${nTexts} ${nTexts === 1 ? 'cell' : 'cells'} of the table ${nTexts === 1 ? 'holds no number' : 'hold no numbers'}${named}.`]
}

/** XY data: points are along the first column, by its values. Rows without one are left out. */
function caseOfRows({ columns, nRows }: Table, name: string, cautions: string[]): SourceCase {
  const [first, ...others] = columns as [Column, ...Column[]]
  if (!others.length)
    throw new FormatError(
      'one-column',
      `${name} has one column alone, ${first.name}: there is nothing that it could be plotted along. Give it a second column.`,
    )
  const rows = Uint32Array.from({ length: nRows }, (_, row) => row).filter((row) => Number.isFinite(first.values[row]!))
  if (!rows.length)
    throw new FormatError(
      'no-abscissa',
      `${name} has no numbers in its first column, ${first.name}, along which the others would stand; put that column first, or ` +
        `name columns x, y and z.`,
    )
  const left = nRows - rows.length
  const pick = (column: Column): Column => ({ ...column, values: Float64Array.from(rows, (row) => column.values[row]!) })
  const points = new Float64Array(3 * rows.length)
  pick(first).values.forEach((x, i) => (points[3 * i] = x))
  const mesh = pointCloud(points)
  const part = {
    name: 'table',
    dimension: 0,
    points: rows.length,
    cells: rows.length,
    cellTypes: countTypes(mesh.types),
    abscissa: { name: first.name, unit: first.unit },
    mesh: async () => mesh,
  }
  return new SourceCase({
    format: 'Table',
    name,
    parts: [part],
    fields: fieldsOf(others.map(pick), part.name),
    cautions: left ? [...cautions, `${left} rows without a number in ${first.name} are left out.`] : cautions,
  })
}

function fieldsOf(columns: readonly Column[], part: string): SourceField[] {
  const fields: SourceField[] = []
  const groups = new Map<string, (Column | undefined)[]>()
  for (const column of columns) {
    const match = /^(.+?)[._: -]([xyz012])$/i.exec(column.name)
    const base = match?.[1] ?? column.name
    const at = match ? 'xyz012'.indexOf(match[2]!.toLowerCase()) % 3 : 0
    const list = groups.get(match ? base : `${base}\n`) ?? []
    list[at] = column
    groups.set(match ? base : `${base}\n`, list)
  }
  for (const [key, list] of groups) {
    const [x, y, z] = list
    if (!key.endsWith('\n') && x && y && z) {
      const values = new Float64Array(3 * x.values.length)
      for (let i = 0; i < x.values.length; i++) values.set([x.values[i]!, y.values[i]!, z.values[i]!], 3 * i)
      fields.push({ name: key, place: 'point', components: 3, unit: x.unit, parts: [part], read: async () => values })
    } else
      for (const column of list)
        if (column)
          fields.push({
            name: column.name,
            place: 'point',
            components: 1,
            unit: column.unit,
            parts: [part],
            read: async () => column.values,
          })
  }
  return fields
}

function polylines(points: Float64Array, numbers: Float64Array): SourceMesh {
  const lists = new Map<number, number[]>()
  numbers.forEach((number, p) => {
    const list = lists.get(number)
    if (list) list.push(p)
    else lists.set(number, [p])
  })
  const kept = [...lists.values()].filter((list) => list.length > 1)
  const offsets = new Uint32Array(kept.length + 1)
  kept.forEach((list, i) => (offsets[i + 1] = offsets[i]! + list.length))
  return { points, types: new Uint8Array(kept.length).fill(4), offsets, connectivity: Uint32Array.from(kept.flat()) }
}
