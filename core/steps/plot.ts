/** A curve of a variable along a line, along streamlines, along the lines of a cut surface, or along the first column of a table. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { DataError } from '../errors'
import { expressionText, labelOf, nameOf } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'
import { magnitude } from '../measure/integrateCells'
import type { Curve, Quantity, Series } from '../measure/results'
import { eachBlock } from '../mesh/MeshBlock'
import type { PartBlocks } from '../mesh/MeshBlock'
import { lengthsAlong, linesOf } from '../shapes/chainSegments'
import type { Polyline } from '../shapes/chainSegments'
import { cornerValues, joinPieces, joinValues, NO_CELL, partsOf } from '../shapes/Shape'
import type { Piece, PieceValues, Shape } from '../shapes/Shape'
import { spacings } from '../trace/lineShapes'
import { factorBetween, isSameKind } from '../units/units'
import { magnitudeName, quantityOf } from './curveQuantities'
import type { SentencePiece } from './offers'
import { isDrawn, MOST_SAMPLES, sampledCurve } from './sampledCurve'
import { defineStep, settingsOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  variable: Type.String(),
  /** What is drawn to the right. */
  against: Type.Union([Type.Literal('length'), Type.Literal('variable')], { default: 'length' }),
  abscissa: Type.String({ default: '' }),
  /** Samples along each line that was drawn; lines of a cut keep their own points. */
  samples: Type.Integer({ minimum: 2, maximum: MOST_SAMPLES }),
  spacing: Type.Union(
    [...spacings, 'cells' as const].map((spacing) => Type.Literal(spacing)),
    { default: 'even' },
  ),
  /** Of tables: whether a column says what the values may be off by, and which. */
  errors: Type.Union([Type.Literal('none'), Type.Literal('column')], { default: 'none' }),
  error: Type.String({ default: '' }),
})

/** Points of curves up to which their places are told. */
const MOST_PLACES = 20_000

const sides = [
  { value: 'length', label: 'length', words: ['against length', 'distance'] },
  { value: 'variable', label: 'the values of', words: ['against'] },
] as const
/** Of tables. */
const columns = [{ value: 'length', label: 'its first column', words: ['first column'] }, sides[1]] as const
const bars = [
  { value: 'none', label: 'without error bars', words: ['without error bars'] },
  { value: 'column', label: 'with error bars of', words: ['with error bars of', 'error bars', 'uncertainty', 'plus minus'] },
] as const
const closer = [
  { value: 'even', label: 'evenly spaced', words: ['evenly spaced', 'evenly'] },
  { value: 'start', label: 'closer at the start', words: ['closer at the start'] },
  { value: 'end', label: 'closer at the end', words: ['closer at the end'] },
  { value: 'ends', label: 'closer at both ends', words: ['closer at both ends', 'closer at the walls'] },
  { value: 'cells', label: 'in every cell (its middle, and where it is entered)', words: ['in every cell', 'every cell crossing'] },
] as const

export const plot = defineStep({
  id: 'plot',
  version: 3,
  title: 'Plot along',
  words: ['plot', 'chart', 'curve', 'profile', 'graph', 'along'],
  icon: 'M4 3 V20 H21 M7 15 C10 15 10 8 13 8 S17 12 20 6',
  settings: Settings,
  inputs: [
    { name: 'along', accepts: ['lines', 'table'], makes: 'line' },
    { name: 'in', accepts: ['region'], isList: true, onlyFor: 'lines' },
  ],
  defaults: ({ pick }, wishes) => ({
    variable: pick(1),
    against: 'length' as const,
    abscissa: pick(1),
    samples: 200,
    spacing: 'even' as const,
    errors: 'none' as const,
    error: pick(1, undefined, wishes.variable ?? pick(1)),
    ...wishes,
  }),
  isEmptyOn: (_, { isPoints }) => isPoints,
  yields: () => 'curve',
  variables: ({ against, errors }) => [
    'variable',
    ...(against === 'variable' ? ['abscissa'] : []),
    ...(errors === 'column' ? ['error'] : []),
  ],
  sentence: ({ against, errors, spacing }, along) => [
    'Plot ',
    { token: 'variable', setting: 'variable', kind: 'any' },
    ' against ',
    { token: 'choice', setting: 'against', options: along === 'table' ? columns : sides },
    ...(against === 'variable' ? ([' ', { token: 'variable', setting: 'abscissa', kind: 'any' }] as SentencePiece[]) : []),
    ' along ',
    { token: 'input', input: 'along' },
    // the rows of a table are its samples
    ...(along === 'table'
      ? ([
          ', ',
          { token: 'choice', setting: 'errors', options: bars },
          ...(errors === 'column' ? ([' ', { token: 'variable', setting: 'error', kind: 'scalar' }] as const) : []),
        ] as SentencePiece[])
      : ([
          ' in ',
          { token: 'input', input: 'in' },
          ', ',
          ...(spacing === 'cells' ? [] : ([{ token: 'number', setting: 'samples', quantity: 'count' }, ' samples, '] as const)),
          { token: 'choice', setting: 'spacing', options: closer },
        ] as const)),
  ],
  curve: (context) => plotCurve(context, settingsOf(Settings, context)),
})

function plotCurve(context: StepContext, { samples, spacing, against, errors }: Static<typeof Settings>): Curve {
  const variable = context.variable('variable')
  const table = context.parts('along')[0]
  const abscissa = table && context.catalogueOf(table.name)?.abscissa
  const other = against === 'variable' ? context.variable('abscissa') : undefined
  const error = errors === 'column' ? context.variable('error') : undefined
  if (abscissa) return tableCurve(context, table, { abscissa, variable, other, error })
  if (!context.inputs('along').length) throw new DataError('no-input', 'Nothing is chosen for “along”; choose a line.')
  const along = context.shape('along')
  if (along.kind !== 'lines') {
    throw new DataError('no-line', 'A curve runs along a line; choose a line, streamlines or the lines of a cut surface.')
  }
  const hasOwn = [variable, other].some((own) => own?.kind === 'name' && along.columns?.some(({ name }) => name === own.name))
  const sampled = isDrawn(along) && !hasOwn ? sampledCurve(context, along, samples, spacing) : undefined
  const shape = sampled?.shape ?? along
  const whole = joinPieces(shape.pieces)
  const [y, x] = [variable, ...(other ? [other] : [])].map((own) => valuesAlong(context, own, shape))
  const lines = sampled?.lines ?? linesOf(whole).map((line) => ({ line, lengths: lengthsAlong(whole.points, line.points) }))
  // each sample has its own cell
  const isStepped = !sampled && [y!, ...(x ? [x] : [])].some(({ all }) => all.place !== 'point')
  const hasPlaces = lines.reduce((n, { lengths }) => n + lengths.length, 0) <= MOST_PLACES
  const label = labelOf(variable)
  const regions = partsOf(shape).filter((part) => context.catalogueOf(part)?.dimension === 3)
  // traced lines have columns of their own, which are no variables of the case
  const isByCell = sampled !== undefined && regions.length > 0 && context.quantity(variable, regions).place === 'cell'
  const cells = 'values live on cells'
  const note = isStepped ? `${cells}: constant on each piece` : isByCell ? `${cells}: each sample has that of its own` : undefined
  const sparse = sampled && spacing !== 'cells' && isSparse(whole) ? SPARSE : undefined
  const curveOf = (all: PieceValues, { line, lengths }: (typeof lines)[number]): Omit<Series, 'name'> =>
    isStepped
      ? steppedCurve(all.place === 'point' ? cornerValues('lines', whole, all) : all, line, lengths)
      : { x: lengths, y: Float64Array.from(line.points, (p) => magnitude(all.values, p, all.components)) }
  return {
    x: x?.quantity ?? { name: 'length along', unit: context.lengthUnit },
    y: y!.quantity,
    series: lines.map((line, i) => {
      const name = lines.length > 1 ? `${label} ${i + 1}` : label
      const own = curveOf(y!.all, line)
      const places = hasPlaces && !isStepped && { places: placesOf(whole, line.line) }
      return { name, ...own, ...(x && { x: curveOf(x.all, line).y }), ...places }
    }),
    notes: [...(shape.notes ?? []), ...[note, sparse].filter((text) => text !== undefined)],
    mends: [
      ...(note && regions.length ? [{ caution: note, label: 'Smooth them', formula: smooth(label) }] : []),
      ...(sparse
        ? [{ caution: sparse, label: 'Take four times as many', settings: { samples: Math.min(4 * samples, MOST_SAMPLES) } }]
        : []),
    ],
  }
}

/** What is said of samples that skip cells. */
const SPARSE = 'fewer samples than cells: nearly each lies in another cell, so what lies between them is not seen'
/** Samples from which that can be told, and the share of them that lies in another cell than the one before. */
const FEW = 20
const SPARSE_SHARE = 0.8

function isSparse({ cells }: Piece): boolean {
  const inside = [...cells].filter((cell) => cell !== NO_CELL)
  return inside.length > FEW && inside.filter((cell, i) => i > 0 && cell !== inside[i - 1]).length > SPARSE_SHARE * inside.length
}

function placesOf({ points }: Piece, line: Polyline): Float64Array {
  return Float64Array.from(line.points.flatMap((p) => [points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!]))
}

interface Along {
  quantity: Quantity
  all: PieceValues
}

function valuesAlong(context: StepContext, variable: Expression, shape: Shape): Along {
  const values = context.values(variable, shape)
  const name = magnitudeName(context, variable, values.components, partsOf(shape))
  return { quantity: { name, unit: values.unit }, all: joinValues(shape, values) }
}

/** A variable of values on points in place of one on cells. */
function smooth(label: string): { setting: string; name: string; text: string } {
  return { setting: 'variable', name: `smooth ${label}`, text: `smooth(${expressionText(nameOf(label))})` }
}

interface TableColumns {
  abscissa: Quantity
  variable: Expression
  other: Expression | undefined
  error: Expression | undefined
}

/** What values may be off by, in their unit. @throws DataError when it is of another kind */
function inUnitOf(y: Quantity, error: Quantity, values: Float64Array): Float64Array {
  if (error.unit !== null && y.unit !== null && !isSameKind(error.unit, y.unit))
    throw new DataError('kinds', `${error.name} in ${error.unit} cannot be what ${y.name} in ${y.unit} is off by; choose another column.`)
  const factor = factorBetween(error.unit, y.unit)
  return values.map((value) => value * factor)
}

/** The rows of a table in their order. @param other  column to the right instead of the first one. @param error  of error bars */
function tableCurve(context: StepContext, table: PartBlocks, { abscissa, variable, other, error }: TableColumns): Curve {
  const rows: { row: number; x: number; y: number; error: number }[] = []
  const of = (expression: Expression, k: number): ((i: number) => number) => {
    const { values, components } = context.blockValues(expression, [table.name], table, k)
    return (i) => magnitude(values, i, components)
  }
  eachBlock(table, context.check, ({ points, pointNumbers }, k) => {
    const y = of(variable, k)
    const x = other ? of(other, k) : (i: number): number => points[3 * i]!
    const off = error ? of(error, k) : () => NaN
    pointNumbers.forEach((row, i) => rows.push({ row, x: x(i), y: y(i), error: Math.abs(off(i)) }))
  })
  rows.sort((a, b) => a.row - b.row)
  const quantity = (own: Expression): Quantity => quantityOf(context, own, [table.name])
  const y = quantity(variable)
  return {
    x: other ? quantity(other) : abscissa,
    y,
    series: [
      {
        name: labelOf(variable),
        ...{ x: Float64Array.from(rows, (r) => r.x), y: Float64Array.from(rows, (r) => r.y) },
        ...(error && {
          errors: inUnitOf(
            y,
            quantity(error),
            Float64Array.from(rows, (r) => r.error),
          ),
        }),
      },
    ],
    notes: [],
  }
}

/** Values of whole pieces of a line, or of both ends of each: drawn with jumps between them. */
function steppedCurve({ values, components, place }: PieceValues, line: Polyline, ends: Float64Array): Omit<Series, 'name'> {
  const x: number[] = []
  const y: number[] = []
  line.segments.forEach(({ element, isForward }, i) => {
    const at = (end: 0 | 1): number => (place === 'element' ? element : 2 * element + (isForward ? end : 1 - end))
    x.push(ends[i]!, ends[i + 1]!)
    y.push(magnitude(values, at(0), components), magnitude(values, at(1), components))
  })
  return { x: Float64Array.from(x), y: Float64Array.from(y) }
}
