/** What steps take: parts and other steps, by name and by what they yield. */
import { stepKind } from '~~/core/steps'
import type { InputClass, InputSpec } from '~~/core/steps/StepKind'
import { inputsOf } from '~~/core/study/check'
import { inputClassOf } from '~~/core/study/inputClass'
import { ranked } from '~~/core/study/studyModel'
import type { InputRef } from '~~/core/study/studyModel'

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
  function classOf(ref: InputRef): InputClass | undefined {
    return inputClassOf(current.value!, ref)
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
      return found !== undefined && spec.accepts.includes(found) && (!spec.isPart || 'part' in ref)
    })
  }

  return { nameOf, classOf, choices }
}

export type Inputs = ReturnType<typeof useInputs>
