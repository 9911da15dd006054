/** What would make a step work again that a change before it, or of the case, left without a meaning: one edit. */
import { stepKind } from '~~/core/steps'
import type { InputSpec } from '~~/core/steps/StepKind'
import type { ReadingMend } from '~~/core/measure/results'
import { formulaOf } from '~~/core/study/writtenVariables'
import type { InputRef, Step, Study } from '~~/core/study/studyModel'
import type { Evaluated } from './useEvaluated'
import type { Inputs } from './useInputs'
import type { NewSteps } from './useNewSteps'
import type { StepEdits } from './useStepEdits'
import type { Variables } from './useVariables'

interface Around {
  evaluated: Pick<Evaluated, 'results'>
  inputs: Pick<Inputs, 'classOf' | 'nameOf'>
  variables: Pick<Variables, 'label'>
  edits: Pick<StepEdits, 'name' | 'mapFor'>
  newSteps: NewSteps
}

export interface Mend {
  title: string
  run(): Promise<void> | void
}

export function useMends({ evaluated, inputs, variables, edits, newSteps }: Around) {
  const store = useStudyStore()
  const { current } = storeToRefs(store)
  const { caseId } = storeToRefs(useViewStore())

  /** @returns undefined where nothing is wrong, or nothing is known that helps */
  function mendOf(id: string): Mend | undefined {
    const step = current.value?.steps[id]
    const problem = evaluated.results.value.get(id)?.problem
    if (!step || problem == null || problem === 'internal') return undefined
    return problem === 'colour' ? otherColour(id, step) : (otherInputs(id, step, problem) ?? otherSettings(id, step))
  }

  function otherColour(id: string, step: Step): Mend {
    const of = step.inputs[stepKind(step.kind).inputs[0]?.name ?? ''] ?? []
    const colour = newSteps.fittingColour(step.look.variable, of)
    const isNew = colour !== null && colour !== step.look.variable
    return {
      title: isNew ? `Colour it by ${variables.label(colour)}` : 'Draw it in one colour',
      run: () =>
        store.edit(`Mend ${edits.name(id)}`, (study) => {
          Object.assign(study.steps[id]!.look, isNew ? { variable: colour, map: edits.mapFor(colour) } : { variable: null })
        }),
    }
  }

  /** For inputs that are missing, or are not what they must be. */
  function otherInputs(id: string, step: Step, problem: string): Mend | undefined {
    const kind = stepKind(step.kind)
    const specs = kind.narrowed?.(step.settings) ?? kind.inputs
    const wrong = specs.filter((spec, i) => !spec.isOptional && !isGood(step, spec, i === 0))
    const outer = problem === 'no-surface' ? outsides(step, specs[0]) : []
    const kept = Object.fromEntries(specs.filter((spec) => !wrong.includes(spec)).map(({ name }) => [name, step.inputs[name] ?? []]))
    const wished = outer.length ? { ...kept, [specs[0]!.name]: outer } : kept
    if (!wrong.length && !outer.length) return undefined
    const made = newSteps.inputsFor(kind, step.settings, wished, step.look.variable, () => ({ step: id }))
    const names = [...wrong, ...(outer.length ? [specs[0]!] : [])].flatMap(({ name }) => made[name] ?? [])
    if (!names.length || names.some((ref) => 'step' in ref && ref.step === id)) return undefined
    return {
      title: `Make it of ${names.map((ref) => inputs.nameOf(ref)).join(', ')}`,
      run: () => store.edit(`Mend ${edits.name(id)}`, (study) => void Object.assign(study.steps[id]!.inputs, made)),
    }
  }

  function isGood(step: Step, spec: InputSpec, isFirst: boolean): boolean {
    const refs = step.inputs[spec.name] ?? []
    const kind = stepKind(step.kind)
    const isBound = (ref: InputRef): boolean => newSteps.partsOf(ref).every((part) => newSteps.boundParts(part).length > 0)
    const isFitting = (ref: InputRef): boolean => {
      const found = inputs.classOf(ref)
      return found !== undefined && spec.accepts.includes(found) && isBound(ref) && newSteps.canBe(kind, isFirst, ref)
    }
    return refs.length > 0 && refs.every(isFitting)
  }

  /** Regions by their outer surfaces. */
  function outsides(step: Step, spec: InputSpec | undefined): InputRef[] {
    const refs = step.inputs[spec?.name ?? ''] ?? []
    const isOne =
      spec?.accepts.includes('surface') && refs.length > 0 && refs.every((ref) => 'part' in ref && inputs.classOf(ref) === 'region')
    return isOne ? refs.map((ref) => ({ outer: (ref as { part: string }).part })) : []
  }

  function otherSettings(id: string, step: Step): Mend {
    const kind = stepKind(step.kind)
    const of = step.inputs[kind.inputs[0]?.name ?? ''] ?? []
    const parts = of.flatMap(newSteps.partsOf)
    return {
      title: 'Give it the settings of a new one',
      async run() {
        const settings = await newSteps.settingsOf(kind, {}, parts)
        const { variable } = step.look
        await store.edit(`Mend ${edits.name(id)}`, (study) => {
          const own = study.steps[id]!
          own.settings = settings
          // what is gone is gone for the colours, too
          if (variable && !study.variables[variable] && !study.formulas[variable]) own.look.variable = newSteps.fittingColour(null, of)
        })
      },
    }
  }

  /** What one click may settle about a reading, by the caution that it answers. */
  function readingMends(id: string): Map<string, Mend> {
    const result = evaluated.results.value.get(id)
    const found = (result?.reading?.mends ?? result?.curve?.mends ?? []).flatMap((mend) => {
      const run = actOf(id, mend)
      return run ? [[mend.caution, { title: mend.label, run }] as const] : []
    })
    return new Map(found)
  }

  function actOf(id: string, mend: ReadingMend): Mend['run'] | undefined {
    const { said, makes } = mend
    if (said) return () => say(said)
    if (makes) return () => make(id, makes)
    const change = changeOf(mend)
    return change && (() => store.edit(`${mend.label}: ${edits.name(id)}`, change(id)))
  }

  /** In names of the study; undefined where it has none for something of the case. */
  function changeOf({
    settings = {},
    fields = {},
    inputs: named = {},
    formula,
  }: ReadingMend): ((id: string) => (study: Study) => void) | undefined {
    const study = current.value!
    const bound = caseId.value ?? ''
    const variableOf = (field: string) => Object.keys(study.variables).find((key) => study.variables[key]!.binding[bound]?.field === field)
    const partOf = (part: string) => Object.keys(study.parts).find((key) => study.parts[key]!.binding[bound]?.includes(part))
    const variables = Object.entries(fields).map(([setting, field]) => [setting, variableOf(field)] as const)
    const lists = Object.entries(named).map(([input, parts]) => [input, parts.map(partOf)] as const)
    if (variables.some(([, key]) => !key) || lists.some(([, keys]) => keys.includes(undefined))) return undefined
    return (id) => (draft) => {
      const step = draft.steps[id]!
      Object.assign(step.settings, settings, Object.fromEntries(variables))
      for (const [input, keys] of lists) step.inputs[input] = keys.map((part) => ({ part: part! }))
      if (formula) step.settings[formula.setting] = formulaOf(draft, formula)
    }
  }

  async function make(id: string, { kind, settings, of, formula }: NonNullable<ReadingMend['makes']>): Promise<void> {
    const inputs = { [stepKind(kind).inputs[0]!.name]: [...(current.value!.steps[id]?.inputs[of] ?? [])] }
    const all = { ...settings }
    if (formula) await store.edit(`Formula ${formula.text}`, (draft) => void (all[formula.setting] = formulaOf(draft, formula)))
    await newSteps.addStep(kind, { settings: all, inputs })
  }

  /** Said of the case, for all of its studies. */
  async function say(said: NonNullable<ReadingMend['said']>): Promise<void> {
    const attached = current.value!.cases[caseId.value ?? '']!.case
    await api.send('PATCH', `/api/cases/${attached}`, said).catch((error: Error) => (store.notice = { text: error.message, isError: true }))
  }

  return { mendOf, readingMends }
}
