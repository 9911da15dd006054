/** What is done to a legend, and through it to all looks that it explains. Values are those of the file, whatever unit is shown. */
import { scaleTicks, valueAt } from '~~/core/colour/scale'
import { ticks } from '~~/core/colour/ticks'
import { coloursOf, plainCopy, putOptional } from '~~/core/study/studyModel'
import type { LegendOptions, Look } from '~~/core/study/studyModel'
import { fromDisplay } from '~~/core/units/quantities'
import type { LegendSpec } from '~~/stage/legend'
import type { Workbench } from './useWorkbench'

/** Levels to begin with. */
const LEVELS = 9

export function useLegendActs(bench: Workbench, spec: () => LegendSpec) {
  const { store } = bench

  /** @param change  undefined takes out what is optional */
  function change(own: { [K in keyof LegendOptions]?: LegendOptions[K] | undefined }, title = 'Change the legend'): void {
    const { variable, name } = spec()
    void store.edit(`${title} of ${name}`, (study) => {
      const legends = (study.legends ??= {})
      putOptional((legends[variable] ??= {}), own)
    })
  }

  /** Changes all looks that the legend explains. */
  function changeLooks(title: string, apply: (look: Look) => void): void {
    const { steps, name } = spec()
    void store.edit(`${title} of ${name}`, (study) => {
      for (const id of steps) if (study.steps[id]) apply(study.steps[id].look)
    })
  }

  /** In the unit of the file. */
  function stored(value: number): number {
    const { steps } = spec()
    const meta = bench.evaluated.results.value.get(steps[0] ?? '')?.valuesMeta
    return fromDisplay(bench.units.display(meta?.unit ?? null), value)
  }

  function setLevels(levels: readonly number[], title: string): void {
    keepLevels(levels.map(stored), title)
  }

  /** @param levels  in the unit of the file */
  function keepLevels(levels: readonly number[], title: string): void {
    const own = [...new Set(levels)].sort((a, b) => a - b)
    if (own.length < 2) return
    changeLooks(title, (look) => {
      look.levels = plainCopy(own)
      delete look.bandStep
    })
  }

  /** The value at a share of the bar, as round as the bar is long. */
  function valueOn(share: number): number {
    const { scale } = spec()
    const { levels } = scale
    const digits = (x: number): number => Number(x.toPrecision(3))
    if (!levels) return digits(valueAt(share, scale))
    const at = share * (levels.length - 1)
    const i = Math.min(Math.floor(at), levels.length - 2)
    return digits(levels[i]! + (at - i) * (levels[i + 1]! - levels[i]!))
  }

  /** Levels that a legend without any would have. */
  function begun(): number[] {
    const { scale } = spec()
    if (scale.levels) return [...scale.levels]
    const round = [...new Set([scale.min, ...ticks(scale.min, scale.max, LEVELS - 1), scale.max])]
    return scale.isLog ? Array.from({ length: LEVELS }, (_, i) => Number(valueAt(i / (LEVELS - 1), scale).toPrecision(3))) : round
  }

  /** Ticks that a legend has by itself, in the unit of the file. */
  function roundTicks(): number[] {
    const { scale, nTicks } = spec()
    return scaleTicks(scale, nTicks ?? 5).map(stored)
  }

  function moveLevel(index: number, share: number): void {
    const levels = begun()
    levels[index] = valueOn(share)
    setLevels(levels, 'Move a level')
  }

  function addLevel(share: number): void {
    setLevels([...begun(), valueOn(share)], 'Add a level')
  }

  function removeLevel(index: number): void {
    const levels = begun()
    if (levels.length > 2)
      setLevels(
        levels.filter((_, i) => i !== index),
        'Take out a level',
      )
  }

  function clearLevels(): void {
    changeLooks('Smooth colours', (look) => {
      delete look.levels
      delete look.bandStep
    })
  }

  /** The same colours for the same values wherever the variable is shown: in all steps, at all moments, in all cases. */
  function lock(): void {
    const { variable, steps, scale, name } = spec()
    const range = { mode: 'locked' as const, min: stored(scale.min), max: stored(scale.max) }
    const colours = { ...coloursOf(bench.document.value!.steps[steps[0]!]!.look), range }
    void store.edit(`Lock the colours of ${name}`, (study) => {
      for (const { look } of Object.values(study.steps)) if (look.variable === variable) putOptional(look, colours)
    })
  }

  function unlock(): void {
    const { variable, name } = spec()
    void store.edit(`Unlock the colours of ${name}`, (study) => {
      for (const { look } of Object.values(study.steps))
        if (look.variable === variable && look.range.mode === 'locked') look.range.mode = 'hand'
    })
  }

  return { change, roundTicks, setLevels, keepLevels, begun, moveLevel, addLevel, removeLevel, lock, unlock, clearLevels }
}
