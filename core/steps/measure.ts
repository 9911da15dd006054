/** A number with its unit: area, volume, integral, mean, extremes, flux. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { formatNumber } from '../colour/ticks'
import { DataError } from '../errors'
import { callOf, coherentOf, labelOf, nameOf, productOf, squareAbout } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'
import { integrateShape, sizeOfShape } from '../measure/integrateShape'
import { named } from '../measure/reductions'
import type { Reading } from '../measure/results'
import { sumCells } from '../measure/sumCells'
import type { Totals } from '../measure/sums'
import { onesOn, totalsOfDomain } from '../measure/totals'
import { cellCount, hasCutWholes, isWhole, lostCells, lostNotes } from '../mesh/Domain'
import type { Domain, DomainBlock, DomainMesh } from '../mesh/Domain'
import type { FieldValues, PartBlocks } from '../mesh/MeshBlock'
import { elementCount } from '../shapes/Shape'
import type { Shape } from '../shapes/Shape'
import { divide, multiplyUnits, parseUnit, sameDimensions, unitName } from '../units/units'
import { defineStep, settingsOf } from './StepKind'
import type { InputSpec, StepContext } from './StepKind'

const quantities = [
  { value: 'size', label: 'size (area, volume, length)', words: ['area, volume or length', 'area', 'volume', 'length', 'size'] },
  { value: 'mean', label: 'mean', words: ['mean', 'average'] },
  { value: 'weighted', label: 'weighted mean', words: ['weighted mean', 'weighted average', 'bulk', 'mass weighted', 'flux weighted'] },
  { value: 'integral', label: 'integral', words: ['integral'] },
  { value: 'flux', label: 'flux', words: ['flux', 'flow rate'] },
  { value: 'mass flow', label: 'mass flow', words: ['mass flow'] },
  { value: 'std', label: 'standard deviation', words: ['standard deviation', 'spread', 'uniformity', 'std'] },
  { value: 'rms', label: 'root mean square', words: ['root mean square', 'rms'] },
  { value: 'min', label: 'smallest', words: ['smallest value', 'smallest', 'minimum'] },
  { value: 'max', label: 'largest', words: ['largest value', 'largest', 'maximum'] },
] as const

const ofInput: InputSpec = { name: 'of', accepts: ['region', 'surface', 'lines'], isList: true }
const outOfInput: InputSpec = { name: 'out of', accepts: ['region'], isOptional: true, none: 'either side' }

/** Quantities that go through a surface, out of a region. */
function isThrough(quantity: unknown): boolean {
  return quantity === 'flux' || quantity === 'mass flow'
}

const Settings = Type.Object({
  quantity: Type.Union(quantities.map(({ value }) => Type.Literal(value))),
  /** Ignored by `size`. */
  variable: Type.String(),
  /** Of `weighted`: by which the mean is weighted besides the size. */
  weight: Type.String({ default: '' }),
})

export const measure = defineStep({
  id: 'measure',
  version: 1,
  title: 'Measure',
  words: ['measure', 'area', 'volume', 'mean', 'average', 'integral', 'flux', 'flow rate', 'mass flow', 'minimum', 'maximum'],
  icon: 'M3 16 L16 3 L21 8 L8 21 Z M7 12 L9 14 M10 9 L12.5 11.5 M13 6 L15 8',
  settings: Settings,
  inputs: [ofInput, outOfInput],
  // a flux goes through a surface and out of a region
  narrowed: ({ quantity }) =>
    isThrough(quantity)
      ? [
          { ...ofInput, accepts: ['surface'] },
          { ...outOfInput, isOptional: false },
        ]
      : [ofInput, outOfInput],
  defaults({ pick }, wishes) {
    const quantity = wishes.quantity ?? (wishes.variable ? 'mean' : 'size')
    return { quantity, variable: wishes.variable ?? pick(isThrough(quantity) ? 3 : 1), weight: wishes.weight ?? pick(1) }
  },
  presets: quantities.map(({ value, words }) => ({
    title: `Measure ${words[0]}`,
    words: `${words.join(' ')} flow rate`,
    settings: { quantity: value },
  })),
  onPick: { title: 'Measure this', isOn: true, settings: ({ variable }) => (variable === null ? {} : { variable }) },
  yields: () => undefined,
  sentence: ({ quantity }) => [
    'Measure ',
    {
      token: 'choice',
      setting: 'quantity',
      options: quantities,
    },
    ...(quantity === 'size'
      ? []
      : [quantity === 'mass flow' ? ' with ' : ' of ', { token: 'variable', setting: 'variable', kind: kindOf(quantity) } as const]),
    ...(quantity === 'weighted' ? [' by ', { token: 'variable', setting: 'weight', kind: 'scalar' } as const] : []),
    ...(isThrough(quantity)
      ? [' out of ', { token: 'input', input: 'out of' } as const, ' through ']
      : [quantity === 'size' ? ' of ' : ' over ']),
    { token: 'input', input: 'of' },
  ],
  variables: ({ quantity }) => (quantity === 'size' ? [] : quantity === 'weighted' ? ['variable', 'weight'] : ['variable']),
  reading: (context) => measureStep(context, settingsOf(Settings, context).quantity),
})

function kindOf(quantity: unknown): 'through' | 'scalar' | 'any' {
  return isThrough(quantity) ? 'through' : quantity === 'std' || quantity === 'rms' ? 'scalar' : 'any'
}

type MeasuredQuantity = Static<typeof Settings>['quantity']

function measureStep(context: StepContext, quantity: MeasuredQuantity): Reading {
  const domain = context.domain('of')
  const { parts } = domain
  if (isThrough(quantity)) return flux(context, quantity === 'mass flow', parts)
  if (!parts.length) return overShape(context, quantity, context.shape('of'))
  if (context.hasShapes('of')) {
    throw new DataError('mixed-inputs', 'A volume and a surface cannot be measured together; choose regions alone, or surfaces alone.')
  }
  return overDomain(context, quantity, domain)
}

function overDomain(context: StepContext, quantity: MeasuredQuantity, domain: Domain): Reading {
  const names = domain.parts.map(({ name }) => name)
  let nCells = 0
  let isSubdivided = false
  const counted = (mesh: DomainMesh, { part, block }: DomainBlock, values: FieldValues): FieldValues => {
    isSubdivided ||= hasCutWholes(mesh, part.block(block))
    if (!isWhole(domain)) nCells += cellCount(mesh)
    return values
  }
  if (isWhole(domain)) nCells = names.reduce((n, name) => n + (context.catalogueOf(name)?.cells ?? 0), 0)
  const over = (): string => {
    const cells = `${nCells.toLocaleString('en')} cells of ${names.join(', ')}`
    return isSubdivided ? `${cells}; quadratic cells that are cut count by their linear pieces` : cells
  }
  if (quantity === 'size') {
    const totals = totalsOfDomain(domain, (mesh, block) => counted(mesh, block, onesOn(mesh)), context.check)
    return withCautions(reading(context, quantity, totals, '1', 3, over()), lostNotes(lostCells(domain)))
  }
  const variable = context.variable('variable')
  const totalsOf = (expression: Expression): Integrated => {
    nCells = isWhole(domain) ? nCells : 0
    const valuesOf = (mesh: DomainMesh, block: DomainBlock): FieldValues =>
      counted(mesh, block, context.domainValues(expression, domain, block, mesh))
    return { totals: totalsOfDomain(domain, valuesOf, context.check), unit: context.quantity(expression, names).unit }
  }
  const { place } = context.quantity(variable, names)
  const found = measured(context, quantity, totalsOf, { dimension: 3, over })
  return withCautions(found, [...lostNotes(lostCells(domain)), ...(place === 'mixed' ? [mixedNote(context, variable, names)] : [])])
}

function withCautions(found: Reading, cautions: readonly string[]): Reading {
  return { ...found, cautions: [...found.cautions, ...cautions] }
}

function mixedNote(context: StepContext, variable: Expression, parts: readonly string[]): string {
  const on = (place: string): string => parts.filter((part) => context.quantity(variable, [part]).place === place).join(', ')
  return `${labelOf(variable)} lives on points of ${on('point')} and on cells of ${on('cell')}; each part is measured by its own values.`
}

function overShape(context: StepContext, quantity: MeasuredQuantity, shape: Shape): Reading {
  const dimension = { surface: 2, lines: 1, points: 0 }[shape.kind]
  const nouns = { surface: 'triangles', lines: 'segments', points: 'points' }
  const over = `${elementCount(shape).toLocaleString('en')} ${nouns[shape.kind]}`
  if (quantity === 'size') return reading(context, quantity, sizeOfShape(shape), '1', dimension, over)
  const totalsOf = (expression: Expression): Integrated => {
    const values = context.values(expression, shape)
    return { totals: integrateShape(shape, values), unit: values.unit }
  }
  return measured(context, quantity, totalsOf, { dimension, over: () => over })
}

interface Integrated {
  totals: Totals
  unit: string | null
}

/** By totals of the variable, or of what is made of it. */
function measured(
  context: StepContext,
  quantity: MeasuredQuantity,
  totalsOf: (expression: Expression) => Integrated,
  { dimension, over }: { dimension: number; over: () => string },
): Reading {
  const variable = context.variable('variable')
  if (quantity === 'weighted') {
    const weight = context.variable('weight')
    const [above, below] = [totalsOf(productOf(variable, weight)), totalsOf(coherentOf(weight))]
    const [sum] = below.totals.integral as [number]
    const unit = quotientName(above.unit, below.unit)
    const found = reading(context, 'mean', above.totals, unit, dimension, over())
    const name = labelOf(weight)
    return {
      ...found,
      ...named(above.totals.integral.map((x) => x / sum)),
      madeOf: [`integral(${labelOf(variable)} · ${name}) / integral(${name})`, ...found.madeOf],
      cautions: [...found.cautions, ...(sum === 0 ? [`The integral of ${name} is 0, so it cannot weight a mean.`] : [])],
    }
  }
  if (quantity === 'std' || quantity === 'rms') {
    // in which a square has a meaning for temperatures too
    const plain = coherentOf(variable)
    const mean = totalsOf(plain)
    const centre = quantity === 'std' ? { value: mean.totals.mean[0]!, unit: mean.unit } : undefined
    const { totals } = totalsOf(squareAbout(plain, centre))
    const found = reading(context, 'mean', totals, mean.unit, dimension, over())
    const about = centre ? [`about the mean ${formatNumber(centre.value, 8)} ${centre.unit ?? ''}`.trim()] : []
    return { ...found, value: Math.sqrt(totals.mean[0]!), madeOf: [...about, ...found.madeOf] }
  }
  const { totals, unit } = totalsOf(variable)
  return reading(context, quantity, totals, unit, dimension, over())
}

/** Unit of a quotient, in coherent units as the values are. */
function quotientName(above: string | null, below: string | null): string | null {
  const [a, b] = [above === null ? null : parseUnit(above), below === null ? null : parseUnit(below)]
  return a && b ? unitName(divide(a.dimensions, b.dimensions)) : null
}

function reading(
  context: StepContext,
  quantity: MeasuredQuantity,
  totals: Totals,
  unit: string | null,
  dimension: number,
  over: string,
): Reading {
  const sizeUnit = context.lengthUnit && powerName(context.lengthUnit, dimension)
  const size = ['count', 'length', 'area', 'volume'][dimension]
  const madeOf = [`over ${over}`, `${size} ${formatNumber(totals.measure, 8)} ${sizeUnit ?? '(length unit unknown)'}`]
  const cautions: string[] = []
  if (totals.nonFinite) {
    cautions.push(
      `${totals.nonFinite} elements with values that are not finite are left out (${formatNumber(totals.skipped, 4)} of the size).`,
    )
  }
  if (totals.measure === 0) cautions.push('There is nothing here to measure: the input is empty.')
  const isVector = totals.integral.length > 1
  const base = { madeOf, cautions }
  switch (quantity) {
    case 'size':
      return { value: totals.measure, unit: sizeUnit, ...base }
    case 'mean':
    case 'integral': {
      const values = quantity === 'mean' ? totals.mean : totals.integral
      if (isVector) madeOf.push(`the magnitude of the ${quantity} vector, whose components are given`)
      return { ...named(values), unit: quantity === 'mean' ? unit : productName(unit, context.lengthUnit, dimension), ...base }
    }
    default:
      if (isVector) madeOf.push('of the magnitude')
      return { value: totals.measure === 0 ? NaN : quantity === 'min' ? totals.min : totals.max, unit, ...base }
  }
}

function flux(context: StepContext, isMass: boolean, regions: readonly PartBlocks[]): Reading {
  if (regions.length) throw new DataError('no-surface', 'A flux goes through a surface; choose a surface or a slice, not a region.')
  const variable = context.variable('variable')
  const stored = context.parts('of')
  if (
    stored.length &&
    context.quantity(
      variable,
      stored.map(({ name }) => name),
    ).plain?.place === 'face'
  )
    return storedFlux(context, stored, isMass)
  const shape = context.shape('of')
  if (shape.kind !== 'surface') throw new DataError('no-surface', 'A flux goes through a surface; lines have none.')
  const through = callOf('dot', variable, nameOf('normal'))
  const values = context.values(isMass ? productOf(nameOf('density'), through) : through, shape)
  const totals = integrateShape(shape, values)
  const { sign, words } = orientation(context, shape)
  const area = `area ${formatNumber(totals.measure, 8)} ${context.lengthUnit ? powerName(context.lengthUnit, 2) : ''}`
  const what = `${isMass ? 'density · ' : ''}${labelOf(variable)} · normal`
  return {
    value: sign * totals.integral[0]!,
    unit: productName(values.unit, context.lengthUnit, 2),
    madeOf: [`sum of ${what} over ${elementCount(shape).toLocaleString('en')} triangles, ${area}`, `positive ${words}`],
    cautions: totals.nonFinite ? [`${totals.nonFinite} triangles with values that are not finite are left out.`] : [],
  }
}

/** The sum of what the solver itself has flowing through each face: better than an integral over interpolated values. */
function storedFlux(context: StepContext, parts: readonly PartBlocks[], isMass: boolean): Reading {
  const variable = context.variable('variable')
  const label = labelOf(variable)
  if (parts.length < context.inputs('of').length) {
    throw new DataError('not-stored', `“${label}” is stored on the faces of the case's own surfaces; choose those alone.`)
  }
  const names = parts.map(({ name }) => name)
  const { unit } = context.quantity(variable, names)
  const isMassRate = unit !== null && sameDimensions(parseUnit(unit)!.dimensions, parseUnit('kg/s')!.dimensions)
  if (isMass && !isMassRate) {
    throw new DataError(
      'no-mass',
      `“${label}” is in ${unit ?? 'no known unit'}, which is no mass flow; measure its flux, or the mass flow with a velocity.`,
    )
  }
  const sums = parts.map((part) => sumCells(part, (k) => context.blockValues(variable, names, part, k), context.check))
  const nFaces = sums.reduce((n, { cells }) => n + cells, 0)
  const nonFinite = sums.reduce((n, found) => n + found.nonFinite, 0)
  const { sign, words } = orientation(context, context.shape('of'))
  return {
    value: sign * sums.reduce((sum, found) => sum + (found.sums[0] ?? 0), 0),
    unit,
    madeOf: [`sum of ${label} as stored on ${nFaces.toLocaleString('en')} faces`, `positive ${words}`],
    cautions: nonFinite ? [`${nonFinite} faces without a finite value are left out.`] : [],
  }
}

/** Sign that makes the flux positive out of the named region, and the direction in words. */
function orientation(context: StepContext, shape: Shape): { sign: number; words: string } {
  const out = context.inputs('out of')[0]
  const region = out && 'part' in out ? out.part : undefined
  const surfaces = context.inputs('of').map((input) => ('part' in input ? context.catalogueOf(input.part) : undefined))
  if (!region) return { sign: 1, words: shape.direction ?? 'along the normal' }
  if (surfaces.some((part) => part && part.owners && !part.owners.includes(region))) {
    throw new DataError('not-boundary', `This surface does not bound ${region}; choose another region under “out of”, or none.`)
  }
  const flips = surfaces.map((part) => (part?.owners?.[1] === region ? -1 : 1))
  if (new Set(flips).size > 1)
    throw new DataError('mixed-sides', `The surfaces face ${region} from different sides; measure them one by one.`)
  return {
    sign: flips[0] ?? 1,
    words: surfaces.some((part) => part?.owners) ? `out of ${region}` : (shape.direction ?? `out of ${region}`),
  }
}

function powerName(lengthUnit: string, dimension: number): string | null {
  return productName('1', lengthUnit, dimension)
}

/** Unit of a variable times a length to a power; the length's own unit is kept when the variable has none. */
function productName(unit: string | null, lengthUnit: string | null, dimension: number): string | null {
  const length = lengthUnit === null ? null : parseUnit(lengthUnit)
  const value = unit === null ? null : parseUnit(unit)
  if (!value || (!length && dimension > 0)) return null
  let product = value
  for (let d = 0; d < dimension; d++) product = multiplyUnits(product, length!)
  if (product.factor === 1) return unitName(product.dimensions)
  const size = dimension === 0 ? '' : dimension === 1 ? lengthUnit! : `${lengthUnit}${['', '', '²', '³'][dimension]}`
  return unit === '1' ? size : `${unit}·${size}`
}
