/** What the stage draws: the shown steps with their results and looks, and the legends they need. */
import { formatNumber } from '~~/core/colour/ticks'
import { colourTable, rgb } from '~~/core/colour/maps'
import { inCase } from '~~/core/study/perCase'
import { isSeen, ranked } from '~~/core/study/studyModel'
import type { Look, Step } from '~~/core/study/studyModel'
import { stepKind } from '~~/core/steps'
import { inDisplay } from '~~/core/units/quantities'
import { factorBetween } from '~~/core/units/units'
import type { LegendSpec } from '~~/stage/legend'
import type { ArrowMeta } from '~~/core/shapes/Shape'
import type { Drawn } from '~~/core/steps/offers'
import { MOST_LABELLED } from '~~/stage/StageObject'
import type { ArrowLook, Rgb, StageLabel, StageLook, StageMotion, StageObject } from '~~/stage/StageObject'
import type { DrawnAs } from './drawnAs'
import type { StepResult } from './useResults'
import type { PaneBench } from './useWorkbench'

const tables = new Map<string, Uint8Array>()

function tableOf({ map, isReversed }: Look): Uint8Array {
  const key = `${map} ${isReversed ? 'reversed' : ''}`
  let table = tables.get(key)
  if (!table) tables.set(key, (table = colourTable(map, isReversed)))
  return table
}

/** A colour for the stage: null is not drawn. */
function ownColour(colour: string | undefined): Rgb | null | undefined {
  if (colour === undefined || colour === 'hidden') return colour && null
  const [r, g, b] = rgb(colour)
  return [r / 255, g / 255, b / 255]
}

/** Thin lines close to each other would be nothing but rims. */
export function hasHalo({ kind, look }: Step): boolean {
  return look.hasHalo ?? (look.form === 'tube' && stepKind(kind).look?.hasHalo === true)
}

const OUTLINE = ' outline'

/** The step that an object on the stage is of. */
export function stepOf(object: string): string {
  return object.endsWith(OUTLINE) ? object.slice(0, -OUTLINE.length) : object
}

/** As long as the spacing allows, the longest a little more. */
const LONGEST = 1.6

function arrowLook({ length, scale }: NonNullable<Drawn['arrows']>, { longest, spacing }: ArrowMeta): ArrowLook {
  return { length, longest: LONGEST * scale * spacing, largest: longest }
}

function motionOf({ displaced, offset }: DrawnAs, { vectors }: StepResult, lengthUnit: string): StageMotion | null {
  if (!(displaced && vectors)) return offset.every((c) => c === 0) ? null : { key: '', vectors: null, factor: 0, offset }
  return { key: vectors.key, vectors: vectors.values, factor: displaced.factor * factorBetween(vectors.unit, lengthUnit), offset }
}

export function useStageObjects(bench: PaneBench) {
  const { current } = storeToRefs(useStudyStore())
  const study = computed(() => current.value && inCase(current.value, bench.caseId.value))
  const steps = computed(() => ranked(study.value?.steps ?? {}))
  const shown = computed(() => steps.value.filter(([id, step]) => isSeen(step) && bench.evaluated.results.value.get(id)?.geometry))

  const objects = computed<StageObject[]>(() =>
    shown.value.flatMap(([id, step], i) => {
      const result = bench.evaluated.results.value.get(id)!
      const { scale } = bench.evaluated.ranges.resolve(step.look, result, id)
      const look: StageLook = {
        table: step.look.variable && result.values ? tableOf(step.look) : null,
        ...scale,
        low: ownColour(step.look.low),
        high: ownColour(step.look.high),
        blank: ownColour(step.look.blank),
        fade: step.look.fade,
        plain: ownColour(step.look.plain)!,
        opacity: step.look.opacity,
        isLit: stepKind(step.kind).look?.isLit ?? false,
        isSmooth: stepKind(step.kind).look?.isSmooth ?? false,
        edges: step.look.edges,
        width: step.look.width,
        form: step.look.form,
        hasHalo: hasHalo(step),
        isOneSided: step.look.isOneSided,
        thickness: step.look.thickness,
      }
      const drawn = drawnAs(study.value!, id)
      if (drawn.arrows && result.shape?.arrows) look.arrows = arrowLook(drawn.arrows, result.shape.arrows)
      const own = { geometry: result.geometry!, order: i }
      const object: StageObject = {
        ...own,
        id,
        values: step.look.variable ? result.values : null,
        look,
        motion: motionOf(drawn, result, bench.cases.lengthUnit.value),
        labels: labelsOf(step, result),
      }
      return drawn.displaced?.hasOutline && stepKind(step.kind).drawn?.(step.settings).displaced ? [outlineOf(object), object] : [object]
    }),
  )

  /** Numbers in the unit that the study shows. */
  function labelsOf(step: Step, result: StepResult): StageLabel[] {
    const { shape } = result
    if (result.geometry?.kind === 'points') return pointLabelsOf(step.look, result)
    const variable = step.isMuted ? undefined : stepKind(step.kind).drawn?.(step.settings).labels?.variable
    if (variable === undefined) return []
    const to = bench.units.display(bench.variables.unitOf(variable))
    return (shape?.labels ?? []).map(({ value, ...at }) => ({ text: formatNumber(inDisplay(to, value), 4), ...at }))
  }

  function pointLabelsOf({ labels }: Look, { geometry, values, valuesMeta, names, shape }: StepResult): StageLabel[] {
    const n = geometry!.points.length / 3
    if (!labels || shape?.arrows || n > MOST_LABELLED) return []
    const to = bench.units.display(valuesMeta?.unit ?? null)
    const texts = labels === 'name' ? names : values?.place === 'point' ? values.values : null
    const textOf = (text: number | string): string =>
      typeof text === 'string' ? text : formatNumber(inDisplay(to, text + values!.reference), 4)
    if (!texts) return []
    return Array.from<number | string, StageLabel>(texts, (text, p) => ({ text: textOf(text), point: p, next: p })).filter(
      ({ text }) => text,
    )
  }

  /** What was there before it was displaced, as its outline. */
  function outlineOf({ id, geometry, look, motion, order }: StageObject): StageObject {
    const outline = { ...look, table: null, opacity: 0, edges: 'outline' as const }
    return {
      id: `${id}${OUTLINE}`,
      geometry,
      values: null,
      look: outline,
      motion: { ...motion!, key: '', vectors: null, factor: 0 },
      order,
    }
  }

  /** One legend for each variable, map and range in view. */
  const legends = computed<LegendSpec[]>(() => {
    const found = new Map<string, LegendSpec>()
    for (const [id, { look }] of shown.value) {
      const result = bench.evaluated.results.value.get(id)!
      const meta = result.valuesMeta
      if (!look.variable || !meta) continue
      const options = study.value!.legends?.[look.variable]
      if (options?.isHidden) continue
      const { scale, words, isReady } = bench.evaluated.ranges.resolve(look, result, id)
      const { map, isReversed, low, high } = look
      const key = JSON.stringify([meta.name, meta.unit, map, isReversed, scale, low, high])
      const known = found.get(key)
      const own: [number, number] | null = meta.range[0] === null ? null : [meta.range[0], meta.range[1]!]
      const seen: LegendSpec['seen'] =
        known?.seen && own ? [Math.min(known.seen[0], own[0]), Math.max(known.seen[1], own[1])] : (known?.seen ?? own)
      found.set(key, {
        ...options,
        ...{ variable: look.variable, steps: [...(known?.steps ?? []), id], name: meta.name, unit: meta.unit },
        ...{ range: words, map, isReversed, scale, low, high, seen, isReady },
        isOfMoment: isOfMoment(look),
      })
    }
    return [...found.values()].map(inStudyUnit)
  })

  function isOfMoment({ range, levels }: Look): boolean {
    return !levels && !['everything', 'symmetric', 'hand', 'locked'].includes(range.mode)
  }

  function inStudyUnit(spec: LegendSpec): LegendSpec {
    const to = bench.units.display(spec.unit)
    if (!to) return spec
    const turn = (x: number): number => inDisplay(to, x)
    const { scale, seen } = spec
    const levels = scale.levels?.map(turn)
    return {
      ...spec,
      ...(spec.ticks && { ticks: spec.ticks.map(turn) }),
      unit: to.unit,
      scale: { ...scale, min: turn(scale.min), max: turn(scale.max), ...(levels && { levels }) },
      seen: seen && [turn(seen[0]), turn(seen[1])],
    }
  }

  /** What must be known to read the drawing. */
  const remarks = computed(() =>
    shown.value.flatMap(([id, step]) => {
      const { displaced, offset, arrows } = drawnAs(study.value!, id)
      const meta = bench.evaluated.results.value.get(id)?.shape?.arrows
      const lines: string[] = []
      if (arrows && meta) {
        const longest = bench.units.shown(meta.longest, meta.unit, 4)
        lines.push(`${step.name}: ${meta.name}, ${arrows.length === 'equal' ? 'all equally long' : `the longest is ${longest}`}`)
      }
      if (stepKind(step.kind).drawn && displaced && displaced.factor !== 1)
        lines.push(`${step.name}: drawn displaced ${formatNumber(displaced.factor)} times over`)
      if (offset.some((c) => c !== 0)) lines.push(`${step.name}: drawn aside`)
      const { thickness, form } = step.look
      if (thickness !== undefined && bench.evaluated.results.value.get(id)?.geometry?.kind === 'lines') {
        const what = form === 'tube' ? 'tubes' : form === 'ribbon' ? 'ribbons' : 'lines'
        lines.push(`${step.name}: ${what} ${bench.units.shown(thickness, bench.cases.lengthUnit.value || null, 4)} wide`)
      }
      return lines
    }),
  )

  /** Names of shown steps whose picture is not up to date. */
  const computing = computed(() =>
    steps.value.flatMap(([id, s]) => {
      const result = bench.evaluated.results.value.get(id)
      if (!isSeen(s) || !result?.isStale) return []
      return [result.progress ? `${s.name} (${Math.floor(100 * result.progress)} %)` : s.name]
    }),
  )

  return { objects, legends, remarks, computing }
}
