/** Ranges of variables over whole cases: at one moment, or at all of them. Asked for once and kept. */
import type { VariableRange } from '~~/core/evaluate/range'
import { priorities } from '~~/core/evaluate/plan'
import type { Plan } from '~~/core/evaluate/plan'
import { formatNumber } from '~~/core/colour/ticks'
import { fittingScale, levelsByStep } from '~~/core/colour/scale'
import type { ColourScale } from '~~/core/colour/scale'
import { hasShape } from '~~/core/steps/StepKind'
import { stepKind } from '~~/core/steps'
import { rangeWords } from '~~/core/study/lookWords'
import { isSeen } from '~~/core/study/studyModel'
import { displayIn, inDisplay } from '~~/core/units/quantities'
import type { Look, Study } from '~~/core/study/studyModel'
import type { Wish } from './useRequests'
import type { StepResult } from './useResults'

export interface RangeSource {
  study: Ref<Study | null>
  plan: Ref<Plan | null>
  caseId: Ref<string | null>
  moment: Ref<number | null>
  nMoments: Ref<number>
  version: Ref<unknown>
  /** Range of what is in view of a result. */
  inView(result: StepResult): [number, number] | undefined
  /** Range over all moments; null where there is none, undefined until it is known. */
  overMoments(variable: string): [number, number] | null | undefined
  /** Steps that are seen here. */
  isHere(step: string): boolean
  /** What other panes ask for the same step, with its unit: one range holds for all of them. */
  elsewhere(look: Look, step: string): { range: AskedRange; unit: string | null }[]
  /** Told apart from those of others by this. */
  prefix: string
}

/** Ends of a range as a look asks for it. */
export interface AskedRange {
  min: number
  max: number
  words: string
  isReady: boolean
}

export interface ResolvedRange extends AskedRange {
  /** The same with bands, levels and logarithm. */
  scale: ColourScale
}

const shortNames = new Map<string, string>()

/** Equal for equal texts. */
function shortName(text: string): string {
  let name = shortNames.get(text)
  if (!name) shortNames.set(text, (name = `${shortNames.size}`))
  return name
}

export function useRanges(source: RangeSource) {
  const { study, plan, caseId, moment, nMoments, version, inView, overMoments, isHere, elsewhere, prefix } = source
  /** By text of the wish; null: there is none, because of an error or because no value is finite. */
  const known = shallowRef(new Map<string, [number, number] | null>())

  /** Formulas, bindings and case that a range depends on, as a short name: they are the same for all moments. */
  const base = computed(() =>
    shortName(JSON.stringify([plan.value?.cases, caseId.value, plan.value?.formulas, plan.value?.variables, version.value])),
  )

  function textOf(variable: string, at: number): string {
    return `${base.value} ${at} ${variable}`
  }

  /** Columns of a shape itself, such as the time along a line, exist on that shape only. */
  function isOfCase(variable: string): boolean {
    return Boolean(study.value?.variables[variable] ?? study.value?.formulas[variable])
  }

  /** With one moment its range is that of everything. */
  function isOverAll(mode: Look['range']['mode']): boolean {
    return (mode === 'everything' || mode === 'symmetric') && nMoments.value > 1
  }

  /** Variables of which something seen needs the range: at this moment, or over all of them. */
  const wanted = computed(() => {
    const found = { now: new Set<string>(), all: new Set<string>() }
    const add = (variable: unknown, mode: Look['range']['mode']): void => {
      if (typeof variable !== 'string' || !isOfCase(variable)) return
      if (isOverAll(mode)) found.all.add(variable)
      else if (mode === 'moment' || mode === 'everything' || mode === 'symmetric') found.now.add(variable)
    }
    for (const [id, step] of Object.entries(study.value?.steps ?? {})) {
      const { look, settings } = step
      const kind = stepKind(step.kind)
      if (!isSeen(step) || !hasShape(kind) || !isHere(id)) continue
      if (kind.hasColour && look.variable) add(look.variable, look.range.mode)
      // a value of a variable can be dragged through the range of this moment
      for (const piece of kind.sentence(settings)) if (typeof piece !== 'string' && piece.token === 'number') add(piece.variable, 'moment')
    }
    return found
  })
  const overAll = computed(() => [...wanted.value.all])

  const wishes = computed<Wish[]>(() => {
    const at = moment.value
    if (!plan.value || !caseId.value || at === null) return []
    return [...wanted.value.now].map((variable): Wish => {
      const text = textOf(variable, at)
      const frame = { case: caseId.value!, moment: at }
      return {
        name: `range ${prefix}${variable}`,
        text,
        known: () => known.value.has(text),
        target: () => ({ want: 'range', frame, variable, priority: priorities.seen }),
        apply: ({ answer }) => {
          const { min, max } = answer.json as VariableRange
          put(text, min === null ? null : [min, max!])
        },
        fail: () => put(text, null),
      }
    })
  })

  function put(text: string, range: [number, number] | null): void {
    known.value = new Map(known.value).set(text, range)
  }

  /** Range over the case at this moment, if it is known. */
  function atMoment(variable: string): [number, number] | undefined {
    return moment.value === null ? undefined : (known.value.get(textOf(variable, moment.value)) ?? undefined)
  }

  /** Ends that differ only by rounding are made equal: an isosurface coloured by its own variable has one colour. */
  function resolve(look: Look, result: StepResult | undefined, step?: string): ResolvedRange {
    const range = step === undefined ? asked(look, result) : joined(look, result, step)
    const { min, max } = range
    const isOne = !isGiven(look) && !(max - min > 2e-6 * Math.max(Math.abs(min), Math.abs(max)))
    const ends = isOne ? { min: (min + max) / 2, max: (min + max) / 2 } : { min, max }
    const levels = look.levels ?? (look.bandStep === undefined ? undefined : levelsByStep(look.bandStep, min, max))
    const scale = fittingScale({ ...ends, bands: look.bands, isLog: look.isLog, levels })
    return { ...range, min: scale.min, max: scale.max, scale, ...(look.levels && { words: 'listed levels' }) }
  }

  /** Of all panes that are to have equal colours, in the unit of this one. */
  function joined(look: Look, result: StepResult | undefined, step: string): AskedRange {
    const own = asked(look, result)
    if (isGiven(look)) return own
    const unit = result?.valuesMeta?.unit ?? null
    return elsewhere(look, step).reduce((all, { range, unit: other }) => {
      const to = displayIn(other, unit)
      const { isReady } = range
      const [min, max] = [inDisplay(to, range.min), inDisplay(to, range.max)]
      return { ...all, min: Math.min(all.min, min), max: Math.max(all.max, max), isReady: all.isReady && isReady }
    }, own)
  }

  /** Ends that stay whatever is shown. */
  function isGiven({ range: { mode } }: Look): boolean {
    return mode === 'hand' || mode === 'locked'
  }

  /** The range a look asks for; until a range over the whole case is known, that of the step. */
  function asked(look: Look, result: StepResult | undefined): AskedRange {
    const { mode, min, max } = look.range
    const words = rangeWords[mode]
    if (isGiven(look)) return { min, max, words, isReady: true }
    if (mode === 'symmetric') return symmetric(look, asked({ ...look, range: { ...look.range, mode: 'everything' } }, result))
    const meta = result?.valuesMeta
    const column = mode === 'everything' ? result?.shape?.columns.find(({ name }) => name === look.variable)?.range : undefined
    if (column) return { min: column[0], max: column[1], words, isReady: true }
    const own = mode === 'middle' ? meta?.middle : ((mode === 'view' && result ? inView(result) : undefined) ?? meta?.range)
    const fallback = { min: own?.[0] ?? 0, max: own?.[1] ?? 1, words, isReady: true }
    const hasRange = mode === 'moment' || mode === 'everything'
    if (!hasRange || !look.variable || !plan.value || !caseId.value || !isOfCase(look.variable)) return fallback
    const range = isOverAll(mode) ? overMoments(look.variable) : known.value.get(textOf(look.variable, moment.value ?? 0))
    if (range === undefined) return { ...fallback, isReady: false }
    // what cannot be computed, or has no finite value, has the range of the step
    return range ? { min: range[0], max: range[1], words, isReady: true } : fallback
  }

  function symmetric({ range: { about = 0 } }: Look, range: AskedRange): AskedRange {
    const half = Math.max(Math.abs(range.max - about), Math.abs(range.min - about))
    return { ...range, min: about - half, max: about + half, words: about === 0 ? 'symmetric' : `symmetric about ${formatNumber(about)}` }
  }

  return { resolve, asked, wishes, overAll, atMoment }
}
