/** Which cases of a plan must be known to compute some of its frames. */
import { stepKind } from '../steps'
import { takesOutcomes } from '../steps/StepKind'
import type { Plan } from './plan'

/** `from("Name", …)` in the text of a formula or condition. */
const FROM = /\bfrom\(\s*"([^"]+)"/g

/** @param wanted  cases of the frames. @returns those, cases that formulas and steps name, and those that inputs of steps are found in */
export function casesUsed(plan: Plan, wanted: readonly string[]): string[] {
  const found = new Set(wanted)
  const steps = Object.values(plan.steps)
  const texts = [...Object.values(plan.formulas).map(({ text }) => text), ...steps.flatMap(({ settings }) => Object.values(settings))]
  const names = new Set(texts.flatMap((text) => (typeof text === 'string' ? [...text.matchAll(FROM)].map(([, name]) => name!) : [])))
  for (const [id, name] of Object.entries(plan.caseNames ?? {})) if (names.has(name)) found.add(id)
  for (const { kind: id, settings, inputs } of steps) {
    const kind = stepKind(id)
    for (const spec of kind.inputs) {
      const { name } = spec
      const isAnywhere = spec.isAnywhere || takesOutcomes(spec)
      const named = kind.caseOf?.(settings as never, name)
      if (named) found.add(named)
      // any of what such a step is made of may be of a case of its own
      if (isAnywhere && inputs[name]?.length) for (const other of casesAlone(plan, wanted)) found.add(other)
    }
  }
  return [...found].filter((id) => Object.hasOwn(plan.cases, id) || wanted.includes(id))
}

/** The first case that has a part which one of the wanted cases lacks. */
function casesAlone(plan: Plan, wanted: readonly string[]): string[] {
  return Object.values(plan.parts).flatMap(({ binding }) => {
    if (wanted.every((id) => binding[id]?.length)) return []
    return Object.keys(plan.cases).find((id) => binding[id]?.length) ?? []
  })
}
