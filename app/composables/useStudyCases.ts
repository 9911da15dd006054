/** The cases of the open study: which one is shown, what is in it, and its moments. */
import { formatNumber } from '~~/core/colour/ticks'
import { isTableCase } from '~~/core/case/catalogue'
import type { Catalogue } from '~~/core/case/catalogue'
import { renameCase, replaceCase, setBase } from '~~/core/study/cases'
import { attachCase, detachCase } from '~~/core/study/defaults'
import { matchedMoment } from '~~/core/study/moments'
import type { Match } from '~~/core/study/moments'
import { ranked } from '~~/core/study/studyModel'

/** What is known of one case of the study. */
export function useCaseView(caseId: Ref<string | null>) {
  const view = useViewStore()
  const { document, cases } = storeToRefs(useStudyStore())
  const attached = computed(() => cases.value.find((c) => c.id === document.value?.cases[caseId.value ?? '']?.case))
  const catalogue = computed<Catalogue | null>(() => (attached.value?.state === 'ready' ? attached.value.catalogue : null))
  /** Its id in the study, once it can be computed on. */
  const ready = computed(() => (catalogue.value ? caseId.value : null))
  const version = computed(() => attached.value?.version)
  const lengthUnit = computed(() => catalogue.value?.lengthUnit ?? '')
  const nMoments = computed(() => catalogue.value?.moments.length ?? 1)
  const momentsToPlay = computed(() => {
    const last = nMoments.value - 1
    const [from, to] = view.span ?? [0, last]
    return Array.from({ length: Math.max(0, Math.min(to, last) - from) + 1 }, (_, i) => from + i)
  })

  /** A moment as people say it: `t = 20 s`, `mode 3`. */
  function momentLabel(index: number): string {
    const moment = catalogue.value?.moments[index]
    if (!moment) return ''
    if (moment.value === null) return moment.label
    const value = `${formatNumber(moment.value, 6)}${moment.unit ? ` ${moment.unit}` : ''}`
    return moment.kind === 'time' ? `t = ${value}` : `${moment.kind} ${value}`
  }

  return { attached, catalogue, ready, version, lengthUnit, nMoments, momentsToPlay, momentLabel }
}

export function useStudyCases() {
  const store = useStudyStore()
  const view = useViewStore()
  const { document, cases } = storeToRefs(store)

  /** Catalogues of all cases that are read, by their id in the study. */
  const catalogues = computed(() => {
    const found = new Map<string, Catalogue>()
    for (const [id, entry] of Object.entries(document.value?.cases ?? {})) {
      const known = cases.value.find((c) => c.id === entry.case)?.catalogue
      if (known) found.set(id, known)
    }
    return found
  })

  /** How moments of cases stand for each other. */
  const match = computed<Match>(() => document.value?.match ?? 'nearest')

  /** The moment of a case that stands for one of another; null where there is none, undefined until both are known. */
  function momentFor(from: string | null, moment: number, to: string | null): number | null | undefined {
    const [own, other] = [catalogues.value.get(from ?? ''), catalogues.value.get(to ?? '')]
    return own && other ? matchedMoment(own.moments, moment, other.moments, match.value) : undefined
  }

  /** Shows a case: in the pane that is worked in, if there are panes. The moment is the one that stands for that of the case before. */
  function choose(id: string): void {
    const study = document.value!
    const pane = view.pane
    if (pane && study.panes?.[pane]) {
      void store.edit(`Show ${study.cases[id]!.name}`, (draft) => void (draft.panes![pane]!.case = id))
      return
    }
    const moment = momentFor(view.caseId, view.moment, id)
    if (moment !== undefined) view.moment = moment ?? 0
    view.caseId = id
  }

  /** Takes a case into the study, bound by names, and shows it. */
  async function add(caseId: string): Promise<void> {
    const known = Object.entries(document.value!.cases).find(([, c]) => c.case === caseId)
    if (known) return choose(known[0])
    const row = await api.get<{ name: string; catalogue: Catalogue | null }>(`/api/cases/${caseId}`)
    if (!row.catalogue) return
    let added = ''
    await store.edit(`Add case ${row.name}`, (study) => void (added = attachCase(study, caseId, row.name, row.catalogue!)))
    await store.reloadCases()
    // a table stands beside the case that is shown
    if (!isTableCase(row.catalogue)) choose(added)
  }

  function remove(id: string): void {
    const study = document.value!
    if (view.caseId === id && !study.panes) view.caseId = ranked(study.cases).find(([other]) => other !== id)?.[0] ?? null
    void store.edit(`Remove case ${study.cases[id]!.name}`, (draft) => detachCase(draft, id))
  }

  /** Another case of the library takes the place of one. */
  async function replace(id: string, caseId: string): Promise<void> {
    const row = await api.get<{ name: string; catalogue: Catalogue | null }>(`/api/cases/${caseId}`)
    if (!row.catalogue) return
    const old = document.value!.cases[id]!.name
    await store.edit(`${row.name} in place of ${old}`, (study) => replaceCase(study, id, caseId, row.name, row.catalogue!))
    await store.reloadCases()
  }

  function rename(id: string, name: string): void {
    if (name) void store.edit(`Rename case to ${name}`, (study) => renameCase(study, id, name))
  }

  function makeBase(id: string): void {
    void store.edit(`Compare with ${document.value!.cases[id]!.name}`, (study) => setBase(study, id))
  }

  return { ...useCaseView(toRef(view, 'caseId')), catalogues, match, momentFor, choose, add, remove, replace, rename, makeBase }
}

export type StudyCases = ReturnType<typeof useStudyCases>
