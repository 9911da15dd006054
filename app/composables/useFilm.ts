/** What a film goes through: moments, a turn of the view, values of a setting, or several of them in order. */
import { until } from '@vueuse/core'
import { formatNumber } from '~~/core/colour/ticks'
import { settingAt } from '~~/core/evaluate/frames'
import { withValue } from '~~/core/fields/formula/constant'
import { stepKind } from '~~/core/steps'
import type { Film, FilmLeg } from '~~/core/study/film'
import { valuesOf } from '~~/core/study/over'
import type { ValuesAxis } from '~~/core/study/over'
import { isSeen, plainCopy, putOptional, ranked } from '~~/core/study/studyModel'
import type { Step } from '~~/core/study/studyModel'
import { parseUnit } from '~~/core/units/units'
import type { LegendSpec } from '~~/stage/legend'
import type { Stage } from '~~/stage/Stage'

/** One picture: what is seen then, and what is said of it. */
export interface FilmFrame {
  show(): void
  caption: string
  /** Where it is on an axis of time or of a setting. */
  at?: { value: number; unit: string | null; leg: FilmLeg }
}

/** Pictures of a whole turn. */
const TURN_PICTURES = 72
const VALUE_PICTURES = 50
const NEW: Omit<Film, 'legs'> = { format: 'mp4', size: [1280, 720], rate: 10, hasLegend: true, hasCaption: true }
/** A range over all moments may have to read them all first. */
const RANGE_MS = 120_000

export function useFilm() {
  const bench = useBench()
  const { document } = storeToRefs(bench.store)
  /** As it was chosen in the study; parts whose steps are gone are left out. */
  const film = computed<Film>(() => {
    const kept = document.value?.film
    const legs = kept?.legs.filter((leg) => leg.is !== 'values' || isThere(leg)) ?? []
    return { ...NEW, ...kept, legs: legs.length ? legs : [firstLeg()] }
  })
  const legs = computed(() => film.value.legs)

  function isThere(leg: FilmLeg & { is: 'values' }): boolean {
    return Boolean('formula' in leg ? document.value?.formulas[leg.formula] : document.value?.steps[leg.step])
  }

  function set(change: { [K in keyof Film]?: Film[K] | undefined }): void {
    const next = plainCopy(film.value) as Film
    putOptional(next, change)
    void bench.store.edit('Settings of the film', (study) => void (study.film = next))
  }

  function firstLeg(): FilmLeg {
    return bench.cases.nMoments.value > 1 ? { is: 'moments', between: 0 } : newTurn()
  }

  function newTurn(): FilmLeg {
    return { is: 'turn', degrees: 360, count: TURN_PICTURES }
  }

  /** What one can begin with, by a name of its own. */
  const choices = computed<{ key: string; label: string; leg: FilmLeg }[]>(() => [
    ...(bench.cases.nMoments.value > 1 ? [{ key: 'moments', label: 'the moments', leg: { is: 'moments', between: 0 } as const }] : []),
    { key: 'turn', label: 'a turn of the view', leg: newTurn() },
    ...ranked(document.value?.steps ?? {}).flatMap(([id, step]) => (isSeen(step) ? bench.over.settingsOf(id).map(choiceOf) : [])),
    ...bench.over.constants().map(choiceOf),
  ])

  function choiceOf({ axis, label }: { axis: ValuesAxis; label: string }) {
    return { key: keyOf(axis), label, leg: { ...axis, count: VALUE_PICTURES } }
  }

  function keyOf(leg: FilmLeg): string {
    if (leg.is !== 'values') return leg.is
    return 'formula' in leg ? `=${leg.formula}` : `${leg.step}.${leg.setting}`
  }

  function countOf(leg: FilmLeg): number {
    if (leg.is !== 'moments') return leg.count
    const n = bench.cases.momentsToPlay.value.length
    return n + leg.between * Math.max(0, n - 1)
  }

  function framesOf(leg: FilmLeg, stage: Stage): FilmFrame[] {
    if (leg.is === 'moments') return momentFrames(leg)
    if (leg.is === 'turn') {
      // a whole turn ends one picture before it began, so that it can be played round and round
      const step = leg.degrees / (Math.abs(leg.degrees) % 360 === 0 ? leg.count : Math.max(1, leg.count - 1))
      return Array.from({ length: leg.count }, (_, i) => ({ show: () => i > 0 && stage.eye.turn('z', step), caption: '' }))
    }
    const unit = bench.over.unitOf(leg)
    return sweepOf(leg).map((value) => ({
      show: () => ('formula' in leg ? showConstant(leg.formula, value) : showSetting(leg, value)),
      caption: `${bench.over.nameOf(leg)} = ${formatNumber(value, 4)}${unit && unit !== '1' ? ` ${unit}` : ''}`,
      at: { value, unit, leg },
    }))
  }

  function showSetting({ step, setting }: { step: string; setting: string }, value: number): void {
    const own = bench.store.document?.steps[step]
    const change = own && settingAt(own.settings, setting, value)
    bench.store.staged = { ...bench.store.staged, [step]: { ...bench.store.staged[step], ...change } }
  }

  function showConstant(formula: string, value: number): void {
    const text = bench.store.document?.formulas[formula]?.text
    if (text) bench.store.stagedTexts = { ...bench.store.stagedTexts, [formula]: withValue(text, value) }
  }

  /** Between moments what follows paths goes on; all else is as at the moment before. */
  function momentFrames(leg: FilmLeg & { is: 'moments' }): FilmFrame[] {
    const { between } = leg
    const moments = bench.cases.momentsToPlay.value
    const all = bench.cases.catalogue.value?.moments ?? []
    return moments.flatMap((moment, i) => {
      const own: FilmFrame = {
        show: () => {
          bench.view.moment = moment
          bench.store.staged = withoutTimes(bench.store.staged)
        },
        caption: bench.cases.momentLabel(moment),
        ...(all[moment]?.value != null && { at: { value: all[moment].value, unit: all[moment].unit, leg } }),
      }
      const [now, next] = [all[moment], all[moments[i + 1] ?? -1]]
      if (now?.value == null || next?.value == null) return [own]
      const factor = parseUnit(now.unit ?? '')?.factor ?? 1
      const steps = Array.from({ length: between }, (_, n): FilmFrame => {
        const time = now.value! + ((next.value! - now.value!) * (n + 1)) / (between + 1)
        const at = { value: time, unit: now.unit, leg }
        return { show: () => showTimes(factor * time), caption: `t = ${formatNumber(time, 5)} ${now.unit ?? ''}`, at }
      })
      return [own, ...steps]
    })
  }

  function timed(time: number): [string, Step['settings']][] {
    return Object.entries(document.value?.steps ?? {}).flatMap(([id, { kind, settings }]) => {
      const found = stepKind(kind).atTime?.(settings, time)
      return found ? [[id, found] as [string, Step['settings']]] : []
    })
  }

  function showTimes(time: number): void {
    bench.store.staged = { ...bench.store.staged, ...Object.fromEntries(timed(time)) }
  }

  function withoutTimes(staged: Readonly<Record<string, Step['settings']>>): Record<string, Step['settings']> {
    const own = new Set(timed(0).map(([id]) => id))
    return Object.fromEntries(Object.entries(staged).filter(([id]) => !own.has(id)))
  }

  /** From one end to the other, or there and back as something swings: then it can be played round and round. */
  function sweepOf(leg: FilmLeg & { is: 'values' }): number[] {
    const { from, to, count: n } = leg
    if (!leg.isBack) return valuesOf(leg)
    return Array.from({ length: n }, (_, i) => from + ((to - from) * (1 - Math.cos((2 * Math.PI * i) / n))) / 2)
  }

  const count = computed(() => legs.value.reduce((sum, leg) => sum + countOf(leg), 0))

  /**
   * Goes through all of it, each picture when everything in it is there; what is seen is as before afterwards.
   *
   * @param legends  those that must be known
   */
  async function run(stage: Stage, legends: () => readonly LegendSpec[], signal: AbortSignal, take: Take): Promise<void> {
    const before = { moment: bench.view.moment, camera: stage.eye.cameraState() }
    try {
      let done = 0
      for (const leg of legs.value) {
        for (const frame of framesOf(leg, stage)) {
          frame.show()
          await nextTick()
          await until(bench.evaluated.isComputing).toBe(false)
          await until(() => legends().every((legend) => legend.isReady)).toBe(true, { timeout: RANGE_MS })
          // one more turn, so that the stage has what was computed
          await nextTick()
          signal.throwIfAborted()
          await take(frame, ++done)
        }
      }
    } finally {
      bench.store.staged = {}
      bench.store.stagedTexts = {}
      bench.view.moment = before.moment
      stage.eye.setCamera(before.camera)
    }
  }

  return { film, set, legs, choices, keyOf, countOf, count, newTurn, run }
}

/** @param done  pictures so far, this one included */
type Take = (frame: FilmFrame, done: number) => Promise<void>
