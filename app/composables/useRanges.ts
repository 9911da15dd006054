/** Ranges of variables over whole cases: at one moment, or at all of them. Asked for once and kept. */
import { makePlan } from '~~/core/study/makePlan'
import type { Look, Study } from '~~/core/study/studyModel'
import type { StepResult } from './useResults'

export interface RangeSource {
  study: Ref<Study | null>
  caseId: Ref<string | null>
  moment: Ref<number>
  nMoments: Ref<number>
  version: Ref<unknown>
}

export interface ResolvedRange {
  min: number
  max: number
  words: string
  isReady: boolean
}

export const rangeWords: Record<Look['range']['mode'], string> = {
  everything: 'everything',
  moment: 'this moment',
  step: 'this step',
  middle: 'middle 98 %',
  hand: 'by hand',
}

export function useRanges({ study, caseId, moment, nMoments, version }: RangeSource) {
  const known = shallowRef(new Map<string, [number, number] | null>())

  function whole(step: string, variable: string, at: number): [number, number] | null | undefined {
    const now = study.value!
    const plan = makePlan({ study: now, caseId: caseId.value!, moment: at, step, variable })
    const key = JSON.stringify([plan.case, at, plan.variable, plan.formulas, plan.fields, version.value])
    if (!known.value.has(key)) {
      known.value.set(key, null)
      void api
        .json<{ min: number | null; max: number | null }>('/api/evaluate', { plan: { ...plan, steps: {} }, wanted: { what: 'range', moments: [at] }, slot: null })
        .then(({ min, max }) => (known.value = new Map(known.value).set(key, min === null ? null : [min, max!])))
        .catch(() => undefined)
    }
    return known.value.get(key)
  }

  /** Ends that differ by rounding alone are one value: an isosurface coloured by its own variable has one colour. */
  function resolve(step: string, look: Look, result: StepResult | undefined): ResolvedRange {
    const range = asked(step, look, result)
    const { min, max } = range
    if (look.range.mode === 'hand' || max - min > 2e-6 * Math.max(Math.abs(min), Math.abs(max))) return range
    return { ...range, min: (min + max) / 2, max: (min + max) / 2 }
  }

  /** The range a look asks for; until a range over the whole case is known, that of the step. */
  function asked(step: string, look: Look, result: StepResult | undefined): ResolvedRange {
    const { mode, min, max } = look.range
    const words = rangeWords[mode]
    if (mode === 'hand') return { min, max, words, isReady: true }
    const meta = result?.valuesMeta
    const own = mode === 'middle' ? meta?.middle : meta?.range
    const fallback = { min: own?.[0] ?? 0, max: own?.[1] ?? 1, words, isReady: true }
    if (mode === 'step' || mode === 'middle' || !look.variable || !study.value || !caseId.value) return fallback
    // columns of the shape itself, such as the time along a line, exist on this step only
    if (!study.value.variables[look.variable] && !study.value.formulas[look.variable]) return fallback
    const moments = mode === 'moment' ? [moment.value] : Array.from({ length: nMoments.value }, (_, m) => m)
    const found = moments.map((m) => whole(step, look.variable!, m))
    if (found.some((range) => !range)) return { ...fallback, isReady: false }
    return { min: Math.min(...found.map((r) => r![0])), max: Math.max(...found.map((r) => r![1])), words, isReady: true }
  }

  return { resolve }
}
