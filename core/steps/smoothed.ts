/** What must go from point to point of a variable that lives on cells takes it smoothed, and says so. */
import { callOf, labelOf } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'

export function smoothed(variable: Expression): Expression {
  return callOf('smooth', variable)
}

/** @param parts  those on which it lives on cells */
export function smoothedNote(variable: Expression, parts: readonly string[], isAll: boolean): string {
  const where = isAll ? '' : ` of ${parts.join(', ')}`
  return `${labelOf(variable)} lives on cells${where}; it was smoothed to points, with the values of the boundary where it has some`
}
