/** Another choice in the sentence of a step, with what must change with it: what no longer fits is begun anew, as in a new step. */
import { stepKind } from '~~/core/steps'
import { settingsIn } from '~~/core/study/perCase'
import type { InputRef, Step } from '~~/core/study/studyModel'
import { atOutlets } from './madeSteps'
import type { Inputs } from './useInputs'
import type { NewSteps } from './useNewSteps'
import type { StepEdits } from './useStepEdits'
import type { VariableKind, Variables } from './useVariables'

interface Around {
  inputs: Pick<Inputs, 'choices' | 'classOf'>
  variables: Pick<Variables, 'choices'>
  edits: Pick<StepEdits, 'changeStep'>
  newSteps: Pick<NewSteps, 'around' | 'partsOf' | 'boundParts' | 'withReady'>
}

export function useStepChanges({ inputs, variables, edits, newSteps }: Around) {
  const { current } = storeToRefs(useStudyStore())
  const { caseId } = storeToRefs(useViewStore())

  async function choose(id: string, setting: string, value: unknown): Promise<void> {
    const step = current.value!.steps[id]!
    const before = settingsIn(step, caseId.value)
    const wished = { ...before, [setting]: value }
    const own = inputsFitting(id, step, wished)
    const begun = begunAnew(step, wished, setting, own)
    const kind = stepKind(step.kind)
    // variables that were in the sentence before stay; those that come into it may need a formula
    const seen = new Set([setting, ...kind.variables(before)])
    const kept = Object.fromEntries(Object.entries(wished).filter(([name]) => seen.has(name)))
    const ready = await newSteps.withReady(kind, { ...wished, ...begun }, kept)
    const changed = Object.entries(ready).filter(([name, own]) => own !== before[name])
    edits.changeStep(id, Object.fromEntries(changed), own)
  }

  /** Settings that go with the one that was changed, and variables of another kind than is wanted now. */
  function begunAnew(step: Step, wished: Step['settings'], changed: string, own: Step['inputs']): Step['settings'] {
    const kind = stepKind(step.kind)
    const [first] = own[kind.inputs[0]?.name ?? ''] ?? []
    const from = first && 'step' in first && !kind.sourceVariables ? first.step : undefined
    const { variables: fields, formulas } = current.value!
    // columns of a step may not be known yet
    const isKnown = (id: string): boolean => id === '' || id in fields || id in formulas
    const isUnfit = (kind: VariableKind, id: string): boolean =>
      isKnown(id) && !variables.choices(kind, from).some(({ value }) => value === id)
    const unfit = kind
      .sentence(wished, first && inputs.classOf(first))
      .flatMap((piece) => (typeof piece !== 'string' && piece.token === 'variable' ? [piece] : []))
      .filter((piece) => piece.setting !== changed && isUnfit(piece.kind, String(wished[piece.setting])))
      .map(({ setting }) => setting)
    const open = new Set([...(kind.beginsAnew?.[changed] ?? []), ...unfit])
    const kept = Object.fromEntries(Object.entries(wished).filter(([name]) => !open.has(name)))
    const begun = kind.defaults(newSteps.around(Object.values(own).flat().flatMap(newSteps.partsOf)), kept)
    return Object.fromEntries([...open].map((name) => [name, begun[name]]))
  }

  /** Where a surface is wanted now, that of the region that was chosen. */
  function inputsFitting(id: string, step: Step, wished: Step['settings']): Step['inputs'] {
    const kind = stepKind(step.kind)
    const found = { ...step.inputs }
    for (const spec of kind.narrowed?.(wished) ?? []) {
      const key = (ref: InputRef): string => JSON.stringify(ref)
      const fitting = new Set(inputs.choices(id, spec).map(({ ref }) => key(ref)))
      const refs = found[spec.name] ?? []
      const outer = refs.map((ref): InputRef => (!fitting.has(key(ref)) && 'part' in ref ? { outer: ref.part } : ref))
      if (!refs.every((ref) => fitting.has(key(ref))) && outer.every((ref) => fitting.has(key(ref)))) found[spec.name] = outer
    }
    return found
  }

  /** What begins where the flow leaves is begun as a new step there, unless it was set otherwise. */
  function chooseInput(id: string, input: string, refs: InputRef[]): void {
    const step = current.value!.steps[id]!
    const kind = stepKind(step.kind)
    const own = { ...step.inputs, [input]: refs }
    const begun = kind.begunAtOutlets?.input === input ? atOutlets(kind, own, {}, newSteps.boundParts) : {}
    const [before, plain] = [settingsIn(step, caseId.value), kind.defaults(newSteps.around(refs.flatMap(newSteps.partsOf)), {})]
    const isAsBegun = Object.keys(begun).every((name) => before[name] === plain[name])
    edits.changeStep(id, isAsBegun ? begun : {}, own)
  }

  return { choose, chooseInput }
}
