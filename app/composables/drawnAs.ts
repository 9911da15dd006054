/** How steps are drawn in another place than they have in the case: by what they are made of, too. */
import { stepKind } from '~~/core/steps'
import type { Drawn } from '~~/core/steps/offers'
import type { Vector } from '~~/core/mesh/vectors'
import type { Step, Study } from '~~/core/study/studyModel'

export interface DrawnAs {
  displaced: Drawn['displaced'] | null
  offset: Vector
  arrows: Drawn['arrows'] | null
}

/** The nearest displacement counts; offsets add up. Muted steps leave things where they are. */
export function drawnAs(study: Study, id: string): DrawnAs {
  const found: DrawnAs = { displaced: null, offset: [0, 0, 0], arrows: ownDrawn(study.steps[id])?.arrows ?? null }
  for (const at of chainOf(study, id)) {
    const { displaced, offset } = ownDrawn(study.steps[at]) ?? {}
    if (displaced?.variable) found.displaced ??= displaced
    if (offset) found.offset = found.offset.map((c, d) => c + offset[d]!) as Vector
  }
  return found
}

function ownDrawn(step: Step | undefined): Drawn | undefined {
  return step && !step.isMuted ? stepKind(step.kind).drawn?.(step.settings) : undefined
}

/** The step at which what a step is made of begins. */
export function rootOf(study: Study, id: string): string {
  return chainOf(study, id).at(-1)!
}

/** A step, the first one that it is made of, and so on. */
function chainOf(study: Study, id: string): string[] {
  const seen = new Set<string>()
  for (let at: string | undefined = id; at !== undefined && !seen.has(at); at = firstStep(study.steps[at])) seen.add(at)
  return [...seen]
}

/** The first step that a step is made of. */
function firstStep(step: Step | undefined): string | undefined {
  const name = step && stepKind(step.kind).inputs[0]?.name
  const ref = name === undefined ? undefined : step!.inputs[name]?.[0]
  return ref && 'step' in ref ? ref.step : undefined
}
