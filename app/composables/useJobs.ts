/**
 * Readings and curves that are taken over moments, values or cases, and ranges over all moments: their jobs on the server, and the rows
 * that are there so far.
 */
import { tryOnScopeDispose } from '@vueuse/core'
import type { Catalogue } from '~~/core/case/catalogue'
import { UserError } from '~~/core/errors'
import { accumulated, wholeRange } from '~~/core/evaluate/accumulators'
import { framesOf } from '~~/core/evaluate/frames'
import type { JobFrame } from '~~/core/evaluate/frames'
import type { JobRow } from '~~/core/evaluate/jobs'
import type { Plan } from '~~/core/evaluate/plan'
import { inputsOf } from '~~/core/study/check'
import type { VariableRange } from '~~/core/evaluate/range'
import type { Over } from '~~/core/study/over'
import { isSeen } from '~~/core/study/studyModel'
import type { Study } from '~~/core/study/studyModel'
import type { JobRequest } from '~~/server/db/jobs'
import type { JobNews } from '~~/server/jobs/Jobs'

export interface JobResult {
  news: JobNews | null
  frames: readonly JobFrame[]
  /** By frame. */
  rows: ReadonlyMap<number, JobRow>
  error: string | null
}

export interface JobSource {
  study: Ref<Study | null>
  plan: Ref<Plan | null>
  caseId: Ref<string | null>
  moment: Ref<number>
  version: Ref<unknown>
  /** Catalogues of cases that are read, by their ids in the study. */
  catalogues: Ref<ReadonlyMap<string, Catalogue>>
  /** Variables whose range over all moments is wanted, each of a case. */
  ranges: Ref<readonly { variable: string; of: string }[]>
}

interface Running {
  text: string
  request: JobRequest
  timer?: ReturnType<typeof setTimeout>
  id?: string
  /** Number of the last row that is here. */
  last: number
  isFetching: boolean
  isFetchWanted: boolean
}

/** Milliseconds that a change waits for another one: a job is not begun for each letter. */
const CALM = 300

export function useJobs({ study, plan, caseId, moment, version, catalogues, ranges }: JobSource) {
  const results = shallowRef(new Map<string, JobResult>())
  const running = new Map<string, Running>()
  let isLeft = false

  const wanted = computed(() => {
    const found = new Map<string, JobRequest>()
    if (!plan.value || !caseId.value) return found
    for (const [id, step] of Object.entries(study.value?.steps ?? {}))
      if (step.over && isSeen(step)) found.set(id, requestOf(id, step.over))
    for (const { variable, of } of ranges.value) {
      const base = { case: of, moment: 0 }
      found.set(rangeId(variable, of), { plan: { ...plan.value, steps: {} }, of: { variable }, over: [{ is: 'moments' }], base })
    }
    return found
  })

  function rangeId(variable: string, of: string): string {
    return `range of ${variable} in ${of}`
  }

  /** The plan of a step and of what it is made of: other steps do not matter. */
  function requestOf(id: string, over: Over): JobRequest {
    const own = new Set([id, ...inputsOf(study.value!, id)])
    const steps = Object.fromEntries(Object.entries(plan.value!.steps).filter(([other]) => own.has(other)))
    // the moment that is shown does not matter where all are taken
    const at = over.some(({ is }) => is === 'moments') ? 0 : moment.value
    return { plan: { ...plan.value!, steps }, of: { step: id }, over, base: { case: caseId.value!, moment: at } }
  }

  /** Smallest and largest value over all moments; null where there is none, undefined until it is known. */
  function rangeOf(variable: string, of: string): [number, number] | null | undefined {
    const { news, rows } = results.value.get(rangeId(variable, of)) ?? {}
    if (!news || news.state === 'running' || rows!.size < news.done) return undefined
    const found = [...rows!.values()].map(({ value }) => value as VariableRange | null)
    return accumulated(wholeRange, found) ?? null
  }

  function put(id: string, change: Partial<JobResult>): void {
    const known = results.value.get(id) ?? { news: null, frames: [], rows: new Map(), error: null }
    results.value = new Map(results.value).set(id, { ...known, ...change })
  }

  watch(
    [wanted, version],
    ([list]) => {
      for (const id of [...running.keys()]) if (!list.has(id)) drop(id)
      for (const [id, request] of list) {
        const text = JSON.stringify([request, version.value])
        if (running.get(id)?.text === text) continue
        leave(id)
        const own: Running = { text, request, last: 0, isFetching: false, isFetchWanted: false }
        own.timer = setTimeout(() => void begin(id, own), CALM)
        running.set(id, own)
      }
    },
    { immediate: true },
  )

  /** A job that nobody wants in this form any more is stopped. */
  function leave(id: string): void {
    const own = running.get(id)
    clearTimeout(own?.timer)
    if (own?.id && results.value.get(id)?.news?.state === 'running') stop(own.id)
    running.delete(id)
  }

  function stop(job: string): void {
    void api.send('DELETE', `/api/jobs/${job}`).catch(() => undefined)
  }

  /** Equal requests share a job. */
  function isWanted(job: string): boolean {
    return [...running.values()].some((other) => other.id === job)
  }

  function drop(id: string): void {
    leave(id)
    const next = new Map(results.value)
    next.delete(id)
    results.value = next
  }

  async function begin(id: string, own: Running): Promise<void> {
    const { request } = own
    try {
      const cases = new Map([...catalogues.value].map(([key, catalogue]) => [key, { catalogue }]))
      const frames = framesOf(request.plan, request.over, request.base, cases)
      put(id, { news: null, frames, rows: new Map(), error: null })
      const news = await api.send<JobNews>('POST', '/api/jobs', request)
      if (running.get(id) !== own) {
        if (!isLeft && news.state === 'running' && !isWanted(news.id)) stop(news.id)
        return
      }
      own.id = news.id
      put(id, { news })
      await fetchRows(id, own)
    } catch (error) {
      if (running.get(id) === own) put(id, { error: (error as Error).message })
      if (!(error instanceof UserError)) throw error
    }
  }

  /** Takes the rows that are new, until there are no more. */
  async function fetchRows(id: string, own: Running): Promise<void> {
    own.isFetchWanted = true
    if (own.isFetching) return
    own.isFetching = true
    try {
      while (own.isFetchWanted && running.get(id) === own) {
        own.isFetchWanted = false
        const { news, rows } = await api.get<{ news: JobNews; rows: (JobRow & { number: number })[] }>(
          `/api/jobs/${own.id}?after=${own.last}`,
        )
        if (running.get(id) !== own) return
        const all = new Map(results.value.get(id)?.rows)
        for (const row of rows) all.set(row.frame, row)
        own.last = rows[rows.length - 1]?.number ?? own.last
        own.isFetchWanted ||= rows.length > 0
        const left = news.state === 'running' ? (results.value.get(id)?.news?.left ?? null) : null
        put(id, { news: { ...news, left }, rows: all })
      }
    } finally {
      own.isFetching = false
    }
  }

  /** News of a job from the server. */
  function hear(news: JobNews): void {
    for (const [id, own] of running) {
      if (own.id !== news.id) continue
      put(id, { news })
      void fetchRows(id, own).catch(() => undefined)
    }
  }

  function cancel(id: string): void {
    const job = running.get(id)?.id
    if (job) stop(job)
  }

  /** Goes on with one that was stopped, or tries again what failed. */
  function resume(id: string): void {
    const own = running.get(id)
    if (!own) return
    const again: Running = { ...own, last: 0, isFetching: false, isFetchWanted: false }
    running.set(id, again)
    void begin(id, again)
  }

  tryOnScopeDispose(() => {
    // the jobs go on: only this browser stops listening
    isLeft = true
    for (const { timer } of running.values()) clearTimeout(timer)
    running.clear()
  })

  return { results, rangeOf, hear, cancel, resume }
}

export type Jobs = ReturnType<typeof useJobs>
