/** New steps, begun with what users would most likely choose. */
import { FormulaError } from '~~/core/errors'
import { quantityOf } from '~~/core/units/quantities'
import { stepKind } from '~~/core/steps'
import { isThrough } from '~~/core/steps/measure'
import type { InputSpec, StepKind } from '~~/core/steps/StepKind'
import { caseBox, colouredLook, defaultSettings, newStep } from '~~/core/study/defaults'
import type { StepWishes } from '~~/core/study/defaults'
import { freshId, rankBetween } from '~~/core/study/studyModel'
import type { InputRef, Step } from '~~/core/study/studyModel'
import type { Evaluated } from './useEvaluated'
import type { Inputs } from './useInputs'
import type { StepEdits } from './useStepEdits'
import type { StudyCases } from './useStudyCases'
import type { Variables } from './useVariables'

/** What of the workbench a new step depends on. */
interface Around {
  cases: Pick<StudyCases, 'catalogue'>
  evaluated: Pick<Evaluated, 'results'>
  variables: Pick<Variables, 'choices' | 'typeOf' | 'fieldOf'>
  inputs: Pick<Inputs, 'choices'>
  edits: Pick<StepEdits, 'steps' | 'mapFor'>
}

export function useNewSteps({ cases: { catalogue }, evaluated: { results }, variables, inputs, edits: { steps, mapFor } }: Around) {
  const store = useStudyStore()
  const { current } = storeToRefs(store)
  const { caseId, moment, selected } = storeToRefs(useViewStore())
  const { typeOf, fieldOf } = variables

  /** Adds a step after the selected one, with the selection as its input if that fits. */
  function addStep(kindId: string, wishes: StepWishes & { parts?: string[]; colour?: string | null } = {}): string {
    const study = current.value!
    const kind = stepKind(kindId)
    const id = freshId(kind.title.split(' ')[0]!, study.steps)
    const settings = defaultSettings(kindId, catalogue.value ? caseBox(catalogue.value) : [0, 0, 0, 1, 1, 1], pickVariable, wishes)
    if (kindId === 'isosurface' && wishes.value === undefined) settings['value'] = middleOf(String(settings['variable']))
    const step: Step = { ...newStep(study, kindId), settings }
    const colour = wishes.colour ?? (kind.hasColour && kindId !== 'show' ? pickVariable(1) : null)
    step.inputs = inputsFor(kind, settings, wishes.parts ?? [], colour)
    const after = selected.value ? study.steps[selected.value]?.rank : undefined
    const next = after === undefined ? undefined : steps.value.find(([, s]) => s.rank > after)?.[1].rank
    if (after !== undefined) step.rank = rankBetween(after, next)
    if (colour) step.look = { ...colouredLook(colour), map: mapFor(colour), range: { mode: 'moment', min: 0, max: 1 } }
    if (kindId === 'trace') step.look.width = 1.6
    void store.edit(`Add ${step.name}`, (draft) => {
      draft.steps[id] = step
      if (kind.reading || kind.curve) {
        draft.exhibits[freshId(id, draft.exhibits)] = {
          kind: kind.reading ? 'reading' : 'chart',
          name: step.name,
          rank: Object.keys(draft.exhibits).length + 1,
          step: id,
        }
      }
    })
    selected.value = id
    return id
  }

  /** Fields that exist at this moment and have a known meaning come first. */
  function pickVariable(components: 1 | 3): string {
    const choices = variables.choices(components === 1 ? 'scalar' : 'vector')
    const last = (id: string): number => {
      const type = typeOf(id)
      if (type) return type instanceof FormulaError ? 3 : 0
      const field = fieldOf(id)
      if (!field?.moments.includes(moment.value)) return 2
      return [null, 'plain number'].includes(quantityOf(field.name, field.components, field.unit)) ? 1 : 0
    }
    return [...choices].sort((a, b) => last(a.value) - last(b.value))[0]?.value ?? ''
  }

  function inputsFor(kind: StepKind, settings: Step['settings'], named: string[], colour: string | null): Step['inputs'] {
    const isFlux = isThrough(settings['quantity'])
    const variable = kind.variables(settings)[0] ?? colour
    return Object.fromEntries(
      kind.inputs.map((spec, i) => {
        // a flux goes through a surface and out of a region
        const usable: InputSpec = isFlux ? { ...spec, accepts: i === 0 ? ['surface'] : spec.accepts, isOptional: false } : spec
        return [spec.name, firstInputs(usable, named, { isFirst: i === 0, isOne: !spec.isList || kind.reading !== undefined, variable })]
      }),
    )
  }

  /** @param named  parts that were asked for */
  function firstInputs(
    spec: InputSpec,
    named: string[],
    { isFirst, isOne, variable }: { isFirst: boolean; isOne: boolean; variable: string | null },
  ): InputRef[] {
    const choices = inputs.choices('', spec)
    const wished = choices.filter(({ ref }) => 'part' in ref && named.includes(ref.part))
    if (wished.length) return spec.isList ? wished.map((c) => c.ref) : [wished[0]!.ref]
    const onSelected = isFirst && choices.find(({ ref }) => 'step' in ref && ref.step === selected.value)
    if (onSelected) return [onSelected.ref]
    if (spec.isOptional && !spec.accepts.includes('region')) return []
    // regions first: most work starts from the fluid; lines from the last one made
    const regions = choices.filter(({ hint }) => hint === 'region').map(({ ref }) => ref)
    const carrying = variable === null ? regions : regions.filter((ref) => 'part' in ref && isOn(variable, ref.part))
    const fits = carrying.length ? carrying : regions.slice(0, 1)
    if (fits.length) return isOne ? fits.slice(0, 1) : fits
    const latest = [...choices].reverse()
    const lines = latest.find(({ hint }) => hint === 'line') ?? latest.find(({ ref }) => 'step' in ref)
    return lines ? [lines.ref] : choices[0] && !spec.isOptional ? [choices[0].ref] : []
  }

  /** Whether a part has values of a variable in the case that is shown. */
  function isOn(variable: string, part: string): boolean {
    return (current.value?.parts[part]?.binding[caseId.value ?? ''] ?? []).some((name) => {
      const type = typeOf(variable, name)
      return type ? !(type instanceof FormulaError) : fieldOf(variable)?.parts.includes(name)
    })
  }

  /** A value in the middle of what any shown step knows of a variable. */
  function middleOf(variable: string): number {
    for (const [id, step] of steps.value) {
      const meta = results.value.get(id)?.valuesMeta
      if (step.look.variable === variable && meta?.range[0] != null) return Number(((meta.range[0] + meta.range[1]!) / 2).toPrecision(3))
    }
    return 0
  }

  return { addStep }
}
