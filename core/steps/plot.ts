/** A curve of a variable along a line, along streamlines, along the lines of a cut surface, or along the first column of a table. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { DataError } from '../errors'
import { magnitude } from '../measure/integrateCells'
import type { PartBlocks } from '../mesh/MeshBlock'
import type { Quantity } from '../study/Evaluator'
import { sampleLine } from '../trace/lineShapes'
import { chainSegments } from './kernels/chainSegments'
import type { Shape, ShapeValues } from './Shape'
import { defineStep, settingsOf } from './StepKind'
import type { Curve, Series, StepContext } from './StepKind'
import { LineSettings } from './line'

const Settings = Type.Object({
  variable: Type.String(),
  /** Samples along a straight line; lines of a cut keep their own points. */
  samples: Type.Integer({ minimum: 2, maximum: 100_000 }),
})

export const plot = defineStep({
  id: 'plot',
  version: 1,
  title: 'Plot along',
  words: ['plot', 'chart', 'curve', 'profile', 'graph', 'along'],
  settings: Settings,
  inputs: [
    { name: 'along', accepts: ['lines', 'table'] },
    { name: 'in', accepts: ['region'], isList: true },
  ],
  yields: () => undefined,
  sentence: (_, along) => [
    'Plot ',
    { token: 'variable', setting: 'variable', kind: 'any' },
    ' along ',
    { token: 'input', input: 'along' },
    // the rows of a table are its samples
    ...(along === 'table' ? [] : ([' in ', { token: 'input', input: 'in' }, ', ', { token: 'number', setting: 'samples', quantity: 'count' }, ' samples'] as const)),
  ],
  curve: (context) => plotCurve(context, settingsOf(Settings, context)),
})

function plotCurve(context: StepContext, { variable, samples }: Static<typeof Settings>): Curve {
  const table = context.parts('along')[0]
  const abscissa = table && context.catalogueOf(table.name)?.abscissa
  if (abscissa) return tableCurve(context, table, abscissa, variable)
  const straight = straightLine(context)
  const shape = straight ? sampledShape(context, straight, samples) : context.shape('along')
  if (shape.kind !== 'lines') throw new DataError('no-line', 'A curve runs along a line; choose a line, streamlines or the lines of a cut surface.')
  const values = context.values(variable, shape)
  if (values.place !== 'point' && !straight) return elementCurve(context, shape, values, variable)
  const lines = shape.paths ? pathsOf(shape) : chainSegments(shape)
  return {
    x: { name: 'length along', unit: context.lengthUnit },
    y: { name: values.components > 1 ? `mag(${variable})` : variable, unit: values.unit },
    series: lines.map((line, i) => seriesOf(shape, values, line, lines.length > 1 ? `${variable} ${i + 1}` : variable)),
    notes: shape.notes ?? [],
  }
}

/** The rows of a table in their order. */
function tableCurve(context: StepContext, table: PartBlocks, abscissa: Quantity, variable: string): Curve {
  const { components, unit } = context.quantity(variable, table.name)
  const rows: { row: number; x: number; y: number }[] = []
  for (let k = 0; k < table.nBlocks; k++) {
    const { points, pointNumbers } = table.block(k)
    const { values } = context.blockValues(variable, table, k)
    pointNumbers.forEach((row, i) => rows.push({ row, x: points[3 * i]!, y: magnitude(values, i, components) }))
  }
  rows.sort((a, b) => a.row - b.row)
  return {
    x: abscissa,
    y: { name: components > 1 ? `mag(${variable})` : variable, unit },
    series: [{ name: variable, x: Float64Array.from(rows, (r) => r.x), y: Float64Array.from(rows, (r) => r.y) }],
    notes: [],
  }
}

/** The line step behind `along`, if it is one: it has no values of its own and is sampled. */
function straightLine(context: StepContext): Static<typeof LineSettings> | undefined {
  const input = context.inputs('along')[0]
  if (!input) throw new DataError('no-input', 'Nothing is chosen for “along”; choose a line.')
  const step = 'step' in input ? context.outline(input.step) : undefined
  return step?.kind === 'line' ? (step.settings as Static<typeof LineSettings>) : undefined
}

function sampledShape(context: StepContext, { start, end }: Static<typeof LineSettings>, samples: number): Shape {
  const regions = context.regions('in')
  if (!regions.length) throw new DataError('no-region', 'A line is sampled in a region; choose one under “in”.')
  return sampleLine(regions, start, end, samples, context.lengthUnit)
}

function pathsOf(shape: Shape): number[][] {
  const paths: number[][] = []
  for (let k = 0; k + 1 < shape.paths!.length; k++) {
    const first = shape.paths![k]!
    paths.push(Array.from({ length: shape.paths![k + 1]! - first }, (_, i) => first + i))
  }
  return paths
}

function seriesOf(shape: Shape, { values, components, place }: ShapeValues, line: number[], name: string): Series {
  const x = new Float64Array(line.length)
  const y = new Float64Array(line.length)
  for (let i = 0; i < line.length; i++) {
    const p = 3 * line[i]!
    if (i > 0) x[i] = x[i - 1]! + distance(shape.points, 3 * line[i - 1]!, p)
    // cell values of a sampled path: element i - 1 ends at point i
    const index = place === 'point' ? line[i]! : Math.max(0, line[i]! - 1)
    y[i] = magnitude(values, index, components)
  }
  return { name, x, y }
}

/** Cell values along lines of a cut: constant on each segment, drawn as steps. */
function elementCurve(context: StepContext, shape: Shape, { values, components, unit }: ShapeValues & { unit: string | null }, name: string): Curve {
  const x: number[] = []
  const y: number[] = []
  let length = 0
  for (let e = 0; e < shape.cells.length; e++) {
    const next = length + distance(shape.points, 3 * shape.elements[2 * e]!, 3 * shape.elements[2 * e + 1]!)
    const value = magnitude(values, e, components)
    x.push(length, next)
    y.push(value, value)
    length = next
  }
  return {
    x: { name: 'length along', unit: context.lengthUnit },
    y: { name, unit },
    series: [{ name, x: Float64Array.from(x), y: Float64Array.from(y) }],
    notes: ['values live on cells: constant on each piece, in the order of the cells'],
  }
}

function distance(points: Float64Array, a: number, b: number): number {
  return Math.hypot(points[b]! - points[a]!, points[b + 1]! - points[a + 1]!, points[b + 2]! - points[a + 2]!)
}
