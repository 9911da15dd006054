/** Range of a variable over all parts that have it, at the plan's moment. Vectors count by their magnitude. */
import { UserError } from '../../core/errors'
import { magnitude } from '../../core/measure/integrateCells'
import type { Evaluator } from '../../core/study/Evaluator'
import type { LentCase } from './LentCase'

export function variableRange(evaluator: Evaluator, lent: LentCase): { min: number | null; max: number | null } {
  const variable = evaluator.plan.variable!
  let min = Infinity
  let max = -Infinity
  let failure: unknown
  let found = false
  for (const { name } of lent.catalogue.parts) {
    try {
      evaluator.quantity(variable, name)
    } catch (error) {
      // the part lacks a field of the formula; only if all do is that an error
      if (!(error instanceof UserError)) throw error
      failure = error
      continue
    }
    found = true
    const part = lent.part(name)
    for (let k = 0; k < part.nBlocks; k++) {
      const { values, components } = evaluator.blockValues(variable, part, k)
      for (let i = 0; i < values.length / components; i++) {
        const x = magnitude(values, i, components)
        if (x < min && x > -Infinity) min = x
        if (x > max && x < Infinity) max = x
      }
    }
  }
  if (!found) throw failure
  return { min: min <= max ? min : null, max: min <= max ? max : null }
}
