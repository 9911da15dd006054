/** What a step yields as a file: surfaces, lines and points with values on them, curves and readings as tables. */
import { CellType } from '../../mesh/cellTypes'
import type { FloatArray } from '../../mesh/MeshBlock'
import type { Quantity } from '../../measure/results'
import { elementSize, joinPieces, joinValues } from '../../shapes/Shape'
import type { Piece, Shape, ShapeKind, ShapeValues } from '../../shapes/Shape'
import { joinArrays } from '../meshParts'
import type { Curve, Reading } from '../../measure/results'
import { UserError } from '../../errors'
import { componentNames } from '../../fields/formula/typed'
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
  const { kind, columns = [] } = shape
  if (!formatsOf(kind).includes(format)) {
    throw new UserError('format', `${kind} cannot be written as ${format}; choose ${formatsOf(kind).join(' or ')}.`)
  }
  const piece = joinPieces(shape.pieces)
  const placed = fields.map((field) => onPointsOrElements(shape, piece, field))
  const scalars = placed.filter((field) => field.place === 'point' && field.components === 1)
  switch (format) {
    case 'csv': {
      const own = columns.map((column, c) => ({
        ...column,
        values: joinArrays(
          Float64Array,
          shape.pieces.map((p) => p.columns![c]!),
        ),
      }))
      const values = placed.flatMap((field) => (field.place === 'point' ? columnsOf(field) : []))
      return [new TextEncoder().encode(writeCsv([...positions(piece, lengthUnit), ...own, ...values]))]
    }
    case 'stl':
      return [writeStl(piece)]
    case 'ply':
      return [writePly({ ...piece, fields: scalars })]
    default:
      return writeVtk(meshOf(kind, piece), placed, { kind: format === 'vtp' ? 'vtp' : 'vtu', deflate, ...(lengthUnit && { lengthUnit }) })
  }
}

function meshOf(kind: ShapeKind, { points, elements, cells }: Piece): Parameters<typeof writeVtk>[0] {
  const size = elementSize(kind)
  const type = { surface: CellType.triangle, lines: CellType.line, points: CellType.vertex }[kind]
  const offsets = Uint32Array.from({ length: cells.length + 1 }, (_, e) => size * e)
  return { points, types: new Uint8Array(cells.length).fill(type), offsets, connectivity: elements }
}

/** Values that jump between elements are averaged over each. */
function onPointsOrElements(shape: Shape, piece: Piece, field: NamedValues): WriteField {
  const { name, unit } = field
  const { values, components, place } = joinValues(shape, field)
  if (place !== 'corner') return { name, unit, components, values, place: place === 'point' ? 'point' : 'cell' }
  const size = elementSize(shape.kind)
  const means = new Float64Array(components * piece.cells.length)
  for (let i = 0; i < values.length; i++) means[components * Math.floor(i / components / size) + (i % components)]! += values[i]! / size
  return { name, unit, components, values: means, place: 'cell' }
}

function positions({ points }: Piece, lengthUnit: string | null): CsvColumn[] {
  const axis = (d: number): Float64Array => Float64Array.from({ length: points.length / 3 }, (_, p) => points[3 * p + d]!)
  return ['x', 'y', 'z'].map((name, d) => ({ name, unit: lengthUnit, values: axis(d) }))
}

function columnsOf({ name, unit = null, components, values }: WriteField): CsvColumn[] {
  const component = (c: number): FloatArray =>
    Float64Array.from({ length: values.length / components }, (_, i) => values[i * components + c]!)
  return Array.from({ length: components }, (_, c) => ({
    name: components === 1 ? name : `${name}.${componentNames[components]?.[c] ?? c}`,
    unit,
    values: component(c),
  }))
}

/** A pair of columns for each line of a chart. */
export function writeCurve({ x, y, series }: Curve): string {
  return writeCsv(
    series.flatMap((s) => [
      { name: series.length > 1 ? `${x.name}, ${s.name}` : x.name, unit: x.unit, values: s.x },
      { name: series.length > 1 ? `${y.name}, ${s.name}` : y.name, unit: y.unit, values: s.y },
    ]),
  )
}

export function writeReading(name: string, { value, components, unit, parts = [] }: Reading): string {
  const columns = (own: string, x: Pick<Reading, 'value' | 'components' | 'unit'>): CsvColumn[] => [
    { name: own, unit: x.unit, values: [x.value] },
    ...Object.entries(x.components ?? {}).map(([component, c]) => ({ name: `${own}.${component}`, unit: x.unit, values: [c] })),
  ]
  return writeCsv([
    ...columns(name, { value, unit, ...(components && { components }) }),
    ...parts.flatMap((part) => columns(part.name, part)),
  ])
}
