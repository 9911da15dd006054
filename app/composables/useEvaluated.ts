/** What the server computes of the study as it is drawn: results of steps and ranges of variables, in one request at a time. */
import type { ReadAnswer } from '~~/core/evaluate/answers'
import type { Target } from '~~/core/evaluate/plan'
import type { StudyCases } from './useStudyCases'

export function useEvaluated({ ready, version, nMoments }: Pick<StudyCases, 'ready' | 'version' | 'nMoments'>) {
  const { current: study } = storeToRefs(useStudyStore())
  const { moment } = storeToRefs(useViewStore())
  const source = { study, caseId: ready, moment, version }
  const { results, isComputing, wishes, plan, prefetch } = useResults(source)
  const ranges = useRanges({ ...source, plan, nMoments })
  const requests = useRequests(api.stream)

  watch(
    [plan, wishes, ranges.wishes],
    () => {
      if (plan.value) requests.want(plan.value, [...wishes.value, ...ranges.wishes.value])
    },
    { immediate: true },
  )

  /** Asks for something of the study as it is, once. @throws UserError */
  function once(target: Target): Promise<ReadAnswer> {
    return requests.once(plan.value!, target)
  }

  return { results, isComputing, ranges, prefetch, once }
}

export type Evaluated = ReturnType<typeof useEvaluated>
