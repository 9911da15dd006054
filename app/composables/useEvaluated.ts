/** What the server computes of the study as it is drawn: results of steps and ranges of variables, in one request at a time. */
import type { ReadAnswer } from '~~/core/evaluate/answers'
import { planOf } from '~~/core/evaluate/plan'
import type { Plan, Target } from '~~/core/evaluate/plan'
import type { Stage } from '~~/stage/Stage'
import type { StudyCases } from './useStudyCases'

export function useEvaluated({ ready, version, nMoments, catalogues }: Pick<StudyCases, 'ready' | 'version' | 'nMoments' | 'catalogues'>) {
  const store = useStudyStore()
  const { current: study, document } = storeToRefs(store)
  const { moment, camera } = storeToRefs(useViewStore())
  const source = { study, caseId: ready, moment, version }
  const { results, isComputing, wishes, plan, prefetch } = useResults(source)
  /** The stage that things are looked at on, once it is there. */
  const stage = shallowRef<Stage | null>(null)
  const ranges = useRanges({
    ...source,
    plan,
    nMoments,
    overMoments: (variable) => jobs.rangeOf(variable),
    inView: (result) => valuesInView(stage.value, result, camera.value),
  })
  const requests = useRequests(api.stream)
  // a job is begun for what is kept, not for each place of something that is dragged
  const jobs = useJobs({
    ...source,
    study: document,
    plan: computed(() => document.value && planOf(document.value)),
    catalogues,
    ranges: ranges.overAll,
  })
  store.onJob = jobs.hear

  watch(
    [plan, wishes, ranges.wishes],
    () => {
      if (plan.value) requests.want(plan.value, [...wishes.value, ...ranges.wishes.value])
    },
    { immediate: true },
  )

  /** Asks for something of the study as it is, or of what it would be, once. @throws UserError */
  function once(target: Target, of: Plan = plan.value!): Promise<ReadAnswer> {
    return requests.once(of, target)
  }

  return { results, isComputing, ranges, jobs, prefetch, once, stage }
}

export type Evaluated = ReturnType<typeof useEvaluated>
