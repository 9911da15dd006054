/** A mean of something that a flow carries is better weighted by that flow. */
import { callOf, labelOf, nameOf } from '../fields/formula/expressions'
import type { ReadingMend } from '../measure/results'
import { isVelocity, quantityOf } from '../units/quantities'
import type { MeasuredInput } from './measuredInput'
import type { StepContext } from './StepKind'

/** Quantities that a flow carries with it. */
const CARRIED = ['temperature', 'time', 'plain number']
/**
 * For a mean by area of what is carried, over a section that something flows through.
 *
 * @returns undefined where there is no reason for doubt
 */
export function meanMend(context: StepContext, input: MeasuredInput): ReadingMend | undefined {
  if (input.dimension !== 2) return undefined
  const variable = context.variable('variable')
  const { components, plain, unit } = context.quantity(variable, input.parts)
  if (components !== 1 || !CARRIED.includes(quantityOf(plain?.name ?? labelOf(variable), 1, unit) ?? '')) return undefined
  const velocity = context.fields().find((field) => isVelocity(field) && input.parts.every((part) => field.parts.includes(part)))
  // nothing is carried through a wall
  if (!velocity || !(input.totals(callOf('mag', callOf('dot', nameOf(velocity.name), nameOf('normal')))).totals.max > 0)) return undefined
  return {
    caution: `This is the mean by area; for what the flow carries, the mean weighted by the flow of ${velocity.name} is usually meant.`,
    label: `Weight by ${velocity.name}`,
    settings: { quantity: 'weighted' },
    fields: { weight: velocity.name },
  }
}
