/** A curve worked out from others: difference, ratio, integral, slope, moving mean, fit, or even samples. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { formatNumber } from '../colour/ticks'
import { DataError } from '../errors'
import {
  evenAbscissae,
  fitKinds,
  fitted,
  inOrder,
  inOrderOnce,
  integralAlong,
  movingMean,
  resampled,
  slopeAlong,
} from '../measure/curveMaths'
import type { FitKind, Points } from '../measure/curveMaths'
import type { Curve, Quantity, Series } from '../measure/results'
import { divide, factorBetween, multiply, parseUnit, sameDimensions, unitName } from '../units/units'
import type { Dimensions } from '../units/units'
import { defineStep, settingsOf } from './StepKind'
import type { InputSpec, StepContext } from './StepKind'

const pairActs = ['difference', 'sum', 'ratio', 'product', 'mean'] as const
const singleActs = ['integral', 'slope', 'moving mean', 'resample', ...fitKinds] as const
type PairAct = (typeof pairActs)[number]
type SingleAct = (typeof singleActs)[number]

const Settings = Type.Object({
  act: Type.Union([...pairActs, ...singleActs].map((act) => Type.Literal(act))),
  /** Of a moving mean: a share of the length of the curve. */
  width: Type.Number({ exclusiveMinimum: 0, maximum: 1, default: 0.1 }),
  samples: Type.Integer({ minimum: 2, maximum: 100_000, default: 100 }),
})

const acts = [
  { value: 'difference', label: 'the difference', words: ['difference', 'subtract', 'minus', 'error', '-'] },
  { value: 'sum', label: 'the sum', words: ['sum', 'add', '+'] },
  { value: 'ratio', label: 'the ratio', words: ['ratio', 'divide', '/'] },
  { value: 'product', label: 'the product', words: ['product', 'multiply', '*'] },
  { value: 'mean', label: 'the mean', words: ['mean of curves', 'average'] },
  { value: 'integral', label: 'the integral', words: ['integral', 'integrate', 'cumulative'] },
  { value: 'slope', label: 'the slope', words: ['slope', 'derivative', 'gradient'] },
  { value: 'moving mean', label: 'the moving mean', words: ['moving mean', 'moving average', 'smooth'] },
  { value: 'resample', label: 'even samples', words: ['resample', 'even samples'] },
  { value: 'line', label: 'the best line', words: ['line fit', 'linear fit', 'regression', 'trend', 'fit'] },
  { value: 'parabola', label: 'the best parabola', words: ['parabola', 'quadratic fit'] },
  { value: 'cubic', label: 'the best cubic', words: ['cubic'] },
  { value: 'power', label: 'the best power law', words: ['power law'] },
  { value: 'exponential', label: 'the best exponential', words: ['exponential', 'decay'] },
] as const

/** @param atFirst  curves that a new step takes */
function input(atFirst: number): InputSpec {
  return { name: 'of', accepts: ['curve'], isList: true, atFirst, makes: 'plot' }
}

function isOfPair(act: string): act is PairAct {
  return (pairActs as readonly string[]).includes(act)
}

export const curve = defineStep({
  id: 'curve',
  version: 1,
  title: 'Work out',
  words: [
    'work out',
    'curve arithmetic',
    'fit',
    'curve',
    'of curves',
    ...acts.flatMap(({ words }) => words.filter((word) => /\w/.test(word))),
  ],
  icon: 'M4 3 V20 H21 M7 16 L11 10 L14 13 L20 5 M16 17 H21 M18.5 14.5 V19.5',
  settings: Settings,
  inputs: [input(2)],
  narrowed: ({ act }) => [input(isOfPair(act) ? 2 : 1)],
  // what holds for a curve of any unit
  defaults: (_, wishes) => ({ act: wishes.act ?? 'moving mean', width: wishes.width ?? 0.1, samples: wishes.samples ?? 100 }),
  yields: () => 'curve',
  sentence: ({ act }) => [
    'Work out ',
    { token: 'choice', setting: 'act', options: acts },
    ' of ',
    { token: 'input', input: 'of' },
    ...(act === 'moving mean' ? ([' over ', { token: 'number', setting: 'width', quantity: 'share' }, ' of its length'] as const) : []),
    ...(act === 'resample' ? ([', ', { token: 'number', setting: 'samples', quantity: 'count' }, ' samples'] as const) : []),
  ],
  curve: (context) => workedOut(context, settingsOf(Settings, context)),
})

function workedOut(context: StepContext, settings: Static<typeof Settings>): Curve {
  const curves = context.curves('of')
  return isOfPair(settings.act) ? combined(curves, settings.act) : changed(curves, settings.act, settings)
}

interface One {
  series: Series
  x: Quantity
  y: Quantity
}

/** All on the abscissae of the first one; beyond the ends of one of them there is nothing. */
function combined(curves: readonly Curve[], act: PairAct): Curve {
  const all = curves.flatMap((own) => own.series.map((series): One => ({ series, x: own.x, y: own.y })))
  const [first, ...others] = all
  if (!first || !others.length) throw new DataError('one-curve', `The ${act} is that of two curves at least; choose another one as well.`)
  const isOfAlike = act !== 'ratio' && act !== 'product'
  for (const other of others) {
    requireSame(first.x, other.x, 'stand against')
    if (isOfAlike) requireSame(first.y, other.y, 'have')
  }
  const { x } = first.series
  const values = all.map((own) => (isOfAlike ? inUnitOf(first.y, own) : coherent(own.series.y, own.y)))
  const onFirst = all.map(({ series, x: of }, i) => {
    if (i === 0) return values[0]!
    const scale = factorBetween(of.unit, first.x.unit)
    return resampled({ x: series.x.map((v) => v * scale), y: values[i]! }, x)
  })
  const y = x.map((_, i) =>
    joined(
      act,
      onFirst.map((own) => own[i]!),
    ),
  )
  const gaps = y.filter(Number.isNaN).length - onFirst[0]!.filter(Number.isNaN).length
  const name = `${act} of ${[...new Set(all.map((own) => own.y.name))].join(' and ')}`
  return {
    x: first.x,
    y: {
      name,
      unit: isOfAlike
        ? first.y.unit
        : unitOf(
            act,
            all.map((own) => own.y.unit),
          ),
      // levels such as temperatures become differences when they are taken from each other
      ...((act === 'difference' || first.y.isDifference) && { isDifference: true }),
    },
    series: [{ name: act, x, y, ...(first.series.places && { places: first.series.places }) }],
    notes: [
      `on the ${x.length} abscissae of ${first.series.name}, linearly between those of the others`,
      ...(gaps > 0 ? [`${gaps} of them lie where another curve has no value and are left as gaps`] : []),
    ],
  }
}

/** Values of a curve in the unit of another one of the same kind. */
function inUnitOf({ unit }: Quantity, { series, y }: One): Float64Array {
  const [from, to] = [y.unit, unit].map((own) => (own === null ? null : parseUnit(own)))
  if (!from || !to || y.unit === unit) return series.y
  const offset = y.isDifference ? 0 : from.offset - to.offset
  return series.y.map((v) => (v * from.factor + offset) / to.factor)
}

/** In coherent SI, levels above zero. */
function coherent(values: Float64Array, { unit, isDifference }: Quantity): Float64Array {
  const own = unit === null ? null : parseUnit(unit)
  return own && (own.factor !== 1 || own.offset !== 0) ? values.map((v) => v * own.factor + (isDifference ? 0 : own.offset)) : values
}

function joined(act: PairAct, values: readonly number[]): number {
  const [first, ...others] = values as [number, ...number[]]
  const sum = others.reduce((total, v) => total + v, 0)
  if (act === 'difference') return first - sum
  if (act === 'sum') return first + sum
  if (act === 'mean') return (first + sum) / values.length
  const product = others.reduce((total, v) => total * v, 1)
  if (act === 'product') return first * product
  return product === 0 ? NaN : first / product
}

/** Of coherent values: null where one of the units is unknown. */
function unitOf(act: 'ratio' | 'product', units: readonly (string | null)[]): string | null {
  const parsed = units.map((unit) => (unit === null ? null : parseUnit(unit)))
  if (parsed.includes(null)) return null
  const [first, ...others] = parsed.map((unit) => unit!.dimensions) as [Dimensions, ...Dimensions[]]
  return unitName(others.reduce(act === 'ratio' ? divide : multiply, first))
}

function requireSame(first: Quantity, other: Quantity, verb: string): void {
  const [a, b] = [first, other].map(({ unit }) => (unit === null ? null : parseUnit(unit)))
  if (!a || !b || sameDimensions(a.dimensions, b.dimensions)) return
  throw new DataError(
    'kinds',
    `The curves ${verb} different quantities: ${first.name} in ${first.unit} and ${other.name} in ${other.unit}.`,
  )
}

/** Every line of every curve by itself. */
function changed(curves: readonly Curve[], act: SingleAct, { width, samples }: Static<typeof Settings>): Curve {
  const [first, ...others] = curves
  for (const other of others) {
    requireSame(first!.x, other.x, 'stand against')
    requireSame(first!.y, other.y, 'have')
  }
  const notes: string[] = []
  const series = curves.flatMap((own) =>
    own.series.map((one) => ({ ...changedSeries(one, act, { width, samples, own, notes }), name: one.name })),
  )
  return { x: first!.x, y: quantityOf(first!, act), series, notes }
}

function changedSeries(
  { name, x, y }: Series,
  act: SingleAct,
  { width, samples, own, notes }: { width: number; samples: number; own: Curve; notes: string[] },
): Points {
  if (act === 'integral' || act === 'slope') {
    const found = (act === 'integral' ? integralAlong : slopeAlong)({ x: coherent(x, own.x), y: coherent(y, own.y) })
    return { ...found, x: (act === 'integral' ? inOrder : inOrderOnce)({ x, y }).x }
  }
  if (act === 'resample') {
    const at = evenAbscissae({ x, y }, samples)
    return { x: at, y: resampled({ x, y }, at) }
  }
  if (act === 'moving mean') {
    const [low, high] = [x.reduce((a, b) => Math.min(a, b), Infinity), x.reduce((a, b) => Math.max(a, b), -Infinity)]
    return movingMean({ x, y }, width * (high - low))
  }
  const found = fitted({ x, y }, act as FitKind, (value) => formatNumber(value, 6))
  const unit = own.y.unit && own.y.unit !== '1' ? ` ${own.y.unit}` : ''
  const units = `x in ${own.x.unit ?? 'its unit'}, values in ${own.y.unit ?? 'their unit'}`
  notes.push(
    `${name}: ${found.formula} (${units}); residual ${formatNumber(found.residual, 4)}${unit}, R² ${formatNumber(found.determination, 5)}`,
  )
  return found
}

function quantityOf({ x, y }: Curve, act: SingleAct): Quantity {
  if (act !== 'integral' && act !== 'slope') return y
  const unit = unitOf(act === 'integral' ? 'product' : 'ratio', [y.unit, x.unit])
  return { name: act === 'integral' ? `integral of ${y.name} over ${x.name}` : `slope of ${y.name} over ${x.name}`, unit }
}
