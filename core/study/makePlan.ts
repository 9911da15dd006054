/** Turns a step of a study into a plan for one case: ids become the case's own names, looks are left out. */
import { DataError } from '../errors'
import { stepKind } from '../steps'
import type { Plan, PlanInput, PlanStep } from './plan'
import type { InputRef, Step, Study } from './studyModel'

export interface PlanRequest {
  study: Study
  /** Id of the case in the study. */
  caseId: string
  moment: number
  step: string
  /** Variable or formula id whose values are wanted on the step. */
  variable: string | null
}

/** @throws DataError when the study lacks the step, or the case a part that the step needs */
export function makePlan({ study, caseId, moment, step, variable }: PlanRequest): Plan {
  const steps: Record<string, PlanStep> = {}
  const visit = (id: string): void => {
    if (steps[id]) return
    const found = study.steps[id]
    if (!found) throw new DataError('no-step', 'An input of this step was deleted; choose another.')
    steps[id] = planStep(study, caseId, found)
    for (const ref of Object.values(found.inputs).flat()) if ('step' in ref) visit(ref.step)
  }
  visit(step)
  const attached = study.cases[caseId]
  if (!attached) throw new DataError('no-case', 'This case is no longer in the study; choose another.')
  return {
    case: attached.case,
    moment,
    steps,
    ...boundVariables(study, caseId),
    target: step,
    variable: variable === null ? null : variableName(study, variable),
  }
}

/** A field that a case stores in another measure becomes a formula on it. */
function boundVariables(study: Study, caseId: string): Pick<Plan, 'formulas' | 'fields'> {
  const formulas = Object.fromEntries(Object.values(study.formulas).map((f) => [f.name, f.text]))
  const fields: Plan['fields'] = {}
  for (const [i, { name, binding }] of Object.values(study.variables).entries()) {
    const { field, factor = 1 } = binding[caseId] ?? {}
    if (field === undefined) continue
    if (factor === 1) fields[name] = field
    else {
      fields[`bound ${i}`] = field
      formulas[name] = `${factor} * \`bound ${i}\``
    }
  }
  return { formulas, fields }
}

function planStep(study: Study, caseId: string, step: Step): PlanStep {
  const inputs = Object.fromEntries(
    Object.entries(step.inputs).map(([name, refs]) => [name, refs.flatMap((ref) => planInputs(study, caseId, ref))]),
  )
  const settings = { ...step.settings }
  for (const id of stepKind(step.kind).variables(step.settings)) {
    for (const key of Object.keys(settings)) if (settings[key] === id) settings[key] = variableName(study, id)
  }
  return { kind: step.kind, inputs, settings }
}

function planInputs(study: Study, caseId: string, ref: InputRef): PlanInput[] {
  if ('step' in ref) return [ref]
  const isOuter = 'outer' in ref
  const part = study.parts[isOuter ? ref.outer : ref.part]
  const bound = part?.binding[caseId]
  if (!part || !bound) throw new DataError('no-binding', `This case has no part for “${part?.name ?? '?'}”; bind one or choose another part.`)
  return bound.map((name) => (isOuter ? { outer: name } : { part: name }))
}

/** Name of a variable or formula, or the id itself where it names a column such as `travel-time`. */
export function variableName(study: Study, id: string): string {
  return study.formulas[id]?.name ?? study.variables[id]?.name ?? id
}
