/** Variables and formulas of the study as the shown case has them: what they are, and which fit where. */
import { placeWords } from '~~/core/case/catalogue'
import type { Catalogue } from '~~/core/case/catalogue'
import { FormulaError } from '~~/core/errors'
import { fieldInfo } from '~~/core/fields/formula/scope'
import { readyFormulas } from '~~/core/fields/formula/shelf'
import type { OtherCases, ReadyFormula } from '~~/core/fields/formula/shelf'
import { kindName } from '~~/core/fields/formula/typed'
import type { Typed } from '~~/core/fields/formula/typed'
import { letterOf } from '~~/core/steps/offers'
import { ranked, variableName } from '~~/core/study/studyModel'
import type { Study } from '~~/core/study/studyModel'
import { partsOfVariable, writtenFormula } from '~~/core/study/writtenVariables'
import type { Written } from '~~/core/study/writtenVariables'
import { unitName } from '~~/core/units/units'
import { checkExpression } from '~~/core/fields/formula/check'
import { namesIn, parseFormula } from '~~/core/fields/formula/parse'
import { comparisonsOf, conditionTree } from '~~/core/fields/formula/conditions'
import { checked, formulaScope, formulaTexts } from './formulaScope'
import type { Evaluated } from './useEvaluated'
import type { StudyCases } from './useStudyCases'

export interface Choice {
  value: string
  label: string
  hint?: string
}

/** A variable that can be chosen, or whose components can be. */
export interface VariableChoice extends Choice {
  /** Only its components fit. */
  isHead?: boolean
  components: { word: string; written: Written }[]
}

export const oneColour: Choice = { value: '', label: 'one colour', hint: 'no variable' }

/** Other cases that ready formulas take values from. */
const MOST_ELSEWHERE = 2

/** Numbers of components; any of them when undefined. */
const componentsOf = { any: undefined, scalar: 1, vector: 3, through: 3, tensor: 6 }

export type VariableKind = 'any' | 'scalar' | 'vector' | 'tensor' | 'through'

export function useVariables(
  { catalogue, catalogues }: Pick<StudyCases, 'catalogue' | 'catalogues'>,
  { results }: Pick<Evaluated, 'results'>,
) {
  const { document, current } = storeToRefs(useStudyStore())
  const { caseId } = storeToRefs(useViewStore())

  /** Of a column its title: that of a step, or of any that brings it. */
  function label(id: string, step?: string): string {
    const study = document.value
    if (!study || study.variables[id] || study.formulas[id]) return study ? variableName(study, id) : id
    const own = step === undefined ? undefined : results.value.get(step)
    const columns = [...(own ? [own] : []), ...results.value.values()].flatMap(({ shape }) => shape?.columns ?? [])
    return columns.find(({ name }) => name === id)?.title ?? variableName(study, id)
  }

  /** Type and unit of a formula, or its error; undefined for anything else. */
  function typeOf(variable: string, part?: string): Typed | FormulaError | undefined {
    const study = current.value
    const formula = study?.formulas[variable]
    return formula && checked(formula.text, formulaScope(study!, caseId.value, catalogue.value, variable, part ?? null))
  }

  /** What is wrong with the text of a condition; null for nothing. */
  function conditionProblem(text: string): FormulaError | null {
    const scope = formulaScope(current.value!, caseId.value, catalogue.value, null)
    try {
      for (const expression of comparisonsOf(conditionTree(text, formulaTexts(current.value!)))) {
        if (!checkExpression(expression, scope).isCondition)
          return new FormulaError('kind', 'A condition must stand here, such as p > 0; this is a value.', expression.range)
      }
      return null
    } catch (error) {
      if (error instanceof FormulaError) return error
      throw error
    }
  }

  /** What is wrong with a calculation of so many readings, as far as that can be told without their numbers; null for nothing. */
  function calculationProblem(text: string, nReadings: number): FormulaError | null {
    const { formula, constant } = formulaScope(current.value!, caseId.value, catalogue.value, null)
    const letters = Array.from({ length: nReadings }, (_, i) => letterOf(i))
    try {
      for (const name of namesIn(parseFormula(text))) {
        const isKnown = letters.includes(name) || formula(name) !== undefined || fieldOf(name) || constant?.(name, [0, 0])
        if (isKnown || document.value?.variables[name]) continue
        const at = new RegExp(`(?<![\\p{L}\\p{N}_])${name}(?![\\p{L}\\p{N}_])`, 'u').exec(text)?.index ?? 0
        const known = letters.length ? `; readings are ${letters.join(', ')}` : ''
        return new FormulaError('unknown-name', `There is no reading or constant “${name}”${known}.`, [at, at + name.length])
      }
      return null
    } catch (error) {
      if (error instanceof FormulaError) return error
      throw error
    }
  }

  /** The field of the case that a variable of the study is bound to; its name may differ. */
  function fieldOf(variable: string): Catalogue['fields'][number] | undefined {
    const bound = current.value?.variables[variable]?.binding[caseId.value ?? '']?.field
    return catalogue.value?.fields.find((f) => f.name === bound && (f.parts.length > 0 || f.place === 'whole case'))
  }

  /** What a field is, in words. */
  function hintOf(variable: string): string {
    const field = fieldOf(variable)
    return field ? `${field.kind} on ${placeWords(field.place)}, ${field.unit ?? 'unit unknown'}` : ''
  }

  /** Unit of the values of a variable, or of what a result brings itself; null: unknown. */
  function unitOf(variable: string): string | null {
    const type = typeOf(variable)
    if (type) return type instanceof FormulaError || !type.dimensions ? null : unitName(type.dimensions)
    const field = fieldOf(variable)
    if (field) return field.unit
    const name = label(variable)
    return [...results.value.values()].find((r) => r.valuesMeta?.name === name)?.valuesMeta?.unit ?? null
  }

  /** Variables and formulas; with those a result brings itself, such as the time along a streamline. */
  function choices(kind: VariableKind, stepId?: string): Choice[] {
    const study = current.value
    if (!study) return []
    const wanted = componentsOf[kind]
    const formulas = ranked(study.formulas)
      .filter(([id]) => {
        const found = typeOf(id)!
        // one with a mistake may be meant for it
        return !wanted || found instanceof FormulaError || found.components === wanted
      })
      .map(([value, f]) => ({ value, label: f.name, hint: `= ${f.text}` }))
    const variables = ranked(study.variables)
      .filter(([id, v]) => !wanted || v.components === wanted || (kind === 'through' && fieldOf(id)?.place === 'face'))
      .map(([value, v]) => ({ value, label: v.name, hint: hintOf(value) }))
    if (kind === 'vector' || kind === 'through') return [...variables, ...formulas]
    const columns = stepId ? (results.value.get(stepId)?.shape?.columns ?? []) : []
    return [...formulas, ...variables, ...columns.map((c) => ({ value: c.name, label: c.title ?? c.name, hint: c.unit ?? '' }))]
  }

  function nComponents(variable: string): number {
    const type = typeOf(variable)
    if (type) return type instanceof FormulaError ? 1 : type.components
    return current.value?.variables[variable]?.components ?? 1
  }

  /** What `choices` gives, with the components of vectors and tensors where a scalar fits. */
  function offers(kind: VariableKind, stepId?: string): VariableChoice[] {
    const own = choices(kind, stepId)
    const withParts = (choice: Choice): VariableChoice => ({
      ...choice,
      components: ['any', 'scalar'].includes(kind)
        ? partsOfVariable(choice.label, nComponents(choice.value)).map(({ word, ...written }) => ({ word, written }))
        : [],
    })
    if (kind !== 'scalar') return own.map(withParts)
    const heads = choices('any').filter(({ value }) => nComponents(value) > 1 && !own.some((choice) => choice.value === value))
    return [...own.map(withParts), ...heads.map((head) => ({ ...withParts(head), isHead: true }))]
  }

  /** What is written where a variable is chosen: the formula that it would be, or what is wrong with it. */
  function written(text: string, kind: VariableKind): (Written & { hint: string; components: number }) | FormulaError {
    const own = writtenFormula(text)
    const type = checked(own.text, formulaScope(current.value!, caseId.value, catalogue.value, null))
    if (type instanceof FormulaError) return type
    const wanted = componentsOf[kind]
    if (wanted && type.components !== wanted)
      return new FormulaError('kind', `${kindName(wanted)} must stand here, and this is ${kindName(type.components)}.`, type.range)
    return { ...own, hint: type.dimensions ? unitName(type.dimensions) : 'unit unknown', components: type.components }
  }

  /** Ready formulas for the fields of the case that is shown, without those that the study has. */
  const shelf = computed<ReadyFormula[]>(() => {
    const study = document.value
    if (!catalogue.value || !study) return []
    const scope = formulaScope(study, caseId.value, catalogue.value, null)
    const fields = ranked(study.variables).flatMap(([id, { name, components }]) => {
      const field = fieldOf(id)
      return field ? [{ name, components, dimensions: fieldInfo(field).dimensions }] : []
    })
    const taken = new Set([...Object.values(study.formulas), ...Object.values(study.variables)].map(({ name }) => name))
    const texts = new Set(Object.values(study.formulas).map(({ text }) => text))
    return readyFormulas(fields, scope, taken, casesElsewhere(study)).filter(({ text }) => !texts.has(text))
  })

  /** That values can come from: the first few, the base case before others. */
  function casesElsewhere({ cases, variables }: Study): OtherCases {
    const others = Object.entries(cases).filter(([id]) => id !== caseId.value)
    others.sort(([, a], [, b]) => Number(b.isBase) - Number(a.isBase))
    const fieldsOf = (id: string): Set<string> =>
      new Set(Object.values(variables).flatMap(({ name, binding }) => (binding[id] ? [name] : [])))
    const found = (isOfPoints: boolean): OtherCases[keyof OtherCases] => {
      const alike = others.filter(([id]) => catalogues.value.get(id)?.parts.every(({ dimension }) => dimension === 0) === isOfPoints)
      return alike.slice(0, MOST_ELSEWHERE).map(([id, { name }]) => ({ name, fields: fieldsOf(id) }))
    }
    return { points: found(true), meshes: found(false) }
  }

  return { label, typeOf, shelf, offers, written, conditionProblem, calculationProblem, fieldOf, hintOf, unitOf, choices }
}

export type Variables = ReturnType<typeof useVariables>
