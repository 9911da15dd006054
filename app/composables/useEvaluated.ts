/** What the server computes of the study as it is drawn: results of steps and ranges in all panes, in one request at a time. */
import type { Part } from '~~/core/case/catalogue'
import type { ReadAnswer } from '~~/core/evaluate/answers'
import { planOf } from '~~/core/evaluate/plan'
import type { Plan, Target } from '~~/core/evaluate/plan'
import { lengthFactor } from '~~/core/units/units'
import { hidesStep } from '~~/core/study/panes'
import type { Look } from '~~/core/study/studyModel'
import type { Stage } from '~~/stage/Stage'
import type { EffectScope } from 'vue'
import type { PaneNow, Panes } from './usePanes'
import type { StepResult } from './useResults'
import { useCaseView } from './useStudyCases'
import type { StudyCases } from './useStudyCases'

/** What is computed of it. */
export interface Scene extends ReturnType<typeof useResults> {
  now: Ref<SceneNow | undefined>
  cases: ReturnType<typeof useCaseView>
  ranges: ReturnType<typeof useRanges>
}

/** A case at a moment as it is seen in a pane, or beyond its swipe line. */
export interface SceneNow {
  id: string
  caseId: string | null
  moment: number | null
  pane: PaneNow
}

const OTHER = ' other'

export function useEvaluated({ catalogues, momentFor }: Pick<StudyCases, 'catalogues' | 'momentFor'>, panes: Panes) {
  const store = useStudyStore()
  const view = useViewStore()
  const { current: study, document } = storeToRefs(store)
  const plan = computed<Plan | null>(() => study.value && planOf(study.value))

  const wanted = computed<SceneNow[]>(() =>
    panes.seen.value.flatMap((pane) => {
      const { id, caseId, moment, other } = pane
      const own = { id, caseId, moment, pane }
      return other ? [own, { id: `${id}${OTHER}`, caseId: other.caseId, moment: momentIn(other.caseId, pane), pane }] : [own]
    }),
  )

  /** The moment of what is compared with a pane. */
  function momentIn(caseId: string, { caseId: own, moment }: PaneNow): number | null {
    return moment === null ? null : (momentFor(own, moment, caseId) ?? null)
  }

  /** One evaluation for each of what is wanted; it ends with it. */
  const scenes = shallowRef(new Map<string, Scene>())
  const scopes = new Map<string, EffectScope>()
  let nScenes = 0
  watch(
    () => wanted.value.map(({ id }) => id).join('|'),
    () => {
      const next = new Map<string, Scene>()
      for (const { id } of wanted.value) {
        const scope = scopes.get(id) ?? effectScope(true)
        scopes.set(id, scope)
        next.set(id, scenes.value.get(id) ?? scope.run(() => newScene(id))!)
      }
      for (const [id, scope] of scopes) {
        if (next.has(id)) continue
        scope.stop()
        scopes.delete(id)
      }
      scenes.value = next
    },
    { immediate: true, flush: 'sync' },
  )
  onScopeDispose(() => scopes.forEach((scope) => scope.stop()))

  function newScene(id: string): Scene {
    const now = computed(() => wanted.value.find((scene) => scene.id === id))
    const cases = useCaseView(computed(() => now.value?.caseId ?? null))
    const moment = computed(() => now.value?.moment ?? null)
    const isHere = (step: string): boolean => !(now.value?.pane.pane && hidesStep(now.value.pane.pane, step))
    // what was answered to an evaluation that ended is not answered to this one
    const prefix = `${id} ${++nScenes}: `
    const partsOf = (other: string): Part[] => catalogues.value.get(other)?.parts ?? []
    const lengthsIn = (other: string): number => lengthFactor(catalogues.value.get(other)?.lengthUnit ?? null, cases.lengthUnit.value)
    const source = { study, caseId: cases.ready, moment, version: cases.version, isHere, prefix }
    const results = useResults({ ...source, plan, partsOf, lengthsIn, hasNumbers: computed(() => id === panes.active.value) })
    const ranges = useRanges({
      ...source,
      plan,
      nMoments: cases.nMoments,
      overMoments: (variable) => jobs.rangeOf(variable, cases.ready.value ?? ''),
      inView: (result) => {
        const { pane } = now.value ?? {}
        return pane && valuesInView(panes.stages.get(pane.id) ?? null, result, panes.cameraOf(pane))
      },
      elsewhere: (look, step) => (now.value?.pane.pane?.hasOwnRanges ? [] : rangesElsewhere(id, look, step)),
    })
    return { now, cases, ...results, ranges }
  }

  /** What panes with shared ranges ask for a step. */
  function rangesElsewhere(own: string, look: Look, step: string): ReturnType<Parameters<typeof useRanges>[0]['elsewhere']> {
    return [...scenes.value].flatMap(([id, { now, results, ranges }]) => {
      const result: StepResult | undefined = results.value.get(step)
      if (id === own || now.value?.pane.pane?.hasOwnRanges || !result?.valuesMeta) return []
      return [{ range: ranges.asked(look, result), unit: result.valuesMeta.unit }]
    })
  }

  const active = computed(() => scenes.value.get(panes.active.value) ?? [...scenes.value.values()][0]!)
  const results = computed(() => active.value.results.value)
  const isComputing = computed(() => [...scenes.value.values()].some((scene) => scene.isComputing.value))
  /** The stage that is worked in, once it is there. */
  const stage = computed<Stage | null>(() => panes.stages.get(panes.active.value) ?? null)
  const ranges = {
    resolve: (...of: Parameters<Scene['ranges']['resolve']>) => active.value.ranges.resolve(...of),
    atMoment: (variable: string) => active.value.ranges.atMoment(variable),
  }

  const requests = useRequests(api.stream)
  // a job is begun for what is kept, not for each place of something that is dragged
  const jobs = useJobs({
    study: document,
    plan: computed(() => document.value && planOf(document.value)),
    caseId: computed(() => active.value.cases.ready.value),
    moment: toRef(view, 'moment'),
    version: computed(() => [...scenes.value.values()].map(({ cases }) => cases.version.value).join()),
    catalogues,
    ranges: computed(() => [
      ...new Map(
        [...scenes.value.values()].flatMap(({ cases, ranges: { overAll } }) =>
          overAll.value.map((variable) => [`${variable} ${cases.ready.value}`, { variable, of: cases.ready.value ?? '' }]),
        ),
      ).values(),
    ]),
  })
  store.onJob = jobs.hear

  watch(
    [plan, () => [...scenes.value.values()].flatMap(({ wishes, ranges: own }) => [...wishes.value, ...own.wishes.value])],
    ([now, wishes]) => {
      if (now) requests.want(now, sharedWishes(wishes))
    },
    { immediate: true },
  )

  /** Asks for what all panes would show at another moment of the one that is worked in. */
  function prefetch(at: number): void {
    for (const { now, cases, prefetch: look } of scenes.value.values()) {
      if (now.value?.pane.pane?.moment !== undefined) continue
      const own = momentFor(active.value.cases.ready.value, at, cases.ready.value)
      if (own != null) look(own)
    }
  }

  /** Asks for something of the study as it is, or of what it would be, once. @throws UserError */
  function once(target: Target, of: Plan = plan.value!): Promise<ReadAnswer> {
    return requests.once(of, target)
  }

  /** What is drawn beyond the swipe line of a pane. */
  const otherOf = (pane: string): Scene | undefined => scenes.value.get(`${pane}${OTHER}`)

  return { scenes, otherOf, results, isComputing, ranges, jobs, prefetch, once, stage }
}

export type Evaluated = ReturnType<typeof useEvaluated>
