/** What the axes of curves say: a variable with its unit; vectors count by their magnitude. */
import { callOf, labelOf } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'
import type { Quantity } from '../measure/results'
import type { StepContext } from './StepKind'

export function quantityOf(context: StepContext, variable: Expression, parts: readonly string[]): Quantity {
  const { components, unit } = context.quantity(variable, parts)
  return { name: magnitudeName(context, variable, components, parts), unit }
}

export function magnitudeName(context: StepContext, variable: Expression, components: number, parts: readonly string[]): string {
  return components > 1 ? context.named(callOf('mag', variable), parts) : labelOf(variable)
}
