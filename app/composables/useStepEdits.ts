/** The acts on steps: each is one named edit of the study. */
import { isSigned } from '~~/core/study/signed'
import { readMap } from '~~/core/study/readMap'
import { colourMaps } from '~~/core/colour/maps'
import { exhibitCopy, takeOutOfExhibits } from '~~/core/study/exhibits'
import type { Over } from '~~/core/study/over'
import { changeSettingsIn, inCase, setOwnIn, settingsIn } from '~~/core/study/perCase'
import { putUnder, takeOut } from '~~/core/study/rewire'
import { formulaOf } from '~~/core/study/writtenVariables'
import type { Written } from '~~/core/study/writtenVariables'
import { coloursOf, freshId, isSeen, plainCopy, putOptional, ranked, rankBetween, spreadRanks } from '~~/core/study/studyModel'
import type { Look, Step } from '~~/core/study/studyModel'
import type { Variables } from './useVariables'

export function useStepEdits({ typeOf }: Pick<Variables, 'typeOf'>) {
  const store = useStudyStore()
  const { document, current } = storeToRefs(store)
  const { selected, caseId } = storeToRefs(useViewStore())
  /** As the case has them that is worked with. */
  const steps = computed(() => (current.value ? ranked(inCase(current.value, caseId.value).steps) : []))

  function name(id: string): string {
    return document.value?.steps[id]?.name ?? '?'
  }

  /** The map a variable has already, else one that no other variable in view uses. */
  function mapFor(variable: string): string {
    const coloured = steps.value.filter(([, s]) => isSeen(s) && s.look.variable)
    const own = coloured.find(([, s]) => s.look.variable === variable)
    if (own) return own[1].look.map
    const used = new Set(coloured.map(([, s]) => s.look.map))
    return colourMaps.find((map) => !used.has(map.id))?.id ?? colourMaps[0]!.id
  }

  /** Colours a step by another variable. A range set by hand fits only the old one. */
  function colourBy(id: string, variable: string | null): void {
    const { look } = current.value!.steps[id]!
    changeLook(id, { variable, ...rangeFor(look), ...(variable && coloursFor(look, variable)) })
  }

  /** What fits no other variable is taken out. */
  function rangeFor({ range }: Look): { [K in keyof Look]?: Look[K] | undefined } {
    const mode = ['hand', 'locked', 'symmetric'].includes(range.mode) ? 'everything' : range.mode
    return { range: { mode, min: range.min, max: range.max }, levels: undefined, bandStep: undefined, isLog: undefined }
  }

  /** Colours of a variable: those that it is locked to, or its map; for one of both signs those of both sides of zero. */
  function coloursFor({ range }: Pick<Look, 'range'>, variable: string): Partial<Look> {
    const map = mapFor(variable)
    const locked = lockedLook(variable)
    const type = typeOf(variable)
    const isOfSize = type !== undefined && 'components' in type && type.components > 1
    if (locked || isOfSize || !isSigned(current.value!, variable)) return { map, ...locked }
    const diverging = colourMaps.find(({ kind }) => kind === 'diverging')!.id
    const isTaken = steps.value.some(([, { look }]) => look.variable === variable)
    return { map: isTaken ? map : diverging, range: { min: range.min, max: range.max, mode: 'symmetric' } }
  }

  /** The colours that a variable is locked to, if it is. */
  function lockedLook(variable: string): Partial<Look> | undefined {
    const found = steps.value.find(([, { look }]) => look.variable === variable && look.range.mode === 'locked')?.[1].look
    return found && plainCopy(coloursOf(found))
  }

  /** Colours a step by a formula, which is made if there is none of its text. */
  function colourByFormula(id: string, called: string, text: string): void {
    void store.edit(`Colour ${name(id)} by ${text}`, (draft) => {
      const formula = formulaOf(draft, { name: called, text })
      const { look } = draft.steps[id]!
      look.variable = formula
      // the range is about that of what it was made of
      if (look.range.mode === 'locked') look.range.mode = 'hand'
    })
  }

  /** A formula that was written where a variable is chosen: the one of this text, which is made if there is none. */
  async function variableOf(written: Written): Promise<string> {
    let id = ''
    await store.edit(`Formula ${written.name}`, (draft) => void (id = formulaOf(draft, written)))
    return id
  }

  function changeSettings(id: string, change: Step['settings'], title?: string): void {
    void store.edit(title ?? `Change ${name(id)}`, (study) => changeSettingsIn(study.steps[id]!, caseId.value, change))
  }

  /** Settings and inputs that change together. */
  function changeStep(id: string, change: Step['settings'], inputs: Step['inputs']): void {
    void store.edit(`Change ${name(id)}`, (study) => {
      changeSettingsIn(study.steps[id]!, caseId.value, change)
      if (JSON.stringify(study.steps[id]!.inputs) !== JSON.stringify(inputs)) study.steps[id]!.inputs = inputs
    })
  }

  function draftSettings(id: string, change: Step['settings']): void {
    const step = current.value?.steps[id]
    if (step) store.draft = { step: id, settings: { ...settingsIn(step, caseId.value), ...change }, of: caseId.value }
  }

  function commitDraft(): void {
    const { draft } = store
    if (draft) changeSettings(draft.step, draft.settings, `Move ${name(draft.step)}`)
  }

  /** Whether the step has settings of its own in the case that is worked with. */
  function setOwn(id: string, isOwn: boolean): void {
    const own = caseId.value
    if (own === null) return
    const title = isOwn ? `${name(id)}: own values in ${document.value!.cases[own]!.name}` : `${name(id)}: the same values in all cases`
    void store.edit(title, (study) => setOwnIn(study.steps[id]!, own, isOwn))
  }

  /** @param over  empty: once, at the moment that is shown */
  function takeOver(id: string, over: Over | []): void {
    void store.edit(`Take ${name(id)} over`, (study) => {
      if (over.length) study.steps[id]!.over = over
      else delete study.steps[id]!.over
    })
  }

  /** @param limit  empty: none */
  function setLimit(id: string, limit: string): void {
    void store.edit(`Limit of ${name(id)}`, (study) => putOptional(study.steps[id]!, { limit: limit || undefined }))
  }

  /** @param change  undefined takes out what is optional */
  function changeLook(id: string, change: { [K in keyof Look]?: Look[K] | undefined }): void {
    void store.edit(`Look of ${name(id)}`, (study) => putOptional(study.steps[id]!.look, change))
  }

  /** Moves the ends of a locked range, in all looks of the variable. */
  function moveLocked(variable: string, ends: { min: number; max: number }): void {
    void store.edit('Move the locked range', (study) => {
      for (const { look } of Object.values(study.steps))
        if (look.variable === variable && look.range.mode === 'locked') Object.assign(look.range, ends)
    })
  }

  function showLegend(variable: string): void {
    void store.edit('Show the legend', (study) => void delete study.legends?.[variable]?.isHidden)
  }

  /** A colour map of the study's own, from JSON with a title and colours. */
  function addMap(id: string, text: string, file: string): void {
    const found = readMap(text, file)
    if (typeof found === 'string') {
      store.notice = { text: found, isError: true }
      return
    }
    void store.edit(`Colour map ${found.title}`, (study) => {
      const maps = (study.maps ??= {})
      const own = freshId(found.title, maps, Object.fromEntries(colourMaps.map((map) => [map.id, map])))
      maps[own] = found
      study.steps[id]!.look.map = own
    })
  }

  /** Deletes steps; what is made of them goes on with what they were made of. */
  function remove(ids: readonly string[]): void {
    const at = steps.value.findIndex(([other]) => ids.includes(other))
    const rest = steps.value.filter(([other]) => !ids.includes(other))
    void store.edit(`Delete ${ids.length === 1 ? name(ids[0]!) : `${ids.length} steps`}`, (study) => {
      for (const id of ids) {
        takeOut(study, id)
        delete study.steps[id]
        takeOutOfExhibits(study, id)
      }
    })
    selected.value = (rest[at] ?? rest[at - 1])?.[0] ?? null
  }

  /** Makes a step the input of all that take what it takes. */
  function putUnderAll(id: string): void {
    void store.edit(`Put ${name(id)} under what stands`, (study) => void putUnder(study, id))
  }

  function duplicate(id: string): void {
    const study = document.value!
    const copy = plainCopy(study.steps[id]!)
    const at = steps.value.findIndex(([other]) => other === id)
    copy.rank = rankBetween(copy.rank, steps.value[at + 1]?.[1].rank)
    copy.name = `${copy.name} copy`
    const fresh = freshId(id, study.steps)
    void store.edit(`Duplicate ${name(id)}`, (draft) => {
      draft.steps[fresh] = copy
      spreadRanks(draft.steps)
      exhibitCopy(draft, id, fresh)
    })
    selected.value = fresh
  }

  /** Moves a step one place up or down. */
  function move(id: string, by: -1 | 1): void {
    const list = steps.value.filter(([other]) => other !== id)
    const at = steps.value.findIndex(([other]) => other === id) + by
    if (at < 0 || at > list.length) return
    const rank = rankBetween(list[at - 1]?.[1].rank, list[at]?.[1].rank)
    void store.edit(`Move ${name(id)}`, (study) => {
      study.steps[id]!.rank = rank
      spreadRanks(study.steps)
    })
  }

  function setFlag(id: string, flag: 'isMuted' | 'isShown', value: boolean): void {
    const verb = flag === 'isMuted' ? (value ? 'Mute' : 'Unmute') : value ? 'Show' : 'Hide'
    void store.edit(`${verb} ${name(id)}`, (study) => void (study.steps[id]![flag] = value))
  }

  function rename(id: string, to: string): void {
    const title = `Rename ${name(id)}`
    if (to.trim() && to !== name(id)) void store.edit(title, (study) => void (study.steps[id]!.name = to.trim()))
  }

  return {
    setOwn,
    steps,
    name,
    mapFor,
    coloursFor,
    colourBy,
    colourByFormula,
    variableOf,
    changeSettings,
    changeStep,
    draftSettings,
    commitDraft,
    changeLook,
    takeOver,
    setLimit,
    moveLocked,
    showLegend,
    addMap,
    remove,
    putUnderAll,
    duplicate,
    move,
    setFlag,
    rename,
  }
}

export type StepEdits = ReturnType<typeof useStepEdits>
