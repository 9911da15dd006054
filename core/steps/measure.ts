/** A number with its unit: area, volume, integral, means, extremes, percentiles, flux. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { formatNumber } from '../colour/ticks'
import { DataError } from '../errors'
import { callOf, coherentOf, expressionText, labelOf, nameOf, productOf, squareAbout } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'
import { percentileOf } from '../measure/percentile'
import { named } from '../measure/reductions'
import type { Reading, ReadingMend } from '../measure/results'
import type { Totals } from '../measure/sums'
import { powerName, productName, quotientName } from '../measure/unitNames'
import type { Vector } from '../mesh/vectors'
import { doubtOfMeasure } from './doubtsOfMeasure'
import { flowsThrough, netOf, partsOfFlow } from './flows'
import { measuredInput } from './measuredInput'
import type { Integrated, MeasuredInput } from './measuredInput'
import { ringLength, Rings, ringWords } from './rings'
import { defineStep, settingsOf } from './StepKind'
import type { InputSpec, StepContext } from './StepKind'

const quantities = [
  { value: 'size', label: 'size (area, volume, length)', words: ['area, volume or length', 'area', 'volume', 'length', 'size'] },
  { value: 'mean', label: 'mean', words: ['mean', 'average'] },
  { value: 'weighted', label: 'weighted mean', words: ['weighted mean', 'weighted average', 'bulk', 'mass weighted', 'flux weighted'] },
  { value: 'integral', label: 'integral', words: ['integral'] },
  { value: 'flux', label: 'flux', words: ['flux', 'flow rate', 'volume flow'] },
  { value: 'mass flow', label: 'mass flow', words: ['mass flow'] },
  { value: 'std', label: 'standard deviation', words: ['standard deviation', 'spread', 'uniformity', 'std'] },
  { value: 'rms', label: 'root mean square', words: ['root mean square', 'rms'] },
  { value: 'min', label: 'smallest', words: ['smallest value', 'smallest', 'minimum', 'min'] },
  { value: 'max', label: 'largest', words: ['largest value', 'largest', 'maximum', 'max'] },
  { value: 'percentile', label: 'percentile', words: ['percentile', 'median', 'quantile'] },
  { value: 'centre', label: 'centre (of area, volume)', words: ['centre', 'center', 'centroid'] },
  { value: 'centre of mass', label: 'centre of mass', words: ['centre of mass', 'center of mass'] },
] as const

const ofInput: InputSpec = { name: 'of', accepts: ['region', 'surface', 'lines'], isList: true }
/** Where lines that were drawn are sampled. */
const inInput: InputSpec = { name: 'in', accepts: ['region'], isList: true, isOptional: true, none: 'its own place', onlyFor: 'lines' }
const outOfInput: InputSpec = { name: 'out of', accepts: ['region'], isOptional: true, none: 'either side', onlyFor: 'surface' }

/** Quantities that go through a surface, out of a region. */
function isThrough(quantity: unknown): boolean {
  return quantity === 'flux' || quantity === 'mass flow'
}

/** Quantities of a variable, and not of the place alone. */
function hasVariable(quantity: unknown): boolean {
  return quantity !== 'size' && quantity !== 'centre' && quantity !== 'centre of mass'
}

/** Quantities that add up over what is measured: there a place may count as a ring. */
function isSummed(quantity: unknown): boolean {
  return !isThrough(quantity) && quantity !== 'min' && quantity !== 'max' && quantity !== 'percentile'
}

const Settings = Type.Object({
  quantity: Type.Union(quantities.map(({ value }) => Type.Literal(value))),
  /** Ignored by `size` and the centres. */
  variable: Type.String(),
  /** Of `weighted`: by which the mean is weighted besides the size; a vector by what goes through the surface. */
  weight: Type.String({ default: '' }),
  /** Of `percentile`: percent of the size that lie below. */
  percent: Type.Number({ default: 95, minimum: 0, maximum: 100 }),
  ...Rings,
})

export const measure = defineStep({
  id: 'measure',
  version: 3,
  title: 'Measure',
  words: ['measure', 'flow rate', ...quantities.flatMap(({ words }) => [...words])],
  icon: 'M3 16 L16 3 L21 8 L8 21 Z M7 12 L9 14 M10 9 L12.5 11.5 M13 6 L15 8',
  settings: Settings,
  inputs: [ofInput, outOfInput, inInput],
  // a flux goes through a surface and out of a region
  narrowed: ({ quantity }) =>
    isThrough(quantity)
      ? [
          { ...ofInput, accepts: ['surface'] },
          { ...outOfInput, isOptional: false },
        ]
      : [ofInput, outOfInput, inInput],
  defaults({ pick }, wishes) {
    const quantity = wishes.quantity ?? (wishes.variable ? 'mean' : 'size')
    const own = { quantity, variable: pick(isThrough(quantity) ? 3 : 1), weight: pick(1) }
    return { ...own, percent: 95, around: 'none' as const, axisAt: [0, 0, 0] as Vector, ...wishes }
  },
  presets: quantities.map(({ value, words }) => ({
    title: `Measure ${words[0]}`,
    words: `${words.join(' ')} flow rate`,
    settings: { quantity: value },
  })),
  onPick: { title: 'Measure this', isOn: true, settings: ({ variable }) => (variable === null ? {} : { variable }) },
  yields: () => 'reading',
  sentence: ({ quantity, around }, of) => [
    'Measure ',
    ...(quantity === 'percentile' ? (['the ', { token: 'number', setting: 'percent', quantity: 'factor' }, ' % '] as const) : []),
    { token: 'choice', setting: 'quantity', options: quantities },
    ...(hasVariable(quantity)
      ? [quantity === 'mass flow' ? ' with ' : ' of ', { token: 'variable', setting: 'variable', kind: kindOf(quantity) } as const]
      : []),
    ...(quantity === 'weighted' ? [' by ', { token: 'variable', setting: 'weight', kind: 'any' } as const] : []),
    ...(isThrough(quantity)
      ? [' out of ', { token: 'input', input: 'out of' } as const, ' through ']
      : [hasVariable(quantity) ? ' over ' : ' of ']),
    { token: 'input', input: 'of' },
    ...(of === 'lines' && !isThrough(quantity) ? [' in ', { token: 'input', input: 'in' } as const] : []),
    ...(isSummed(quantity) && (around !== 'none' || of === 'lines' || of === 'surface') ? ringWords(around) : []),
  ],
  variables: ({ quantity }) => (!hasVariable(quantity) ? [] : quantity === 'weighted' ? ['variable', 'weight'] : ['variable']),
  reading: (context) => measureStep(context, settingsOf(Settings, context)),
})

function kindOf(quantity: unknown): 'through' | 'scalar' | 'any' {
  return isThrough(quantity) ? 'through' : quantity === 'std' || quantity === 'rms' ? 'scalar' : 'any'
}

type Measured = Static<typeof Settings>

function measureStep(context: StepContext, settings: Measured): Reading {
  const { quantity } = settings
  if (isThrough(quantity)) {
    const flows = flowsThrough(context, 'of', quantity === 'mass flow')
    const { unit, madeOf, cautions, surfaces } = flows
    return { value: netOf(surfaces), unit, parts: partsOfFlow(flows), madeOf, cautions }
  }
  const input = measuredInput(context, 'of')
  const found = new Measuring(context, settings, input).reading()
  const doubt = doubtOfMeasure(context, quantity, input, found.value)
  const mends = [...(found.mends ?? []), ...(doubt ? [doubt] : [])]
  return {
    ...found,
    cautions: [...found.cautions, ...input.cautions(), ...(doubt ? [doubt.caution] : [])],
    ...(mends.length && { mends }),
  }
}

type Made = Required<Pick<Reading, 'madeOf' | 'cautions' | 'mends'>>

class Measuring {
  private readonly ring: Expression | undefined

  constructor(
    private readonly context: StepContext,
    private readonly settings: Measured,
    private readonly input: MeasuredInput,
  ) {
    const { around, axisAt, quantity } = settings
    this.ring = isSummed(quantity) ? ringLength(around, axisAt, context.lengthUnit, input.dimension === 3) : undefined
  }

  reading(): Reading {
    const { context, input, ring } = this
    switch (this.settings.quantity) {
      case 'size': {
        if (ring) return this.integral(ring)
        const totals = input.size()
        return { value: totals.measure, unit: this.sizeUnit(), ...this.made(totals) }
      }
      case 'centre':
        return this.mean(nameOf('pos'), ring ? [ring] : [])
      case 'centre of mass':
        return this.mean(nameOf('pos'), [nameOf('density'), ...(ring ? [ring] : [])])
      case 'integral': {
        const variable = context.variable('variable')
        return this.integral(ring ? productOf(variable, ring) : variable)
      }
      case 'mean':
        return this.mean(context.variable('variable'), ring ? [ring] : [])
      case 'weighted':
        return this.mean(context.variable('variable'), [this.weight(), ...(ring ? [ring] : [])])
      case 'std':
      case 'rms':
        return this.spread(this.settings.quantity === 'std', ring ? [ring] : [])
      case 'percentile':
        return this.percentile()
      default:
        return this.extreme(this.settings.quantity === 'min')
    }
  }

  /** A vector weights by what goes through the surface. */
  private weight(): Expression {
    const weight = this.context.variable('weight')
    const { components } = this.context.quantity(weight, this.input.parts)
    if (components === 1) return weight
    if (components === 3 && this.input.dimension === 2) return callOf('dot', weight, nameOf('normal'))
    const name = this.label(weight)
    throw new DataError(
      'weight',
      components === 3
        ? `Only through a surface does “${name}” weigh by what flows; along lines and in regions take a component such as ${name}.x.`
        : `A tensor such as “${name}” weighs nothing; take a component or a size of it.`,
    )
  }

  private integral(of: Expression): Reading {
    const { totals, unit } = this.input.totals(of)
    const made = this.made(totals)
    if (totals.integral.length > 1) made.madeOf.push('the magnitude of the integral vector, whose components are given')
    if (this.ring) made.madeOf.unshift(`integral(${this.label(of)})`)
    return {
      ...named(totals.integral, this.input.names(of)),
      unit: productName(unit, this.context.lengthUnit, this.input.dimension),
      ...made,
    }
  }

  /** @param weights  besides the size */
  private mean(of: Expression, weights: readonly Expression[]): Reading {
    const { integrated, values, unit, words } = this.meanOf(of, weights)
    const made = this.made(integrated.totals)
    made.madeOf.unshift(words)
    if (values.length > 1) made.madeOf.push('the magnitude of the mean vector, whose components are given')
    if (weights.length && !values.every(Number.isFinite) && integrated.totals.measure > 0)
      made.cautions.push(`The integral of ${weights.map((weight) => this.label(weight)).join(' · ')} is 0, so it cannot weight a mean.`)
    return { ...named(values, this.input.names(of)), unit, ...made }
  }

  private meanOf(of: Expression, weights: readonly Expression[]) {
    const sizes = ['number of points', 'length', 'area', 'volume']
    if (!weights.length) {
      const integrated = this.input.totals(of)
      return { integrated, values: integrated.totals.mean, unit: integrated.unit, words: `mean by ${sizes[this.input.dimension]}` }
    }
    const weight = weights.reduce(productOf)
    const integrated = this.input.totals(productOf(of, weight))
    const below = this.input.totals(coherentOf(weight))
    const sum = below.totals.integral[0]!
    const label = weights.map((own) => this.label(own)).join(' · ')
    return {
      integrated,
      values: integrated.totals.integral.map((x) => x / sum),
      unit: quotientName(integrated.unit, below.unit),
      words: `integral(${labelOf(of)} · ${label}) / integral(${label})`,
    }
  }

  private spread(isAboutMean: boolean, weights: readonly Expression[]): Reading {
    const variable = this.context.variable('variable')
    const column = this.input.columnTotals(variable, (value) => value)
    if (column) return this.spreadOfColumn(isAboutMean, column.totals.mean[0]!)
    // in which a square has a meaning for temperatures too
    const plain = coherentOf(variable)
    const mean = this.meanOf(plain, weights)
    const centre = isAboutMean ? { value: mean.values[0]!, unit: mean.unit } : undefined
    const square = this.meanOf(squareAbout(plain, centre), weights)
    const about = centre ? [`about the mean ${formatNumber(centre.value, 8)} ${centre.unit ?? ''}`.trim()] : []
    const made = this.made(square.integrated.totals)
    made.madeOf.unshift(...about, mean.words)
    return { value: Math.sqrt(square.values[0]!), unit: mean.unit, ...(isAboutMean && { isDifference: true }), ...made }
  }

  private spreadOfColumn(isAboutMean: boolean, mean: number): Reading {
    const centre = isAboutMean ? mean : 0
    const { totals, unit } = this.input.columnTotals(this.context.variable('variable'), (value) => (value - centre) ** 2)!
    const made = this.made(totals)
    if (isAboutMean) made.madeOf.unshift(`about the mean ${formatNumber(mean, 8)} ${unit ?? ''}`.trim())
    return { value: Math.sqrt(totals.mean[0]!), unit, ...(isAboutMean && { isDifference: true }), ...made }
  }

  private percentile(): Reading {
    const { percent } = this.settings
    const variable = this.context.variable('variable')
    const integrated = this.input.totals(variable)
    const value = percentileOf((use) => this.input.samples(variable, use), percent / 100)
    const sizes = ['points', 'length', 'area', 'volume']
    const words = `${percent} % of the ${sizes[this.input.dimension]} lie below, each cell counted by its corners`
    return { value, unit: integrated.unit, ...this.ofMagnitude(integrated, words) }
  }

  private extreme(isSmallest: boolean): Reading {
    const variable = this.context.variable('variable')
    const integrated = this.input.totals(variable)
    const { totals, unit } = integrated
    const value = totals.measure === 0 ? NaN : isSmallest ? totals.min : totals.max
    let at: Vector | undefined
    this.input.samples(variable, (found, _, place) => {
      if (!at && found === value) at = place()
    })
    const where = at && `at (${at.map((x) => formatNumber(x, 5)).join(', ')}) ${this.context.lengthUnit ?? ''}`.trim()
    return { value, unit, ...(at && { at }), ...this.ofMagnitude(integrated, where) }
  }

  private ofMagnitude({ totals }: Integrated, words: string | undefined): Made {
    const made = this.made(totals)
    if (words) made.madeOf.unshift(words)
    if (totals.integral.length > 1) made.madeOf.push('of the magnitude')
    return made
  }

  /** What is measured and what is left out of it. */
  private made(totals: Totals): Made {
    const all = this.sizeText(totals.measure, 8)
    const mends = totals.nonFinite ? [this.lost(totals)] : []
    const cautions = mends.map(({ caution }) => caution)
    if (totals.measure === 0) cautions.push('There is nothing here to measure: the input is empty.')
    return { madeOf: [`over ${this.input.over()}`, all], cautions, mends }
  }

  /** Values that are left out, and a step that shows where they are. */
  private lost({ nonFinite, skipped }: Totals): ReadingMend {
    const caution = `${nonFinite} elements with values that are not finite are left out (${this.sizeText(skipped, 4)}).`
    const condition = `known(${expressionText(nameOf(labelOf(this.context.variable('variable'))))}) < 1`
    return { caution, label: 'Show where', makes: { kind: 'keep', settings: { condition }, of: 'of' } }
  }

  private sizeText(size: number, digits: number): string {
    const name = ['count', 'length', 'area', 'volume'][this.input.dimension]
    const unit = this.input.dimension === 0 ? '' : (this.sizeUnit() ?? '(length unit unknown)')
    return `${name} ${formatNumber(size, digits)} ${unit}`.trim()
  }

  private sizeUnit(): string | null {
    return this.context.lengthUnit && powerName(this.context.lengthUnit, this.input.dimension)
  }

  /** With the ring by its name: its formula would be long. */
  private label(of: Expression): string {
    const { ring } = this
    if (of === ring) return '2πr'
    const isProduct = of.kind === 'binary' && of.operator === '*'
    return isProduct && of.right === ring ? `${labelOf(of.left)} · 2πr` : labelOf(of)
  }
}
