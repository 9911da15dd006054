/**
 * Results of the steps that are seen in a pane, on its case and moment. Until the answer to a change is there the old result counts as
 * stale. Hidden and muted steps have none.
 */
import type { Part } from '~~/core/case/catalogue'
import type { ReadAnswer, ValuesAnswer } from '~~/core/evaluate/answers'
import type { ShapeMeta, ValuesMeta } from '~~/core/evaluate/pictures'
import { hadAfter, wordsOf } from '~~/core/evaluate/chunks'
import type { HadPicture } from '~~/core/evaluate/chunks'
import { priorities } from '~~/core/evaluate/plan'
import type { Plan, Target } from '~~/core/evaluate/plan'
import { readingOf } from '~~/core/measure/results'
import type { PlainCurve, Reading } from '~~/core/measure/results'
import { stepKind } from '~~/core/steps'
import { hasShape } from '~~/core/steps/StepKind'
import { caseOfStep } from '~~/core/study/bindings'
import { inputsOf } from '~~/core/study/check'
import { inCase } from '~~/core/study/perCase'
import { isSeen, ranked } from '~~/core/study/studyModel'
import type { Step, Study } from '~~/core/study/studyModel'
import type { StageGeometry, StageValues } from '~~/stage/StageObject'
import { rootOf } from './drawnAs'
import type { Wish } from './useRequests'

export interface StepResult {
  geometry: StageGeometry | null
  shape: ShapeMeta | null
  values: StageValues | null
  valuesMeta: ValuesMeta | null
  /** What the file calls the points; null where it does not name them. */
  names: string[] | null
  /** Of a shape that is sent in chunks: what comes next is put together with it. */
  had: HadPicture | null
  /** What displaces it where it is drawn. */
  vectors: { key: string; values: Float32Array; unit: string | null } | null
  reading: Reading | null
  curve: PlainCurve | null
  error: string | null
  /** What the error is about, for those who mend it; `colour`: the variable that it is coloured by. */
  problem: string | null
  isStale: boolean
  /** Share of a long computation that is done. */
  progress?: number
}

const empty: StepResult = {
  geometry: null,
  shape: null,
  values: null,
  valuesMeta: null,
  names: null,
  had: null,
  vectors: null,
  reading: null,
  curve: null,
  error: null,
  problem: null,
  isStale: true,
}

type PictureArrays = Pick<StageGeometry, 'points' | 'elements' | 'cells' | 'vectors'> & Partial<NonNullable<StageGeometry['texture']>>

export interface ResultSource {
  study: Ref<Study | null>
  plan: Ref<Plan | null>
  caseId: Ref<string | null>
  /** null: there is none, and nothing to be seen */
  moment: Ref<number | null>
  /** Raised when something outside the study changes results, such as a unit of a case. */
  version: Ref<unknown>
  /** Of another case of the study. */
  partsOf: (caseId: string) => readonly Part[]
  /** What lengths of another case are multiplied by to be lengths of this one. */
  lengthsIn: (caseId: string) => number
  /** Which steps that are shown are seen here. */
  isHere: (step: string) => boolean
  /** Numbers and curves besides what is drawn. */
  hasNumbers: Ref<boolean>
  /** Told apart from those of others by this. */
  prefix: string
}

/** Answers kept for moments that have not been looked at yet. */
const KEPT_AHEAD = 60

export function useResults({ study, plan, caseId, moment, version, partsOf, lengthsIn, isHere, hasNumbers, prefix }: ResultSource) {
  const results = shallowRef(new Map<string, StepResult>())
  const ahead = shallowRef<number | null>(null)
  /** Values at the moment ahead, by the text of the wish that will want them. */
  const early = new Map<string, ReadAnswer>()

  function put(id: string, change: Partial<StepResult>): void {
    const next = new Map(results.value)
    next.set(id, { ...(next.get(id) ?? empty), ...change })
    results.value = next
  }

  const seen = computed(() => {
    const isWanted = (id: string, { kind }: Step): boolean => (hasShape(stepKind(kind)) ? isHere(id) : hasNumbers.value)
    return study.value ? ranked(study.value.steps).filter(([id, step]) => isSeen(step) && !step.over && isWanted(id, step)) : []
  })

  const wishes = computed<Wish[]>(() => {
    const now = study.value
    if (!now || !caseId.value || moment.value === null) return []
    const at = moment.value
    const own = seen.value.map(([id, step]) => stepWish(now, id, step, at))
    if (ahead.value === null || ahead.value === at) return own
    return [...own, ...seen.value.flatMap(([id, step]) => aheadWish(now, id, step, ahead.value!))]
  })

  /** What the results of all steps depend on. */
  const common = computed(() => {
    const { steps: _steps, ...rest } = plan.value ?? { steps: {} }
    return JSON.stringify([rest, caseId.value, version.value])
  })

  /** What the result of a step depends on: itself and its inputs, formulas and bindings, case and moment. */
  function textOf(now: Study, id: string, step: Step, at: number): string {
    const own = [id, ...inputsOf(now, id)].map((other) => [other, plan.value!.steps[other]])
    const colour = stepKind(step.kind).hasColour ? step.look.variable : null
    return `${JSON.stringify([own, colour, vectorsOf(now, id), at])} ${common.value}`
  }

  function vectorsOf(now: Study, id: string): string | undefined {
    return drawnAs(inCase(now, caseId.value), id).displaced?.variable
  }

  /** Names of the points of the part that a step begins with, and the variable that tells which one a point has. */
  function labelsOf(now: Study, id: string, own: string): { texts: string[]; variable: string } | undefined {
    const root = now.steps[rootOf(now, id)]
    const [ref] = root?.inputs[stepKind(root.kind).inputs[0]?.name ?? ''] ?? []
    const part = ref && 'part' in ref ? now.parts[ref.part]?.binding[own]?.[0] : undefined
    const labels = part === undefined ? undefined : partsOf(own).find(({ name }) => name === part)?.labels
    const variable = labels && Object.keys(now.variables).find((one) => now.variables[one]!.binding[own]?.field === labels.by)
    return variable === undefined ? undefined : { texts: labels!.texts, variable }
  }

  function targetOf(now: Study, id: string, step: Step, at: number): Target {
    const kind = stepKind(step.kind)
    const own = caseOfStep(now, id, caseId.value!)
    const frame = { case: own, moment: own === caseId.value ? at : 0 }
    if (!hasShape(kind)) return { want: 'outcome', step: id, frame, priority: priorities.exhibit }
    const numbers = labelsOf(now, id, own)?.variable
    const variables = [...new Set([kind.hasColour ? step.look.variable : null, numbers].filter((one): one is string => !!one))]
    const { geometry, had } = results.value.get(id) ?? empty
    const have = geometry && { have: geometry.key, ...(had && wordsOf(had)) }
    const vectors = vectorsOf(now, id)
    return { want: 'picture', step: id, frame, variables, ...(vectors && { vectors }), ...have, priority: priorities.seen }
  }

  function stepWish(now: Study, id: string, step: Step, at: number): Wish {
    const text = textOf(now, id, step, at)
    return {
      name: `${prefix}${id}`,
      text,
      known: () => takeEarly(id, text, step),
      target: () => targetOf(now, id, step, at),
      had: () => results.value.get(id)?.had ?? undefined,
      apply: (answer, isLatest) => {
        take(id, step, answer)
        if (isLatest) put(id, { isStale: false })
      },
      fail: (error, isLatest) => {
        if (isLatest) put(id, { ...empty, error: error.message, problem: error.code, isStale: false })
      },
      progress: (progress) => put(id, { progress }),
    }
  }

  function aheadWish(now: Study, id: string, step: Step, at: number): Wish[] {
    if (!hasShape(stepKind(step.kind)) || !results.value.get(id)?.geometry) return []
    const text = textOf(now, id, step, at)
    return [
      {
        name: `ahead ${prefix}${id}`,
        text,
        target: () => ({ ...targetOf(now, id, step, at), priority: priorities.ahead }),
        had: () => results.value.get(id)?.had ?? undefined,
        apply: (answer) => {
          early.set(text, answer)
          if (early.size > KEPT_AHEAD) early.delete(early.keys().next().value!)
        },
        // a failure is reported when that moment itself is requested
        fail: () => undefined,
      },
    ]
  }

  function take(id: string, step: Step, { answer, shape, values, vectors }: ReadAnswer): void {
    if (answer.shape) {
      // values that were asked for ahead may be on a shape that is not shown any more
      if (!shape && results.value.get(id)?.geometry?.key !== answer.shape.key) return
      takePicture(id, answer, shape, values, vectors)
      return
    }
    const { reading } = stepKind(step.kind)
    put(id, { ...(reading ? { reading: readingOf(answer.json) } : { curve: answer.json as PlainCurve }), error: null, problem: null })
  }

  function takePicture(
    id: string,
    answer: ReadAnswer['answer'],
    shape: ReadAnswer['shape'],
    packets: ReadAnswer['values'],
    moved: ReadAnswer['vectors'],
  ): void {
    const own = study.value ? caseOfStep(study.value, id, caseId.value!) : caseId.value!
    const labels = study.value ? labelsOf(study.value, id, own) : undefined
    const coloured = study.value?.steps[id]?.look.variable
    const values = answer.values?.find(({ variable }) => variable === coloured || variable !== labels?.variable)
    const failed = [values, answer.vectors].find((entry) => entry && 'error' in entry)
    if (failed && 'error' in failed) {
      // its columns are still known, so that one of them can be taken instead
      const known = shape?.meta ?? results.value.get(id)?.shape ?? null
      put(id, { ...empty, shape: known, error: failed.error.message, problem: failed === values ? 'colour' : failed.error.code })
      return
    }
    const change: Partial<StepResult> = { error: null, problem: null, values: null, valuesMeta: null, vectors: null }
    if (moved) {
      if (moved.meta.place !== 'point' || moved.meta.components !== 3) {
        put(id, {
          ...empty,
          problem: 'not-vector',
          error: `“${moved.meta.name}” is no vector at points, so nothing is drawn displaced by it; choose another, or smooth it.`,
        })
        return
      }
      const { key, unit } = answer.vectors as ValuesAnswer
      change.vectors = markRaw({ key, unit, values: moved.arrays['values'] as Float32Array })
    }
    if (shape) {
      const { kind, origin } = shape.meta
      const { texels, places, ...arrays } = shape.arrays as unknown as PictureArrays
      const [width, height] = shape.meta.texture ?? [0, 0]
      change.shape = shape.meta
      const scale = own === caseId.value ? 1 : lengthsIn(own)
      if (scale !== 1) arrays.points = arrays.points.map((x) => scale * x)
      change.geometry = markRaw({
        key: answer.shape!.key,
        kind,
        origin: origin.map((x) => scale * x),
        ...arrays,
        ...(texels && { texture: { width, height, texels, places: places! } }),
      })
    }
    const packet = values && packets.get(values.variable)
    if (packet && 'key' in values) {
      const { reference, place } = packet.meta
      // a column of the shape itself has its own unit
      const isColumn = !study.value?.variables[values.variable] && !study.value?.formulas[values.variable]
      change.valuesMeta = isColumn ? packet.meta : { ...packet.meta, name: values.name, unit: values.unit }
      change.values = markRaw({ key: values.key, values: packet.arrays['values'] as Float32Array, reference, place })
    }
    const numbers = labels && packets.get(labels.variable)
    const had = hadAfter({ answer, shape, values: packets, vectors: moved }, results.value.get(id)?.had)
    change.had = had && markRaw(had)
    change.names = numbers ? Array.from(numbers.arrays['values']!, (x) => labels.texts[x + numbers.meta.reference - 1] ?? '') : null
    put(id, change)
  }

  /** Marks results of changed wishes as stale, uses known answers, and drops results of hidden steps. */
  const shownTexts = new Map<string, string>()
  watch(
    wishes,
    (list) => {
      const current = new Set(list.map(({ name }) => name.slice(prefix.length)))
      const gone = [...results.value.keys()].filter((id) => !current.has(id))
      if (gone.length) results.value = new Map([...results.value].filter(([id]) => current.has(id)))
      for (const id of gone) shownTexts.delete(id)
      for (const wish of list) {
        const id = wish.name.slice(prefix.length)
        if (wish.name.startsWith('ahead ') || shownTexts.get(id) === wish.text) continue
        shownTexts.set(id, wish.text)
        put(id, { isStale: true, progress: 0 })
      }
    },
    { immediate: true, flush: 'sync' },
  )

  /** Uses a prefetched answer, which is then dropped. */
  function takeEarly(id: string, text: string, step: Step): boolean {
    const answer = early.get(text)
    if (!answer) return false
    early.delete(text)
    // values on a shape that is not here are of no use
    const isUsable = answer.shape !== undefined || results.value.get(id)?.geometry?.key === answer.answer.shape?.key
    if (!isUsable) return false
    take(id, step, answer)
    put(id, { isStale: false })
    return true
  }

  /** Asks for the seen steps at another moment before they are wanted. Nothing is shown of it yet. */
  function prefetch(at: number): void {
    ahead.value = at
  }

  const isComputing = computed(() => [...results.value.values()].some((result) => result.isStale))
  return { results, isComputing, wishes, prefetch }
}
