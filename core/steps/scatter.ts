/** One variable against another, a point for each value. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { DataError } from '../errors'
import { callOf, labelOf } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'
import type { Curve, Quantity } from '../measure/results'
import { measuredInput } from './measuredInput'
import type { MeasuredInput } from './measuredInput'
import { defineStep, settingsOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  variable: Type.String(),
  abscissa: Type.String(),
  most: Type.Integer({ minimum: 1, maximum: 100_000, default: 5000 }),
  shading: Type.Union([Type.Literal('none'), Type.Literal('variable')], { default: 'none' }),
  /** That colours the points. */
  shade: Type.String({ default: '' }),
})

const shadings = [
  { value: 'none', label: 'of one colour', words: ['of one colour'] },
  { value: 'variable', label: 'coloured by', words: ['coloured by', 'colour by'] },
] as const

export const scatter = defineStep({
  id: 'scatter',
  version: 1,
  title: 'Scatter',
  words: ['scatter', 'correlation', 'against', 'cloud of points'],
  icon: 'M4 3 V20 H21 M8 15 H8.1 M10 11 H10.1 M12 13 H12.1 M14 8 H14.1 M16 10 H16.1 M18 5 H18.1',
  settings: Settings,
  inputs: [
    { name: 'over', accepts: ['region', 'surface', 'lines'], isList: true },
    { name: 'in', accepts: ['region'], isList: true, isOptional: true, none: 'everything', onlyFor: 'lines' },
  ],
  defaults: ({ pick }, wishes) => ({
    variable: pick(1),
    abscissa: pick(1, 'temperature'),
    most: 5000,
    shading: 'none' as const,
    shade: pick(1),
    ...wishes,
  }),
  yields: () => 'curve',
  variables: ({ shading }) => ['variable', 'abscissa', ...(shading === 'variable' ? ['shade'] : [])],
  sentence: ({ shading }) => [
    'Scatter ',
    { token: 'variable', setting: 'variable', kind: 'any' },
    ' against ',
    { token: 'variable', setting: 'abscissa', kind: 'any' },
    ' over ',
    { token: 'input', input: 'over' },
    ', at most ',
    { token: 'number', setting: 'most', quantity: 'count' },
    ' points, ',
    { token: 'choice', setting: 'shading', options: shadings },
    ...(shading === 'variable' ? ([' ', { token: 'variable', setting: 'shade', kind: 'any' }] as const) : []),
  ],
  curve: (context) => cloud(context, settingsOf(Settings, context)),
})

function cloud(context: StepContext, { most, shading }: Static<typeof Settings>): Curve {
  const input = measuredInput(context, 'over')
  const named = ['variable', 'abscissa', ...(shading === 'variable' ? ['shade'] : [])].map((setting) => context.variable(setting))
  const quantities = named.map((own) => input.quantity(own))
  const places = quantities.map(({ place }) => place)
  // what lives on points beside what lives on cells is taken by cell, too
  const isByCell = places.includes('cell') && places.includes('point')
  const taken = named.map((own, i) => (isByCell && places[i] === 'point' ? callOf('cells', own) : own))
  const counts = taken.map((own) => countOf(input, own))
  const [y, x, shade] = taken as [Expression, Expression, Expression?]
  const other = counts.findIndex((count) => count !== counts[0])
  if (other > 0) {
    throw new DataError(
      'places',
      `${labelOf(y)} and ${labelOf(taken[other]!)} live on points here and on cells there; choose parts on which each lives at one place.`,
    )
  }
  const n = counts[0]!
  if (!n) throw new DataError('no-values', `There are no values of ${labelOf(y)} there.`)
  // every nth value: neighbours have nearly the same
  const every = Math.ceil(n / most)
  const thinned = every > 1 ? [`every ${every.toLocaleString('en')}th of ${n.toLocaleString('en')} values`] : []
  return {
    x: plainOf(quantities[1]!),
    y: plainOf(quantities[0]!),
    ...(shade && { shade: plainOf(quantities[2]!) }),
    series: [
      {
        name: quantities[0]!.name,
        ...{ x: everyOf(input, x, every, n), y: everyOf(input, y, every, n) },
        ...(shade && { shades: everyOf(input, shade, every, n) }),
      },
    ],
    isLoose: true,
    notes: [
      ...thinned,
      ...(isByCell ? [`${labelOf(named[places.indexOf('point')]!)} is the mean over the points of each cell`] : []),
      `over ${input.over()}`,
      ...input.cautions(),
    ],
  }
}

function plainOf({ name, unit }: Quantity): Quantity {
  return { name, unit }
}

function countOf(input: MeasuredInput, of: Expression): number {
  let n = 0
  input.samples(of, () => n++)
  return n
}

function everyOf(input: MeasuredInput, of: Expression, every: number, n: number): Float64Array {
  const found = new Float64Array(Math.ceil(n / every))
  let i = 0
  input.samples(of, (value) => {
    if (i % every === 0) found[i / every] = value
    i++
  })
  return found
}
