/** Range of a variable over all parts that have it, at the plan's moment. Vectors count by their magnitude. */
import { DataError, UserError } from '../../core/errors'
import { extremesOf } from '../../core/measure/extremes'
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
    try {
      for (const [lo, hi] of blockRanges(evaluator, lent, name, variable)) {
        if (lo < min) min = lo
        if (hi > max) max = hi
      }
      found = true
    } catch (error) {
      // slopes are taken in regions alone
      if (!(error instanceof DataError && error.code === 'no-gradient')) throw error
      failure = error
    }
  }
  if (!found) throw failure
  return { min: min <= max ? min : null, max: min <= max ? max : null }
}

/** A field as it is was measured when it was stored: its blocks are not read again. */
function* blockRanges(evaluator: Evaluator, lent: LentCase, name: string, variable: string): Generator<[number, number]> {
  const { field } = evaluator.quantity(variable, name)
  if (field !== undefined) return yield* lent.field(name, field).index.ranges
  const part = lent.part(name)
  for (let k = 0; k < part.nBlocks; k++) {
    const { values, components } = evaluator.blockValues(variable, part, k)
    const { min, max } = extremesOf(values, components)
    yield [min, max]
  }
}
