/** New steps, begun with what users would most likely choose. */
import type { ComputedRef, Ref } from 'vue'
import { FormulaError } from '~~/core/errors'
import type { Typed } from '~~/core/fields/formula/check'
import { quantityOf } from '~~/core/fields/quantities'
import { stepKind } from '~~/core/steps'
import { isThrough } from '~~/core/steps/measure'
import type { InputSpec, StepKind } from '~~/core/steps/StepKind'
import type { Catalogue } from '~~/core/study/caseModel'
import { caseBox, colouredLook, defaultSettings, newStep } from '~~/core/study/defaults'
import type { StepWishes } from '~~/core/study/defaults'
import { freshId, rankBetween } from '~~/core/study/studyModel'
import type { InputRef, Step, Study } from '~~/core/study/studyModel'
import type { StepResult } from './useResults'
import type { Choice } from './useWorkbench'

/** What of the workbench a new step depends on. */
interface Around {
  store: ReturnType<typeof useStudyStore>
  current: ComputedRef<Study | null>
  catalogue: ComputedRef<Catalogue | null>
  caseId: Ref<string | null>
  moment: Ref<number>
  selected: Ref<string | null>
  steps: ComputedRef<[string, Step][]>
  results: Ref<ReadonlyMap<string, StepResult>>
  inputChoices(stepId: string, spec: InputSpec): { ref: InputRef; hint: string }[]
  variableChoices(kind: 'scalar' | 'vector'): Choice[]
  /** What a formula comes to where only the fields of one part are there; undefined for what is no formula. */
  typeOf(variable: string, part?: string): Typed | FormulaError | undefined
  mapFor(variable: string): string
}

export function useNewSteps({ store, current, catalogue, caseId, moment, selected, steps, results, inputChoices, variableChoices, typeOf, mapFor }: Around) {
  /** Adds a step after the selected one, on what is selected where that fits. */
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
        draft.exhibits[freshId(id, draft.exhibits)] = { kind: kind.reading ? 'reading' : 'chart', name: step.name, rank: Object.keys(draft.exhibits).length + 1, step: id }
      }
    })
    selected.value = id
    return id
  }

  /** What is there now and has a meaning that is known comes before what is not. */
  function pickVariable(components: 1 | 3): string {
    const choices = variableChoices(components === 1 ? 'scalar' : 'vector')
    const last = (id: string): number => {
      const type = typeOf(id)
      if (type) return type instanceof FormulaError ? 3 : 0
      const field = fieldOf(id)
      if (!field?.moments.includes(moment.value)) return 2
      return [null, 'plain number'].includes(quantityOf(field.name, field.components, field.unit)) ? 1 : 0
    }
    return [...choices].sort((a, b) => last(a.value) - last(b.value))[0]?.value ?? ''
  }

  function fieldOf(variable: string): Catalogue['fields'][number] | undefined {
    const bound = current.value?.variables[variable]?.binding[caseId.value ?? '']?.field
    return catalogue.value?.fields.find((f) => f.name === bound)
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
  function firstInputs(spec: InputSpec, named: string[], { isFirst, isOne, variable }: { isFirst: boolean; isOne: boolean; variable: string | null }): InputRef[] {
    const choices = inputChoices('', spec)
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
