/** What formulas of a study may use, and what they come to. */
import { FormulaError } from '~~/core/errors'
import { checkFormula } from '~~/core/fields/formula/check'
import type { Scope, Typed } from '~~/core/fields/formula/check'
import { parseUnit } from '~~/core/fields/units'
import type { Catalogue } from '~~/core/study/caseModel'
import { fieldInfo, materialConstant } from '~~/core/study/Evaluator'
import type { Study } from '~~/core/study/studyModel'

/**
 * The fields of the case and the other formulas.
 *
 * @param own   the formula that is written
 * @param part  the part that fields must be on; any one when absent
 */
export function formulaScope(study: Study, catalogue: Catalogue | null | undefined, own: string | null, part?: string): Scope & { names(): string[] } {
  const fields = (catalogue?.fields ?? []).filter((f) => part === undefined || f.parts.includes(part) || f.place === 'whole case')
  return {
    field: (name) => {
      const field = fields.find((f) => f.name === name)
      return field && fieldInfo(name, field)
    },
    formula: (name) => Object.entries(study.formulas).find(([id, f]) => f.name === name && id !== own)?.[1].text,
    length: (catalogue?.lengthUnit && parseUnit(catalogue.lengthUnit)) || null,
    constant: (name, range) => materialConstant(catalogue!, regionWith(catalogue, name), name, range),
    names: () => [...fields.map((f) => f.name), ...Object.values(study.formulas).map((f) => f.name)].filter((n, i, all) => all.indexOf(n) === i),
  }
}

/** A region whose material has the constant, else the first. */
function regionWith(catalogue: Catalogue | null | undefined, constant: string): string {
  const regions = catalogue?.parts.filter((p) => p.dimension === 3) ?? []
  return (regions.find((p) => p.material?.constants[constant] !== undefined) ?? regions[0])?.name ?? 'the case'
}

/** What a formula comes to, or what is wrong with it. */
export function checked(text: string, scope: Scope): Typed | FormulaError {
  try {
    return checkFormula(text, scope)
  } catch (error) {
    if (error instanceof FormulaError) return error
    throw error
  }
}
