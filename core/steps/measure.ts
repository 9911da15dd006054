/** A number with its unit: area, volume, integral, mean, extremes, flux. */
import { formatNumber } from '../colour/ticks'
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { DataError } from '../errors'
import { integrateCells, magnitude } from '../measure/integrateCells'
import { integrateShape } from '../measure/integrateShape'
import { sumCells } from '../measure/sumCells'
import { mergeTotals } from '../measure/sums'
import type { GroupTotals, Totals } from '../measure/sums'
import { multiplyUnits, parseUnit, sameDimensions, unitName } from '../fields/units'
import type { PartBlocks } from '../mesh/MeshBlock'
import type { Shape } from './Shape'
import { defineStep, settingsOf } from './StepKind'
import type { Reading, StepContext } from './StepKind'

export const measureQuantities = ['size', 'mean', 'integral', 'flux', 'mass flow', 'min', 'max'] as const

/** Quantities that go through a surface, out of a region. */
export function isThrough(quantity: unknown): boolean {
  return quantity === 'flux' || quantity === 'mass flow'
}

const Settings = Type.Object({
  quantity: Type.Union(measureQuantities.map((q) => Type.Literal(q))),
  /** Ignored by `size`. */
  variable: Type.String(),
})

export const measure = defineStep({
  id: 'measure',
  version: 1,
  title: 'Measure',
  words: ['measure', 'area', 'volume', 'mean', 'average', 'integral', 'flux', 'flow rate', 'mass flow', 'minimum', 'maximum'],
  settings: Settings,
  inputs: [
    { name: 'of', accepts: ['region', 'surface', 'lines'], isList: true },
    { name: 'out of', accepts: ['region'], isOptional: true },
  ],
  yields: () => undefined,
  sentence: ({ quantity }) => [
    'Measure ',
    {
      token: 'choice',
      setting: 'quantity',
      options: [
        { value: 'size', label: 'size (area, volume, length)' },
        { value: 'mean', label: 'mean' },
        { value: 'integral', label: 'integral' },
        { value: 'flux', label: 'flux' },
        { value: 'mass flow', label: 'mass flow' },
        { value: 'min', label: 'smallest' },
        { value: 'max', label: 'largest' },
      ],
    },
    ...(quantity === 'size' ? [] : [quantity === 'mass flow' ? ' with ' : ' of ', { token: 'variable', setting: 'variable', kind: isThrough(quantity) ? 'through' : 'any' } as const]),
    ...(isThrough(quantity) ? [' out of ', { token: 'input', input: 'out of' } as const, ' through '] : [quantity === 'size' ? ' of ' : ' over ']),
    { token: 'input', input: 'of' },
  ],
  variables: (settings) => (settings['quantity'] === 'size' ? [] : [String(settings['variable'])]),
  reading: (context) => measureStep(context, settingsOf(Settings, context)),
})

function measureStep(context: StepContext, settings: Static<typeof Settings>): Reading {
  const regions = context.regions('of')
  if (isThrough(settings.quantity)) return flux(context, settings, regions)
  if (regions.length) return overRegions(context, settings, regions)
  return overShape(context, settings, context.shape('of'))
}

function overRegions(context: StepContext, { quantity, variable }: Static<typeof Settings>, regions: PartBlocks[]): Reading {
  const groups: GroupTotals[] = []
  const expression = quantity === 'size' ? '1' : variable
  const { unit } = context.quantity(expression, regions[0]!.name)
  let components = 1
  for (const part of regions) {
    for (let k = 0; k < part.nBlocks; k++) {
      const field = context.blockValues(expression, part, k)
      components = field.components
      groups.push(...integrateCells(part.block(k), field))
    }
  }
  const totals = mergeTotals(groups, components)
  const nCells = regions.reduce((n, part) => n + (context.catalogueOf(part.name)?.cells ?? 0), 0)
  const over = `${nCells.toLocaleString('en')} cells of ${regions.map((r) => r.name).join(', ')}`
  return reading(context, quantity, totals, components, unit, 3, over)
}

function overShape(context: StepContext, { quantity, variable }: Static<typeof Settings>, shape: Shape): Reading {
  const dimension = { surface: 2, lines: 1, points: 0 }[shape.kind]
  const nouns = { surface: 'triangles', lines: 'segments', points: 'points' }
  const over = `${shape.cells.length.toLocaleString('en')} ${nouns[shape.kind]}`
  if (quantity === 'size') {
    const ones = { values: new Float64Array(shape.cells.length).fill(1), components: 1, place: 'element' as const }
    return reading(context, quantity, integrateShape(shape, ones), 1, '1', dimension, over)
  }
  const values = context.values(variable, shape)
  return reading(context, quantity, integrateShape(shape, values), values.components, values.unit, dimension, over)
}

function reading(
  context: StepContext,
  quantity: Static<typeof Settings>['quantity'],
  totals: Totals,
  components: number,
  unit: string | null,
  dimension: number,
  over: string,
): Reading {
  const sizeUnit = context.lengthUnit && powerName(context.lengthUnit, dimension)
  const madeOf = [`over ${over}`, `${['count', 'length', 'area', 'volume'][dimension]} ${formatNumber(totals.measure, 8)} ${sizeUnit ?? '(length unit unknown)'}`]
  const cautions: string[] = []
  if (totals.nonFinite) {
    cautions.push(`${totals.nonFinite} elements with values that are not finite are left out (${formatNumber(totals.skipped, 4)} of the size).`)
  }
  if (totals.measure === 0) cautions.push('There is nothing here to measure: the input is empty.')
  if (components > 1 && (quantity === 'mean' || quantity === 'integral')) {
    madeOf.push(`components ${(quantity === 'mean' ? totals.mean : totals.integral).map((x) => formatNumber(x, 6)).join(', ')}; the reading is their magnitude`)
  }
  const base = { madeOf, cautions }
  switch (quantity) {
    case 'size':
      return { value: totals.measure, unit: sizeUnit, ...base }
    case 'mean':
      return { value: magnitude(totals.mean, 0, components), unit, ...base }
    case 'integral':
      return { value: magnitude(totals.integral, 0, components), unit: productName(unit, context.lengthUnit, dimension), ...base }
    default:
      return { value: totals.measure === 0 ? NaN : quantity === 'min' ? totals.min : totals.max, unit, ...base }
  }
}

function flux(context: StepContext, { quantity, variable }: Static<typeof Settings>, regions: PartBlocks[]): Reading {
  if (regions.length) throw new DataError('no-surface', 'A flux goes through a surface; choose a surface or a slice, not a region.')
  const shape = context.shape('of')
  if (shape.kind !== 'surface') throw new DataError('no-surface', 'A flux goes through a surface; lines have none.')
  const isMass = quantity === 'mass flow'
  const stored = context.parts('of')
  if (stored[0] && context.quantity(variable, stored[0].name).isFlux) return storedFlux(context, variable, stored, isMass)
  const values = context.values(`${isMass ? 'density * ' : ''}dot(${variable}, normal)`, shape)
  const totals = integrateShape(shape, values)
  const { sign, words } = orientation(context, shape)
  const area = `area ${formatNumber(totals.measure, 8)} ${context.lengthUnit ? powerName(context.lengthUnit, 2) : ''}`
  const cautions = totals.nonFinite ? [`${totals.nonFinite} triangles with values that are not finite are left out.`] : []
  return {
    value: sign * totals.integral[0]!,
    unit: productName(values.unit, context.lengthUnit, 2),
    madeOf: [`sum of ${isMass ? 'density · ' : ''}${variable} · normal over ${shape.cells.length.toLocaleString('en')} triangles, ${area}`, `positive ${words}`],
    cautions,
  }
}

/** The sum of what the solver itself has flowing through each face: better than an integral over interpolated values. */
function storedFlux(context: StepContext, variable: string, parts: PartBlocks[], isMass: boolean): Reading {
  if (parts.length < context.inputs('of').length) throw new DataError('not-stored', `“${variable}” is stored on the faces of the case's own surfaces; choose those alone.`)
  const { unit } = context.quantity(variable, parts[0]!.name)
  const isMassRate = unit !== null && sameDimensions(parseUnit(unit)!.dimensions, parseUnit('kg/s')!.dimensions)
  if (isMass && !isMassRate) throw new DataError('no-mass', `“${variable}” is in ${unit ?? 'no known unit'}, which is no mass flow; measure its flux, or the mass flow with a velocity.`)
  let value = 0
  let nFaces = 0
  let nonFinite = 0
  for (const part of parts) {
    const found = sumCells(part.nBlocks, (k) => part.block(k), (k) => context.blockValues(variable, part, k))
    value += found.sums[0] ?? 0
    nFaces += found.cells
    nonFinite += found.nonFinite
  }
  const { sign, words } = orientation(context, context.shape('of'))
  return {
    value: sign * value,
    unit,
    madeOf: [`sum of ${variable} as stored on ${nFaces.toLocaleString('en')} faces`, `positive ${words}`],
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
  if (new Set(flips).size > 1) throw new DataError('mixed-sides', `The surfaces face ${region} from different sides; measure them one by one.`)
  return { sign: flips[0] ?? 1, words: surfaces.some((part) => part?.owners) ? `out of ${region}` : (shape.direction ?? `out of ${region}`) }
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
