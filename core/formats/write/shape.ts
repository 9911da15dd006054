/** What a step yields as a file: surfaces, lines and points with values on them, curves and readings as tables. */
import { CellType } from '../../mesh/cellTypes'
import type { FloatArray } from '../../mesh/MeshBlock'
import type { Quantity } from '../../study/Evaluator'
import { elementSize } from '../../steps/Shape'
import type { Shape, ShapeValues } from '../../steps/Shape'
import type { Curve, Reading } from '../../steps/StepKind'
import { UserError } from '../../errors'
import { componentNames } from '../../fields/formula/check'
import { writeCsv } from './csv'
import type { CsvColumn } from './csv'
import { writePly, writeStl } from './surfaces'
import { writeVtk } from './vtkXml'
import type { WriteField } from './vtkXml'

export const shapeFormats = ['vtp', 'vtu', 'stl', 'ply', 'csv'] as const
export type ShapeFormat = (typeof shapeFormats)[number]

/** Formats that hold a shape of a kind. */
export function formatsOf(kind: Shape['kind']): ShapeFormat[] {
  return kind === 'surface' ? ['vtp', 'stl', 'ply', 'csv'] : ['vtu', 'csv']
}

export type NamedValues = ShapeValues & Quantity

export interface ShapeFile {
  shape: Shape
  fields: readonly NamedValues[]
  lengthUnit: string | null
  /** Compresses arrays of the VTK formats. */
  deflate: (bytes: Uint8Array) => Uint8Array
}

/** @throws UserError when the format cannot hold the shape */
export function writeShape({ shape, fields, lengthUnit, deflate }: ShapeFile, format: ShapeFormat): Uint8Array[] {
  if (!formatsOf(shape.kind).includes(format)) throw new UserError('format', `${shape.kind} cannot be written as ${format}; choose ${formatsOf(shape.kind).join(' or ')}.`)
  const placed = fields.map((field) => onPointsOrElements(shape, field))
  if (format === 'csv') return [new TextEncoder().encode(writeCsv([...positions(shape, lengthUnit), ...placed.flatMap((field) => (field.place === 'point' ? columnsOf(field) : []))]))]
  if (format === 'stl') return [writeStl(shape)]
  if (format === 'ply') return [writePly({ ...shape, fields: placed.filter((f) => f.place === 'point' && f.components === 1) })]
  return writeVtk(meshOf(shape), placed, { kind: format === 'vtp' ? 'vtp' : 'vtu', deflate, ...(lengthUnit && { lengthUnit }) })
}

function meshOf({ kind, points, elements, cells }: Shape): Parameters<typeof writeVtk>[0] {
  const size = elementSize(kind)
  const type = { surface: CellType.triangle, lines: CellType.line, points: CellType.vertex }[kind]
  return { points, types: new Uint8Array(cells.length).fill(type), offsets: Uint32Array.from({ length: cells.length + 1 }, (_, e) => size * e), connectivity: elements }
}

/** Values that jump between elements are averaged over each. */
function onPointsOrElements(shape: Shape, { values, components, place, name, unit }: NamedValues): WriteField {
  if (place !== 'corner') return { name, unit, components, values, place: place === 'point' ? 'point' : 'cell' }
  const size = elementSize(shape.kind)
  const means = new Float64Array(components * shape.cells.length)
  for (let i = 0; i < values.length; i++) means[components * Math.floor(i / components / size) + (i % components)]! += values[i]! / size
  return { name, unit, components, values: means, place: 'cell' }
}

function positions({ points, columns = [] }: Shape, lengthUnit: string | null): CsvColumn[] {
  const axis = (d: number): Float64Array => Float64Array.from({ length: points.length / 3 }, (_, p) => points[3 * p + d]!)
  return [...['x', 'y', 'z'].map((name, d) => ({ name, unit: lengthUnit, values: axis(d) })), ...columns]
}

function columnsOf({ name, unit = null, components, values }: WriteField): CsvColumn[] {
  const component = (c: number): FloatArray => Float64Array.from({ length: values.length / components }, (_, i) => values[i * components + c]!)
  return Array.from({ length: components }, (_, c) => ({ name: components === 1 ? name : `${name}.${componentNames[components]?.[c] ?? c}`, unit, values: component(c) }))
}

/** A pair of columns for each line of a chart. */
export function writeCurve({ x, y, series }: Curve): string {
  return writeCsv(series.flatMap((s) => [
    { name: series.length > 1 ? `${x.name}, ${s.name}` : x.name, unit: x.unit, values: s.x },
    { name: series.length > 1 ? `${y.name}, ${s.name}` : y.name, unit: y.unit, values: s.y },
  ]))
}

export function writeReading(name: string, { value, unit }: Reading): string {
  return writeCsv([{ name, unit, values: [value] }])
}
