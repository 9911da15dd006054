/**
 * The open study: the document as the server has confirmed it, the edits on their way, and a draft while something is
 * dragged or typed. Every edit is a named change that becomes one revision.
 */
import type { JobNews } from '~~/server/jobs/Jobs'
import { enablePatches, produceWithPatches } from 'immer'
import { defineStore } from 'pinia'
import { UserError } from '~~/core/errors'
import type { Catalogue } from '~~/core/case/catalogue'
import { applyPatches } from '~~/core/study/patches'
import type { Patch } from '~~/core/study/patches'
import type { Step, Study } from '~~/core/study/studyModel'

enablePatches()

export interface AttachedCase {
  id: string
  name: string
  state: 'reading' | 'ready' | 'failed' | 'gone'
  failure: string | null
  catalogue: Catalogue | null
  progress: { share: number; what: string; looks: number } | null
  /** Raised by every change of the case on the server. */
  version: number
}

export interface RevisionNews {
  number: number
  patches: Patch[]
  title: string
  author: string
  kind: 'edit' | 'undo' | 'redo'
  made: string
}

interface Pending {
  patches: Patch[]
}

function remembered(storage: Storage, key: string): string {
  const known = storage.getItem(key)
  if (known) return known
  const made = crypto.randomUUID().slice(0, 8)
  storage.setItem(key, made)
  return made
}

export const useStudyStore = defineStore('study', () => {
  const id = ref('')
  const confirmed = shallowRef<Study | null>(null)
  const revision = ref(0)
  const pending = shallowRef<Pending[]>([])
  /** Settings that are dragged or typed, of all cases or of one. */
  const draft = shallowRef<{ step: string; settings: Step['settings']; of: string | null } | null>(null)
  /** Settings of steps, in all cases, for as long as a film goes through them. */
  const staged = shallowRef<Readonly<Record<string, Step['settings']>>>({})
  /** Texts of formulas, likewise. */
  const stagedTexts = shallowRef<Readonly<Record<string, string>>>({})
  const cases = shallowRef<AttachedCase[]>([])
  /** With an act that it offers, until the next edit: it may take back what was done last. */
  const notice = ref<{ text: string; isError: boolean; act?: { title: string; run: () => unknown } } | null>(null)
  const savedAt = ref<Date | null>(null)
  const early = new Map<number, RevisionNews>()
  let queue: Promise<unknown> = Promise.resolve()
  let events: EventSource | undefined
  /** Listens to news of jobs. */
  const onJob = shallowRef<((news: JobNews) => void) | null>(null)

  const author = computed(() => `${remembered(localStorage, 'stavik-browser')}.${remembered(sessionStorage, 'stavik-tab')}`)

  /** With the edits on their way; what all editing starts from. */
  const document = computed<Study | null>(() => {
    if (!confirmed.value) return null
    return pending.value.reduce((study, edit) => applyPatches(study, edit.patches), confirmed.value)
  })

  /** The study with the draft applied: what is drawn. */
  const current = computed<Study | null>(() => {
    const study = document.value && withStaged(document.value)
    const step = draft.value && study?.steps[draft.value.step]
    if (!study || !step) return study
    const { of, settings } = draft.value!
    const drafted = of !== null && step.cases?.[of] ? { ...step, cases: { ...step.cases, [of]: settings } } : { ...step, settings }
    return { ...study, steps: { ...study.steps, [draft.value!.step]: drafted } }
  })

  function withStaged(study: Study): Study {
    const changed = Object.entries(staged.value).flatMap(([step, settings]) => {
      const own = study.steps[step]
      if (!own) return []
      const inCases = Object.entries(own.cases ?? {}).map(([of, ofCase]) => [of, { ...ofCase, ...settings }] as const)
      return [
        [step, { ...own, settings: { ...own.settings, ...settings }, ...(own.cases && { cases: Object.fromEntries(inCases) }) }] as const,
      ]
    })
    const texts = Object.entries(stagedTexts.value).flatMap(([formula, text]) => {
      const own = study.formulas[formula]
      return own ? [[formula, { ...own, text }] as const] : []
    })
    if (!changed.length && !texts.length) return study
    const [steps, formulas] = [Object.fromEntries(changed), Object.fromEntries(texts)]
    return { ...study, steps: { ...study.steps, ...steps }, formulas: { ...study.formulas, ...formulas } }
  }

  async function open(studyId: string): Promise<void> {
    close()
    id.value = studyId
    await reload()
    events = new EventSource(`/api/events?study=${studyId}`)
    events.addEventListener('revision', (event) => receive(JSON.parse(event.data as string) as RevisionNews))
    events.addEventListener('case', (event) => {
      const { id: caseId } = JSON.parse(event.data as string) as { id: string }
      if (cases.value.some((known) => known.id === caseId)) void reloadCase(caseId)
    })
    events.addEventListener('progress', (event) => {
      const { id: caseId, progress } = JSON.parse(event.data as string) as Pick<AttachedCase, 'id' | 'progress'>
      const isReading = ({ id: known, state }: AttachedCase): boolean => known === caseId && state === 'reading'
      if (cases.value.some(isReading)) cases.value = cases.value.map((known) => (isReading(known) ? { ...known, progress } : known))
    })
    events.addEventListener('job', (event) => onJob.value?.(JSON.parse(event.data as string) as JobNews))
    events.addEventListener('error', () => void 0)
    events.addEventListener('open', () => void catchUp())
  }

  function close(): void {
    events?.close()
    confirmed.value = null
    pending.value = []
    draft.value = null
    staged.value = {}
    stagedTexts.value = {}
    early.clear()
  }

  async function reload(): Promise<void> {
    const got = await api.get<{ document: Study; revision: number; cases: AttachedCase[] }>(`/api/studies/${id.value}`)
    confirmed.value = got.document
    revision.value = got.revision
    cases.value = got.cases
  }

  async function reloadCases(): Promise<void> {
    if (!id.value) return
    cases.value = (await api.get<{ cases: AttachedCase[] }>(`/api/studies/${id.value}`)).cases
  }

  async function reloadCase(caseId: string): Promise<void> {
    const found = await api.get<Omit<AttachedCase, 'id'>>(`/api/cases/${caseId}`).catch(() => null)
    const { name, state, failure, catalogue, progress, version } = found ?? {
      name: '',
      state: 'gone' as const,
      failure: null,
      catalogue: null,
      progress: null,
      version: 0,
    }
    cases.value = cases.value.map((known) =>
      known.id === caseId ? { id: caseId, name, state, failure, catalogue, progress, version } : known,
    )
  }

  /** After a broken connection: what was missed. */
  async function catchUp(): Promise<void> {
    if (!confirmed.value) return
    const all = await api.get<RevisionNews[]>(`/api/studies/${id.value}/revisions`)
    for (const news of all) if (news.number > revision.value) receive(news)
  }

  /** Takes a revision in, in order and once, whether it came as an answer or as news. */
  function receive(news: RevisionNews): void {
    if (!confirmed.value || news.number <= revision.value) return
    early.set(news.number, news)
    for (let next = early.get(revision.value + 1); next; next = early.get(revision.value + 1)) {
      early.delete(next.number)
      confirmed.value = applyPatches(confirmed.value, next.patches)
      revision.value = next.number
      savedAt.value = new Date()
      if (next.author !== author.value) notice.value = { text: `${next.title}, in another tab`, isError: false }
    }
  }

  /**
   * Makes one named edit. Shown at once; when the server refuses it, the newer state is shown with the reason.
   */
  function edit(title: string, change: (study: Study) => void): Promise<void> {
    if (!document.value) return Promise.resolve()
    const [, patches, inverse] = produceWithPatches(document.value, (study) => void change(study as Study))
    if (!patches.length) return Promise.resolve()
    if (notice.value?.act) notice.value = null
    const own: Pending = { patches: patches as Patch[] }
    pending.value = [...pending.value, own]
    draft.value = null
    return enqueue(async () => {
      try {
        receive(
          await api.send<RevisionNews>('POST', `/api/studies/${id.value}/edits`, {
            base: revision.value,
            patches,
            inverse,
            title,
            author: author.value,
          }),
        )
      } finally {
        pending.value = pending.value.filter((other) => other !== own)
      }
    })
  }

  function undo(): Promise<void> {
    return turn('undo')
  }

  function redo(): Promise<void> {
    return turn('redo')
  }

  function turn(way: 'undo' | 'redo'): Promise<void> {
    draft.value = null
    return enqueue(async () => {
      const news = await api.send<RevisionNews>('POST', `/api/studies/${id.value}/${way}`, { author: author.value })
      receive(news)
      notice.value = { text: `${way === 'undo' ? 'Undone' : 'Redone'}: ${news.title}`, isError: false }
    })
  }

  function enqueue(work: () => Promise<void>): Promise<void> {
    const run = queue.then(work).catch(async (error: unknown) => {
      notice.value = {
        text: error instanceof Error ? error.message : String(error),
        isError: !(error instanceof UserError && error.code === 'nothing'),
      }
      if (error instanceof UserError && error.code !== 'nothing') await reload().catch(() => undefined)
    })
    queue = run
    return run
  }

  return {
    onJob,
    id,
    document,
    current,
    revision,
    draft,
    staged,
    stagedTexts,
    cases,
    notice,
    savedAt,
    author,
    open,
    close,
    edit,
    undo,
    redo,
    reloadCases,
  }
})
