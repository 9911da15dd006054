/** What the expression that a step calculates depends on, besides the readings that it is given. */
import type { Key } from '../digest'
import { digest } from '../digest'
import { labelOf, nameOf } from '../fields/formula/expressions'
import { namesIn, parseFormula } from '../fields/formula/parse'
import { highestParts } from '../fields/formula/scope'
import type { StoredRef } from './Expressions'
import type { FramePlan } from './FramePlan'

/** Key and reads of the formulas and of the fields, inside reductions, that stand in it; null for a step that calculates nothing. */
export function numbersUsed(step: string, at: FramePlan): { key: Key | null; reads: StoredRef[] } {
  const { kind, settings } = at.step(step)
  if (!kind.calculates) return { key: null, reads: [] }
  const { expressions, catalogue } = at
  const names = attemptNames(String(settings[kind.calculates]))
  const known = (all: object) => names.filter((name) => Object.hasOwn(all, name)).map(nameOf)
  const [formulas, fields] = [known(at.names.formulas), known(at.names.fields)]
  const on = highestParts(catalogue).map(({ name }) => name)
  const all = catalogue.parts.map(({ name }) => name)
  const keys = [
    ...formulas.map((formula) => [labelOf(formula), expressions.key(formula, on)]),
    ...fields.map((field) => [labelOf(field), expressions.key(field, all)]),
  ]
  return { key: digest('numbers', keys), reads: [...expressions.allReads(formulas, on), ...expressions.allReads(fields, all)] }
}

/** Names in the text of an expression; none while it is none. */
function attemptNames(text: string): string[] {
  try {
    return [...namesIn(parseFormula(text))]
  } catch {
    return []
  }
}
