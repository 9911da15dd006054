/** What parts and steps offer as inputs to steps. */
import { stepKind } from '../steps'
import type { InputClass } from '../steps/StepKind'
import type { InputRef, Study } from './studyModel'

export function inputClassOf(study: Pick<Study, 'parts' | 'steps'>, ref: InputRef): InputClass | undefined {
  if ('outer' in ref) return 'surface'
  const part = 'part' in ref ? study.parts[ref.part] : undefined
  if (part?.isTable) return 'table'
  if ('part' in ref) return (['lines', 'lines', 'surface', 'region'] as const)[part?.dimension ?? 0]
  const step = study.steps[ref.step]
  if (!step) return undefined
  const kind = stepKind(step.kind)
  const first = kind.inputs[0] && step.inputs[kind.inputs[0].name]?.[0]
  return kind.yields(step.settings, first && inputClassOf(study, first))
}

/** Parts of the study that references name, themselves or their outer surfaces. */
export function partIdsOf(refs: readonly InputRef[]): string[] {
  return refs.flatMap((ref) => ('part' in ref ? [ref.part] : 'outer' in ref ? [ref.outer] : []))
}
