/** What steps take: parts and other steps, by name and by what they yield. */
import { stepKind } from '~~/core/steps'
import type { InputClass, InputSpec } from '~~/core/steps/StepKind'
import { inputsOf } from '~~/core/study/check'
import { ranked } from '~~/core/study/studyModel'
import type { InputRef, Study } from '~~/core/study/studyModel'

export interface InputChoice {
  ref: InputRef
  label: string
  hint: string
}

export function useInputs() {
  const { document, current } = storeToRefs(useStudyStore())

  function nameOf(ref: InputRef): string {
    const study = document.value!
    if ('step' in ref) return study.steps[ref.step]?.name ?? 'missing step'
    const part = study.parts['part' in ref ? ref.part : ref.outer]?.name ?? 'missing part'
    return 'outer' in ref ? `outside of ${part}` : part
  }

  /** What an input is made of, for what a step on it yields. */
  function classOf(ref: InputRef, study: Study = current.value!): InputClass | undefined {
    if ('outer' in ref) return 'surface'
    const part = 'part' in ref ? study.parts[ref.part] : undefined
    if (part?.isTable) return 'table'
    if ('part' in ref) return (['lines', 'lines', 'surface', 'region'] as const)[part?.dimension ?? 0]
    const step = study.steps[ref.step]
    if (!step) return undefined
    const kind = stepKind(step.kind)
    const first = kind.inputs[0] && step.inputs[kind.inputs[0].name]?.[0]
    return kind.yields(step.settings, first && classOf(first, study))
  }

  /** Everything that fits an input of a step; what would make a circle is left out. */
  function choices(stepId: string, spec: InputSpec): InputChoice[] {
    const study = current.value
    if (!study) return []
    const parts = ranked(study.parts).flatMap(([id, part]): InputChoice[] => {
      const hint = part.isTable ? 'table' : ['points', 'lines', 'surface', 'region'][part.dimension]!
      const own = { ref: { part: id }, label: part.name, hint }
      return part.dimension === 3 ? [own, { ref: { outer: id }, label: `outside of ${part.name}`, hint: 'surface' }] : [own]
    })
    const others = ranked(study.steps)
      .filter(([id]) => id !== stepId && !inputsOf(study, id).has(stepId))
      .map(([id, step]) => ({ ref: { step: id }, label: step.name, hint: stepKind(step.kind).title.toLowerCase() }))
    return [...parts, ...others].filter(({ ref }) => {
      const found = classOf(ref)
      return found !== undefined && spec.accepts.includes(found)
    })
  }

  return { nameOf, classOf, choices }
}

export type Inputs = ReturnType<typeof useInputs>
