/** Which variables there are on what a new step is made of, and which of them to begin with. */
import type { Catalogue } from '~~/core/case/catalogue'
import { FormulaError } from '~~/core/errors'
import { namesIn, parseFormula } from '~~/core/fields/formula/parse'
import { stepKind } from '~~/core/steps'
import type { InputRef } from '~~/core/study/studyModel'
import { isNumbering, quantityOf } from '~~/core/units/quantities'
import type { StudyCases } from './useStudyCases'
import type { Variables } from './useVariables'

interface Around {
  cases: Pick<StudyCases, 'catalogue' | 'catalogues'>
  variables: Pick<Variables, 'choices' | 'typeOf' | 'fieldOf'>
}

export function useVariablePicks({ cases: { catalogue, catalogues }, variables }: Around) {
  const { current } = storeToRefs(useStudyStore())
  const { caseId, moment, selected } = storeToRefs(useViewStore())
  const { typeOf, fieldOf } = variables

  /** Parts of the study that something is made of. */
  function partsOf(ref: InputRef): string[] {
    if (!('step' in ref)) return ['part' in ref ? ref.part : ref.outer]
    const step = current.value!.steps[ref.step]
    const name = step && stepKind(step.kind).inputs[0]?.name
    return name === undefined ? [] : (step!.inputs[name] ?? []).flatMap(partsOf)
  }

  /** Parts of the case that a part of the study stands for. */
  function boundParts(part: string): Catalogue['parts'] {
    const names = current.value?.parts[part]?.binding[caseId.value ?? ''] ?? []
    return (catalogue.value?.parts ?? []).filter(({ name }) => names.includes(name))
  }

  /** Whether a part has values of a variable in the case that is shown; of a table or of points of another case in that. */
  function isOn(variable: string, part: string): boolean {
    const study = current.value
    const own = study?.parts[part]
    const names = own?.binding[caseId.value ?? '']
    if (names) {
      return names.some((name) => {
        const type = typeOf(variable, name)
        return type ? !(type instanceof FormulaError) : fieldOf(variable)?.parts.includes(name)
      })
    }
    if (own?.dimension !== 0) return false
    return Object.entries(own.binding).some(([other, tables]) => {
      const field = study?.variables[variable]?.binding[other]?.field
      return catalogues.value.get(other)?.fields.some(({ name, parts }) => name === field && tables.some((table) => parts.includes(table)))
    })
  }

  /** Fields that exist at this moment and have a known meaning come first, before them what the selected step is coloured by. */
  function pickVariable(components: 1 | 3 | 6, quantity: string | undefined, on: readonly string[], other?: string): string {
    const all = variables.choices(({ 1: 'scalar', 3: 'vector', 6: 'tensor' } as const)[components])
    const choices = all.length > 1 ? all.filter(({ value }) => value !== other) : all
    const looked = current.value!.steps[selected.value ?? '']?.look.variable
    const last = (id: string): number => {
      if (id === looked && !quantity) return -1
      const type = typeOf(id)
      if (type) return type instanceof FormulaError || type.isCondition ? 3 : isNumber(id) ? 2 : 0
      const field = fieldOf(id)
      if (!field?.moments.includes(moment.value)) return 2
      if (quantity && quantityOf(field.name, field.components, field.unit) === quantity) return -1
      if (isNumbering(field)) return 2
      return [null, 'plain number'].includes(quantityOf(field.name, field.components, field.unit)) ? 1 : 0
    }
    const isMissing = (id: string): number => Number(on.length > 0 && !on.some((part) => isOn(id, part)))
    return [...choices].sort((a, b) => isMissing(a.value) - isMissing(b.value) || last(a.value) - last(b.value))[0]?.value ?? ''
  }

  /** Whether a formula is the same everywhere: constants of the study, and what is worked out from numbers alone. */
  function isNumber(id: string): boolean {
    return namesIn(parseFormula(current.value!.formulas[id]!.text)).size === 0
  }

  /** Whether a variable is a field that numbers points or cells. */
  function numbers(id: string, place?: 'point' | 'cell'): boolean {
    const field = typeOf(id) ? undefined : fieldOf(id)
    return field !== undefined && isNumbering(field) && (!place || field.place === place)
  }

  /** The variable that numbers points or cells of parts. */
  function numberingOf(place: 'point' | 'cell', on: readonly string[]): string {
    const found = variables.choices('scalar').find(({ value }) => numbers(value, place) && on.every((part) => isOn(value, part)))
    return found?.value ?? ''
  }

  /** The colour that is liked if what is coloured has it, else the first variable that it has. */
  function fittingColour(liked: string | null, of: readonly InputRef[]): string | null {
    const parts = of.flatMap(partsOf)
    if (liked === null || !parts.length || parts.some((part) => isOn(liked, part))) return liked
    return variables.choices('any').find(({ value }) => parts.some((part) => isOn(value, part)))?.value ?? null
  }

  return { partsOf, boundParts, isOn, pickVariable, numberingOf, numbers, fittingColour }
}
