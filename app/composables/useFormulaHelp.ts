/** What helps to write a formula: names and functions to complete, ready formulas, the smallest and largest of what is written. */
import type { Completion } from '@codemirror/autocomplete'
import { elsewhereFunctions } from '~~/core/fields/formula/elsewhere'
import { functions, meshFunctions } from '~~/core/fields/formula/functions'
import { reductions } from '~~/core/fields/formula/reductions'
import { expressionText, nameOf } from '~~/core/fields/formula/expressions'
import { axesFunctions } from '~~/core/fields/formula/axes'
import { placeFunctions, placeNames } from '~~/core/fields/formula/places'
import { planOf, priorities } from '~~/core/evaluate/plan'
import type { VariableRange } from '~~/core/evaluate/range'
import { ranked } from '~~/core/study/studyModel'
import type { Workbench } from './useWorkbench'

/** Of a formula that is not kept yet. */
const DRAFT = 'draft_of_a_formula'

export function useFormulaHelp(bench: Workbench) {
  const { document, current } = bench

  const completions = computed<Completion[]>(() => {
    const written = (name: string): string => expressionText(nameOf(name))
    const variables = ranked(current.value?.variables ?? {}).map(([id, { name }]): Completion => ({
      label: name,
      apply: written(name),
      detail: bench.variables.hintOf(id),
      boost: 2,
    }))
    const formulas = ranked(current.value?.formulas ?? {}).map(([, { name, text }]): Completion => ({
      label: name,
      apply: written(name),
      detail: `= ${text}`,
      boost: 1,
    }))
    const about = (rules: Readonly<Record<string, { about: string }>>): [string, string][] =>
      Object.entries(rules).map(([name, rule]) => [name, rule.about])
    const all = [
      ...about(functions),
      ...about(meshFunctions),
      ...Object.entries(reductions),
      ...Object.entries(elsewhereFunctions),
      ...Object.entries(placeFunctions),
      ...axesCalls(),
    ]
    const applied = (name: string): string => (name.includes('(') ? (name.startsWith('in(') ? `${name}, ` : `${name})`) : `${name}(`)
    const calls = all.map(([name, detail]): Completion => ({ label: name, apply: applied(name), detail }))
    const names = [
      { label: 'pos', detail: 'position' },
      { label: 'normal', detail: 'unit normal, on surfaces' },
      ...Object.entries(placeNames).map(([label, detail]) => ({ label, detail })),
      { label: 'time', detail: 'time of the moment' },
      { label: 'pi', detail: '3.14159…' },
    ]
    return [...variables, ...formulas, ...calls, ...names]
  })

  /** With axes that there are. */
  function axesCalls(): [string, string][] {
    const names = Object.values(current.value?.axes ?? {}).map(({ name }) => name)
    return names.flatMap((name) => Object.entries(axesFunctions).map(([call, about]): [string, string] => [`${call}("${name}"`, about]))
  }

  /** Smallest and largest of a variable, or of a formula that is not kept, at the moment that is shown. @throws UserError */
  async function extremes(of: { variable: string } | { text: string }): Promise<VariableRange> {
    const plan = planOf(document.value!)
    const variable = 'variable' in of ? of.variable : DRAFT
    const formulas = 'text' in of ? { ...plan.formulas, [DRAFT]: { name: DRAFT, text: of.text } } : plan.formulas
    const frame = { case: bench.view.caseId!, moment: bench.view.moment }
    const { answer } = await bench.evaluated.once({ want: 'range', frame, variable, priority: priorities.exhibit }, { ...plan, formulas })
    return answer.json as VariableRange
  }

  return { completions, extremes }
}
