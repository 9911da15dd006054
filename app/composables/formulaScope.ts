/**
 * What formulas of a study may use in the case that is shown, and their types: the same scope as on the server, without
 * computing anything.
 */
import { FormulaError } from '~~/core/errors'
import { axesByName } from '~~/core/fields/formula/axes'
import { checkFormula } from '~~/core/fields/formula/check'
import type { Scope, Typed } from '~~/core/fields/formula/typed'
import { scopeOn } from '~~/core/fields/formula/scope'
import type { Names } from '~~/core/fields/formula/scope'
import type { Catalogue } from '~~/core/case/catalogue'
import type { Study } from '~~/core/study/studyModel'

const empty: Pick<Catalogue, 'parts' | 'fields' | 'moments' | 'lengthUnit'> = { parts: [], fields: [], moments: [], lengthUnit: null }

/**
 * @param own   the formula that is written
 * @param part  the part that fields must be on; any one when absent
 */
export function formulaScope(
  study: Study,
  caseId: string | null,
  catalogue: Catalogue | null | undefined,
  own: string | null,
  part: string | null = null,
): Scope {
  const others = Object.entries(study.formulas).filter(([id]) => id !== own)
  const bound = Object.values(study.variables).flatMap(({ name, binding }) => {
    const entry = binding[caseId ?? '']
    return entry ? [[name, entry] as const] : []
  })
  const caseNames = Object.values(study.cases).map(({ name }) => name)
  const names: Names = {
    catalogue: catalogue ?? (empty as Catalogue),
    formulas: Object.fromEntries(others.map(([, { name, text }]) => [name, text])),
    fields: Object.fromEntries(bound),
    moment: null,
    // kinds and units are those of the shown case
    otherCase: (name, on) => (caseNames.includes(name) ? { case: name, names, part: on } : undefined),
    caseNames,
    axes: axesByName(study.axes),
  }
  return scopeOn(names, part)
}

/** By name. */
export function formulaTexts({ formulas }: Study): Record<string, string> {
  return Object.fromEntries(Object.values(formulas).map(({ name, text }) => [name, text]))
}

/** Type and unit of a formula, or its error. */
export function checked(text: string, scope: Scope): Typed | FormulaError {
  try {
    return checkFormula(text, scope)
  } catch (error) {
    if (error instanceof FormulaError) return error
    throw error
  }
}
