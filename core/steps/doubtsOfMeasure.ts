/** Where a measured number may mislead, and what is usually meant. */
import { callOf, labelOf, nameOf } from '../fields/formula/expressions'
import type { ReadingMend } from '../measure/results'
import { isVelocity, quantityOf } from '../units/quantities'
import { parseUnit, sameDimensions } from '../units/units'
import type { MeasuredInput } from './measuredInput'
import type { StepContext } from './StepKind'

/** Quantities that a flow carries with it. */
const CARRIED = ['temperature', 'time', 'plain number']

/** @param quantity  as `measure` has it. @returns undefined where there is no reason for doubt */
export function doubtOfMeasure(context: StepContext, quantity: string, input: MeasuredInput, value: number): ReadingMend | undefined {
  if (quantity === 'min' && input.dimension === 3) return stillAtWalls(context, input, value)
  if (quantity !== 'mean') return undefined
  return input.dimension === 2 ? meanOfCarried(context, input) : input.dimension === 0 ? meanOfPoints(context, input) : undefined
}

/** Points from which they are taken for those of a mesh, not for places that were chosen. */
const MANY_POINTS = 9

/** Points of a region count alike, and stand close where its cells are small. */
function meanOfPoints(context: StepContext, input: MeasuredInput): ReadingMend | undefined {
  const regions = input.parts.filter((part) => context.catalogueOf(part)?.dimension === 3)
  if (!regions.length || input.size().measure < MANY_POINTS) return undefined
  const names = regions.join(', ')
  return {
    caution: `Points count alike here, and there are more of them where cells are small; the mean by volume is that over ${names}.`,
    label: `Take it over ${names}`,
    inputs: { of: regions, in: [] },
  }
}

/** A speed of 0 that only says that there are walls. */
function stillAtWalls(context: StepContext, input: MeasuredInput, value: number): ReadingMend | undefined {
  const { unit } = context.quantity(context.variable('variable'), input.parts)
  const isSpeed = unit !== null && sameDimensions(parseUnit(unit)!.dimensions, parseUnit('m/s')!.dimensions)
  const walls = input.parts.flatMap((part) => context.surfacesOf(part)).filter(({ role }) => role?.is === 'wall')
  if (value !== 0 || !isSpeed || !walls.length) return undefined
  return {
    caution: 'The smallest speed is 0 on walls without slip, wherever they are; it says nothing about the flow.',
    label: 'Take the 5th percentile',
    settings: { quantity: 'percentile', percent: 5 },
  }
}

/** A mean by area of what a flow carries, over a section that something flows through. */
function meanOfCarried(context: StepContext, input: MeasuredInput): ReadingMend | undefined {
  const variable = context.variable('variable')
  const { components, plain, unit } = context.quantity(variable, input.parts)
  if (components !== 1 || !CARRIED.includes(quantityOf(plain?.name ?? labelOf(variable), 1, unit) ?? '')) return undefined
  const velocity = context.fields().find(({ field }) => isVelocity(field) && input.parts.every((part) => field.parts.includes(part)))
  // nothing is carried through a wall
  if (!velocity || !(input.totals(callOf('mag', callOf('dot', nameOf(velocity.called), nameOf('normal')))).totals.max > 0)) return undefined
  return {
    caution: `This is the mean by area; for what the flow carries, the mean weighted by the flow of ${velocity.called} is usually meant.`,
    label: `Weight by ${velocity.called}`,
    settings: { quantity: 'weighted' },
    fields: { weight: velocity.field.name },
  }
}
