/** What the parts of the workbench share: the study, its results, and the acts on steps. Provided by the page. */
import type { InjectionKey } from 'vue'
import { FormulaError } from '~~/core/errors'
import { colourMaps } from '~~/core/colour/maps'
import { formatNumber } from '~~/core/colour/ticks'
import type { Typed } from '~~/core/fields/formula/check'
import { dimensionKey, displayOf, inDisplay } from '~~/core/fields/quantities'
import type { Display } from '~~/core/fields/quantities'
import { parseUnit, unitName } from '~~/core/fields/units'
import { stepKind } from '~~/core/steps'
import type { InputClass, InputSpec } from '~~/core/steps/StepKind'
import { attachCase, detachCase } from '~~/core/study/defaults'
import { inputsOf } from '~~/core/study/check'
import { placeWords } from '~~/core/study/caseModel'
import type { Catalogue } from '~~/core/study/caseModel'
import { variableName } from '~~/core/study/makePlan'
import { freshId, ranked, rankBetween } from '~~/core/study/studyModel'
import type { InputRef, Look, Step, Study } from '~~/core/study/studyModel'
import { checked, formulaScope } from './formulaScope'

export interface Choice {
  value: string
  label: string
  hint?: string
}

export function useWorkbench() {
  const store = useStudyStore()
  const view = useViewStore()
  const { document, current, cases } = storeToRefs(store)
  const { caseId, moment, selected } = storeToRefs(view)

  const attached = computed(() => cases.value.find((c) => c.id === document.value?.cases[caseId.value ?? '']?.case))
  /** Catalogues of all cases that are read, by their id in the study. */
  const catalogues = computed(() => {
    const found = new Map<string, Catalogue>()
    for (const [id, entry] of Object.entries(document.value?.cases ?? {})) {
      const known = cases.value.find((c) => c.id === entry.case)?.catalogue
      if (known) found.set(id, known)
    }
    return found
  })
  const catalogue = computed<Catalogue | null>(() => (attached.value?.state === 'ready' ? attached.value.catalogue : null))
  const readyCase = computed(() => (catalogue.value ? caseId.value : null))
  const version = computed(() => JSON.stringify([catalogue.value?.lengthUnit, catalogue.value?.fields.map((f) => f.unit), catalogue.value?.parts.map((p) => p.material)]))
  const nMoments = computed(() => catalogue.value?.moments.length ?? 1)
  const source = { study: current, caseId: readyCase, moment, version }
  const { results, isComputing, prefetch } = useResults(source)
  const ranges = useRanges({ ...source, nMoments })
  const momentsToPlay = computed(() => {
    const last = nMoments.value - 1
    const [from, to] = view.span ?? [0, last]
    return Array.from({ length: Math.max(0, Math.min(to, last) - from) + 1 }, (_, i) => from + i)
  })
  const steps = computed(() => (current.value ? ranked(current.value.steps) : []))
  const lengthUnit = computed(() => catalogue.value?.lengthUnit ?? '')

  function name(id: string): string {
    return document.value?.steps[id]?.name ?? '?'
  }

  /** A moment as people say it: `t = 20 s`, `mode 3`. */
  function momentLabel(index: number): string {
    const moment = catalogue.value?.moments[index]
    if (!moment) return ''
    if (moment.value === null) return moment.label
    const value = `${formatNumber(moment.value, 6)}${moment.unit ? ` ${moment.unit}` : ''}`
    return moment.kind === 'time' ? `t = ${value}` : `${moment.kind} ${value}`
  }

  function refName(ref: InputRef): string {
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
  function inputChoices(stepId: string, spec: InputSpec): { ref: InputRef; label: string; hint: string }[] {
    const study = current.value
    if (!study) return []
    const parts = ranked(study.parts).flatMap(([id, part]): { ref: InputRef; label: string; hint: string }[] => {
      const own = { ref: { part: id }, label: part.name, hint: part.isTable ? 'table' : ['points', 'lines', 'surface', 'region'][part.dimension]! }
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

  /** Variables and formulas; with those a result brings itself, such as the time along a streamline. */
  function variableChoices(kind: 'any' | 'scalar' | 'vector' | 'through', stepId?: string): Choice[] {
    const study = current.value
    if (!study) return []
    const wanted = kind === 'any' ? undefined : kind === 'scalar' ? 1 : 3
    const formulas = ranked(study.formulas)
      .filter(([id]) => {
        const found = typeOf(id)!
        // one with a mistake may be meant for it
        return !wanted || found instanceof FormulaError || found.components === wanted
      })
      .map(([value, f]) => ({ value, label: f.name, hint: `= ${f.text}` }))
    const variables = ranked(study.variables)
      .filter(([, v]) => !wanted || v.components === wanted || (kind === 'through' && isFaceFlux(v.name)))
      .map(([value, v]) => ({ value, label: v.name, hint: fieldHint(v.name) }))
    const columns = stepId ? (results.value.get(stepId)?.shape?.columns ?? []).map((c) => ({ value: c.name, label: c.name, hint: c.unit ?? '' })) : []
    return kind === 'vector' || kind === 'through' ? [...variables, ...formulas] : [...formulas, ...variables, ...columns]
  }

  /** What a formula comes to, or what is wrong with it; undefined for what is no formula. */
  function typeOf(variable: string, part?: string): Typed | FormulaError | undefined {
    const study = current.value
    const formula = study?.formulas[variable]
    return formula && checked(formula.text, formulaScope(study!, catalogue.value, variable, part))
  }

  function isFaceFlux(variable: string): boolean {
    return catalogue.value?.fields.some((f) => f.name === variable && f.place === 'face') ?? false
  }

  function fieldHint(variable: string): string {
    const field = catalogue.value?.fields.find((f) => f.name === variable)
    return field ? `${field.kind} on ${placeWords(field.place)}, ${field.unit ?? 'unit unknown'}` : ''
  }

  /** Unit of the values of a variable, or of what a result brings itself; null: unknown. */
  function unitOf(variable: string): string | null {
    const type = typeOf(variable)
    if (type) return type instanceof FormulaError || !type.dimensions ? null : unitName(type.dimensions)
    const label = variableLabel(variable)
    const field = catalogue.value?.fields.find((f) => f.name === label)
    return field ? field.unit : ([...results.value.values()].find((r) => r.valuesMeta?.name === label)?.valuesMeta?.unit ?? null)
  }

  /** How values of a unit are shown in this study; null when the unit is unknown. */
  function display(unit: string | null): Display | null {
    return displayOf(unit, document.value?.units ?? {})
  }

  /** A value in the unit of the study, with it. */
  function shown(value: number, unit: string | null, digits = 5): string {
    const to = display(unit)
    if (!to) return `${formatNumber(value, digits)} (unit unknown)`
    return `${formatNumber(inDisplay(to, value), digits)}${to.unit === '1' ? '' : ` ${to.unit}`}`
  }

  function showIn(unit: string, wished: string): void {
    const key = dimensionKey(parseUnit(unit)!.dimensions)
    void store.edit(`Show in ${wished}`, (study) => void (study.units = { ...study.units, [key]: wished }))
  }

  /** Takes a case into the study, bound by names, and shows it. */
  async function addCase(caseId: string): Promise<void> {
    const known = Object.entries(document.value!.cases).find(([, c]) => c.case === caseId)
    if (known) return void (view.caseId = known[0])
    const row = await api.get<{ name: string; catalogue: Catalogue | null }>(`/api/cases/${caseId}`)
    if (!row.catalogue) return
    let added = ''
    await store.edit(`Add case ${row.name}`, (study) => void (added = attachCase(study, caseId, row.name, row.catalogue!)))
    await store.reloadCases()
    view.caseId = added
  }

  function removeCase(id: string): void {
    const study = document.value!
    if (view.caseId === id) view.caseId = ranked(study.cases).find(([other]) => other !== id)?.[0] ?? null
    void store.edit(`Remove case ${study.cases[id]!.name}`, (draft) => detachCase(draft, id))
  }

  /** The map a variable has already, else one that no other variable in view uses. */
  function mapFor(variable: string): string {
    const coloured = steps.value.filter(([, s]) => s.isShown && !s.isMuted && s.look.variable)
    const own = coloured.find(([, s]) => s.look.variable === variable)
    if (own) return own[1].look.map
    const used = new Set(coloured.map(([, s]) => s.look.map))
    return colourMaps.find((map) => !used.has(map.id))?.id ?? colourMaps[0]!.id
  }

  /** Colours a step by another variable. A range set by hand fits only the old one. */
  function colourBy(id: string, variable: string | null): void {
    const { look } = current.value!.steps[id]!
    const mode = look.range.mode === 'hand' ? 'moment' : look.range.mode
    changeLook(id, { variable, ...(variable && { map: mapFor(variable) }), range: { ...look.range, mode } })
  }

  function changeSettings(id: string, change: Step['settings'], title?: string): void {
    void store.edit(title ?? `Change ${name(id)}`, (study) => Object.assign(study.steps[id]!.settings, change))
  }

  function draftSettings(id: string, change: Step['settings']): void {
    const step = current.value?.steps[id]
    if (step) store.draft = { step: id, settings: { ...step.settings, ...change } }
  }

  function commitDraft(): void {
    const { draft } = store
    if (draft) changeSettings(draft.step, draft.settings, `Move ${name(draft.step)}`)
  }

  function changeLook(id: string, change: Partial<Look>): void {
    void store.edit(`Look of ${name(id)}`, (study) => Object.assign(study.steps[id]!.look, change))
  }

  function setInputs(id: string, input: string, refs: InputRef[]): void {
    void store.edit(`Input of ${name(id)}`, (study) => void (study.steps[id]!.inputs[input] = refs))
  }

  function removeStep(id: string): void {
    const at = steps.value.findIndex(([other]) => other === id)
    const neighbour = steps.value[at + 1] ?? steps.value[at - 1]
    void store.edit(`Delete ${name(id)}`, (study) => {
      delete study.steps[id]
      for (const [key, exhibit] of Object.entries(study.exhibits)) if (exhibit.step === id) delete study.exhibits[key]
    })
    selected.value = neighbour?.[0] ?? null
  }

  function duplicateStep(id: string): void {
    const study = document.value!
    const copy = structuredClone(toRaw(study.steps[id]!))
    const at = steps.value.findIndex(([other]) => other === id)
    copy.rank = rankBetween(copy.rank, steps.value[at + 1]?.[1].rank)
    copy.name = `${copy.name} copy`
    const fresh = freshId(id, study.steps)
    void store.edit(`Duplicate ${name(id)}`, (draft) => void (draft.steps[fresh] = copy))
    selected.value = fresh
  }

  /** Moves a step one place up or down. */
  function moveStep(id: string, by: -1 | 1): void {
    const list = steps.value.filter(([other]) => other !== id)
    const at = steps.value.findIndex(([other]) => other === id) + by
    if (at < 0 || at > list.length) return
    const rank = rankBetween(list[at - 1]?.[1].rank, list[at]?.[1].rank)
    void store.edit(`Move ${name(id)}`, (study) => void (study.steps[id]!.rank = rank))
  }

  function setFlag(id: string, flag: 'isMuted' | 'isShown', value: boolean): void {
    const verb = flag === 'isMuted' ? (value ? 'Mute' : 'Unmute') : value ? 'Show' : 'Hide'
    void store.edit(`${verb} ${name(id)}`, (study) => void (study.steps[id]![flag] = value))
  }

  function rename(id: string, to: string): void {
    if (to.trim() && to !== name(id)) void store.edit(`Rename ${name(id)}`, (study) => void (study.steps[id]!.name = to.trim()))
  }

  function variableLabel(id: string): string {
    return document.value ? variableName(document.value, id) : id
  }

  const { addStep } = useNewSteps({ store, current, catalogue, caseId, moment, selected, steps, results, inputChoices, variableChoices, typeOf, mapFor })

  return {
    store, view, document, current, catalogue, catalogues, attached, results, isComputing, prefetch, ranges, momentsToPlay, momentLabel, display, shown, showIn, steps, lengthUnit, nMoments, selected,
    name, refName, classOf, inputChoices, variableChoices, addCase, removeCase, addStep, changeSettings, draftSettings, commitDraft, changeLook, colourBy, setInputs,
    removeStep, duplicateStep, moveStep, setFlag, rename, variableLabel, unitOf,
  }
}

export type Workbench = ReturnType<typeof useWorkbench>
export const workbenchKey: InjectionKey<Workbench> = Symbol('workbench')

export function useBench(): Workbench {
  return inject(workbenchKey)!
}
