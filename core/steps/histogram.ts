/** How the values of a variable are distributed, by volume, area, length or number. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { DataError } from '../errors'
import { formatNumber } from '../colour/ticks'
import { labelOf } from '../fields/formula/expressions'
import { histogramOf } from '../measure/histogram'
import type { Histogram } from '../measure/histogram'
import type { Curve } from '../measure/results'
import { measuredInput } from './measuredInput'
import { defineStep, settingsOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  variable: Type.String(),
  by: Type.Union([Type.Literal('size'), Type.Literal('count')], { default: 'size' }),
  bins: Type.Integer({ minimum: 1, maximum: 10_000, default: 40 }),
  as: Type.Union([Type.Literal('bin'), Type.Literal('sum')], { default: 'bin' }),
})

const weights = [
  { value: 'size', label: 'volume, area or length', words: ['by volume', 'by area'] },
  { value: 'count', label: 'number of values', words: ['by count', 'by number'] },
] as const
const ways = [
  { value: 'bin', label: 'each bin by itself', words: ['each bin'] },
  { value: 'sum', label: 'all up to a value', words: ['cumulative', 'up to'] },
] as const

export const histogram = defineStep({
  id: 'histogram',
  version: 1,
  title: 'Histogram',
  words: ['histogram', 'distribution', 'frequency', 'bins', 'cumulative'],
  icon: 'M4 3 V20 H21 M7 20 V14 H10 V20 M10 14 V7 H13 V20 M13 10 H16 V20 M16 16 H19 V20',
  settings: Settings,
  inputs: [
    { name: 'over', accepts: ['region', 'surface', 'lines'], isList: true },
    { name: 'in', accepts: ['region'], isList: true, isOptional: true, none: 'everything', onlyFor: 'lines' },
  ],
  defaults: ({ pick }, wishes) => ({ variable: pick(1), by: 'size' as const, bins: 40, as: 'bin' as const, ...wishes }),
  yields: () => 'curve',
  variables: () => ['variable'],
  sentence: () => [
    'Histogram of ',
    { token: 'variable', setting: 'variable', kind: 'any' },
    ' over ',
    { token: 'input', input: 'over' },
    ' by ',
    { token: 'choice', setting: 'by', options: weights },
    ', ',
    { token: 'number', setting: 'bins', quantity: 'count' },
    ' bins, ',
    { token: 'choice', setting: 'as', options: ways },
  ],
  curve: (context) => distribution(context, settingsOf(Settings, context)),
})

function distribution(context: StepContext, { by, bins, as }: Static<typeof Settings>): Curve {
  const variable = context.variable('variable')
  const input = measuredInput(context, 'over')
  const isCounted = by === 'count' || input.dimension === 0
  const found = histogramOf((use) => input.samples(variable, (value, size) => use(value, isCounted ? 1 : size)), bins)
  const valid = found.total - found.lost
  if (!(valid > 0)) throw new DataError('no-values', `${labelOf(variable)} has no value that is a number there.`)
  const { name, unit } = input.quantity(variable)
  const size = isCounted ? 'values' : ['', 'length', 'area', 'volume'][input.dimension]!
  const lost = found.lost ? [`${formatNumber((100 * found.lost) / found.total, 3)} % of the ${size} has no value and is left out`] : []
  return {
    x: { name, unit },
    y: { name: as === 'bin' ? `share of the ${size}` : `share of the ${size} up to it`, unit: '1' },
    series: [{ name, ...(as === 'bin' ? steps(found, valid) : sums(found, valid)) }],
    notes: [`${bins} bins over ${input.over()}`, ...lost, ...input.cautions()],
  }
}

/** Shares as a line that goes up and down at the edges. */
function steps({ edges, sizes }: Histogram, total: number): { x: Float64Array; y: Float64Array } {
  const n = sizes.length
  const x = Float64Array.from({ length: 2 * n + 2 }, (_, i) => edges[i >> 1]!)
  const y = Float64Array.from(x, (_, i) => (i === 0 || i === 2 * n + 1 ? 0 : sizes[(i - 1) >> 1]! / total))
  return { x, y }
}

function sums({ edges, sizes }: Histogram, total: number): { x: Float64Array; y: Float64Array } {
  const y = new Float64Array(edges.length)
  sizes.forEach((size, i) => (y[i + 1] = y[i]! + size / total))
  return { x: edges, y }
}
