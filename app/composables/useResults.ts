/**
 * Results of all steps of the study on the chosen case and moment. A step is asked for again when its plan changes, and
 * until the answer is there its old result counts as stale.
 */
import { tryOnScopeDispose } from '@vueuse/core'
import { Cancelled, UserError } from '~~/core/errors'
import { stepKind } from '~~/core/steps'
import type { Reading } from '~~/core/steps/StepKind'
import { makePlan } from '~~/core/study/makePlan'
import type { Plan } from '~~/core/study/plan'
import type { Study } from '~~/core/study/studyModel'
import type { ResultMeta, ShapeMeta, ValuesMeta } from '~~/server/work/resultMeta'
import type { StageGeometry, StageValues } from '~~/stage/StageObject'

export interface CurveResult {
  x: { name: string; unit: string | null }
  y: { name: string; unit: string | null }
  series: { name: string; x: (number | null)[]; y: (number | null)[] }[]
  notes: string[]
}

export interface StepResult {
  geometry: StageGeometry | null
  shape: ShapeMeta | null
  values: StageValues | null
  valuesMeta: ValuesMeta | null
  reading: Reading | null
  curve: CurveResult | null
  error: string | null
  isStale: boolean
}

const empty: StepResult = { geometry: null, shape: null, values: null, valuesMeta: null, reading: null, curve: null, error: null, isStale: true }

export interface ResultSource {
  study: Ref<Study | null>
  caseId: Ref<string | null>
  moment: Ref<number>
  /** Raised when something outside the study changes results, such as a unit of a case. */
  version: Ref<unknown>
}

export function useResults({ study, caseId, moment, version }: ResultSource) {
  const results = shallowRef(new Map<string, StepResult>())
  const running = new Map<string, Latest<Plan>>()
  const planned = new Map<string, string>()
  const tab = crypto.randomUUID()
  const ahead = useAhead()

  function put(id: string, change: Partial<StepResult>): void {
    const next = new Map(results.value)
    next.set(id, { ...(next.get(id) ?? empty), ...change })
    results.value = next
  }

  async function run(id: string, plan: Plan, signal: AbortSignal): Promise<void> {
    const isLatest = (): boolean => planned.get(id) === keyOf(plan)
    try {
      const kind = stepKind(plan.steps[id]!.kind)
      const slot = `${tab} ${id}`
      if (kind.shape) await runShape(id, plan, slot, signal)
      else {
        const what = kind.reading ? 'reading' : 'curve'
        const answer = await api.json<Reading & CurveResult>('/api/evaluate', { plan, wanted: { what }, slot }, signal)
        put(id, { [what]: answer, error: null })
      }
      if (isLatest()) put(id, { isStale: false })
    } catch (error) {
      if (error instanceof Cancelled) return
      if (isLatest()) put(id, { ...empty, error: error instanceof Error ? error.message : String(error), isStale: false })
      if (!(error instanceof UserError)) throw error
    }
  }

  async function runShape(id: string, plan: Plan, slot: string, signal: AbortSignal): Promise<void> {
    const known = results.value.get(id)?.geometry?.key ?? null
    const { meta, arrays } = await (ahead.take(id, plan, known) ?? api.packet<ResultMeta>('/api/evaluate', { plan, wanted: { what: 'result', haveShape: known }, slot }, signal))
    const change: Partial<StepResult> = { error: null, values: null, valuesMeta: null }
    if (meta.shape) {
      change.shape = meta.shape
      const { points, elements, cells } = arrays as { points: Float32Array; elements: Uint32Array; cells?: Uint32Array }
      change.geometry = markRaw({ key: meta.shapeKey, kind: meta.shape.kind, origin: meta.shape.origin, points, elements, cells })
    }
    if (meta.values) {
      change.valuesMeta = meta.values
      change.values = markRaw({ key: `${meta.valueKey}`, values: arrays['values'] as Float32Array, reference: meta.values.reference, place: meta.values.place })
    }
    put(id, change)
  }

  /** Asks for the shown steps at another moment before they are wanted. Nothing is shown of it yet. */
  function prefetch(at: number): void {
    const now = study.value
    if (!now || !caseId.value) return
    for (const [id, step] of Object.entries(now.steps)) {
      if (step.isMuted || !step.isShown || !stepKind(step.kind).shape || !results.value.get(id)?.geometry) continue
      const plan = makePlan({ study: now, caseId: caseId.value, moment: at, step: id, variable: stepKind(step.kind).hasColour ? step.look.variable : null })
      ahead.ask(id, plan, results.value.get(id)!.geometry!.key)
    }
  }

  function keyOf(plan: Plan): string {
    return JSON.stringify([plan, version.value])
  }

  function refresh(): void {
    const now = study.value
    if (!now || !caseId.value) return
    for (const id of [...planned.keys()]) if (!now.steps[id] || now.steps[id]!.isMuted) forget(id)
    for (const [id, step] of Object.entries(now.steps)) {
      if (step.isMuted) continue
      let plan: Plan
      try {
        plan = makePlan({ study: now, caseId: caseId.value, moment: moment.value, step: id, variable: stepKind(step.kind).hasColour ? step.look.variable : null })
      } catch (error) {
        planned.delete(id)
        put(id, { ...empty, error: (error as Error).message, isStale: false })
        continue
      }
      const key = keyOf(plan)
      if (planned.get(id) === key) continue
      planned.set(id, key)
      put(id, { isStale: true })
      if (!running.has(id)) running.set(id, useLatest((wish: Plan, signal) => run(id, wish, signal)))
      running.get(id)!.want(plan)
    }
  }

  function forget(id: string): void {
    planned.delete(id)
    running.get(id)?.stop()
    running.delete(id)
    const next = new Map(results.value)
    next.delete(id)
    results.value = next
  }

  watch([study, caseId, moment, version], refresh, { immediate: true })
  tryOnScopeDispose(() => {
    for (const latest of running.values()) latest.stop()
  })

  const isComputing = computed(() => [...results.value.values()].some((result) => result.isStale))
  return { results, isComputing, refresh, prefetch }
}
