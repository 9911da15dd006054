/** What readings and curves can be taken over, and the tables that come of it. */
import { isTableCase } from '~~/core/case/catalogue'
import type { OverTable, TableAxis, TableRow } from '~~/core/evaluate/overTable'
import { readConstant } from '~~/core/fields/formula/constant'
import { readingOf } from '~~/core/measure/results'
import { axisName, direction, dot } from '~~/core/mesh/vectors'
import type { Vector } from '~~/core/mesh/vectors'
import { stepKind } from '~~/core/steps'
import { isPlainQuantity, unitOfNumbers } from '~~/core/steps/offers'
import type { SentencePiece } from '~~/core/steps/offers'
import { inputsOf } from '~~/core/study/check'
import { caseBox } from '~~/core/study/defaults'
import { overWords } from '~~/core/study/over'
import type { OverAxis, ValuesAxis } from '~~/core/study/over'
import { quantityText } from '~~/core/study/sentenceText'
import type { SentenceWords } from '~~/core/study/sentenceText'
import { ranked } from '~~/core/study/studyModel'
import type { Step } from '~~/core/study/studyModel'
import type { Evaluated } from './useEvaluated'
import type { StudyCases } from './useStudyCases'
import type { Variables } from './useVariables'

export interface OverChoice {
  axis: OverAxis
  label: string
  hint: string
}

interface Around {
  cases: StudyCases
  evaluated: Pick<Evaluated, 'ranges' | 'jobs'>
  variables: Variables
  wordsOf: (id: string) => SentenceWords
}

/** Values of a setting to begin with. */
const COUNT = 20

type SettingAxis = Exclude<ValuesAxis, { formula: string }>

const short = (x: number): number => Number(x.toPrecision(3))

export function useOver({ cases, evaluated, variables, wordsOf }: Around) {
  const { document, current } = storeToRefs(useStudyStore())

  /** Everything that a step can be taken over: moments, cases, and settings of its own or of what it is made of. */
  function choices(id: string): OverChoice[] {
    const study = current.value!
    const found: OverChoice[] = []
    if (cases.nMoments.value > 1) found.push({ axis: { is: 'moments' }, label: overWords.moments, hint: `${cases.nMoments.value} moments` })
    const nCases = Object.keys(study.cases).filter((id) => !isTableCase(cases.catalogues.value.get(id) ?? { format: '' })).length
    if (nCases > 1) found.push({ axis: { is: 'cases' }, label: overWords.cases, hint: `${nCases} cases` })
    const steps = ranked(study.steps).filter(([other]) => other === id || inputsOf(study, id).has(other))
    // what only the drawing uses changes no number
    const ofSteps = steps.flatMap(([step, { kind }]) =>
      settingsOf(step).filter(({ axis }) => !stepKind(kind).drawnSettings?.includes(axis.setting)),
    )
    return [...found, ...ofSteps.map((choice) => ({ ...choice, hint: 'values' })), ...constants()]
  }

  /** Formulas that are one number. */
  function constants(): (OverChoice & { axis: ValuesAxis })[] {
    return ranked(current.value!.formulas).flatMap(([formula, { name, text }]) => {
      const own = readConstant(text)
      if (!own) return []
      const isAngle = own.unit === 'deg'
      const [from, to] = isAngle ? [0, 360] : own.value === 0 ? [0, 1] : [short(own.value / 5), short(2 * own.value)]
      return [{ axis: { is: 'values', formula, from, to, count: COUNT }, label: name, hint: 'constant' }]
    })
  }

  /** Settings of a step that are numbers, and planes, each with ends to begin with. */
  function settingsOf(step: string): { axis: SettingAxis; label: string }[] {
    const { kind, settings } = current.value!.steps[step]!
    return stepKind(kind)
      .sentence(settings)
      .flatMap((piece) => {
        const range = typeof piece === 'string' ? undefined : rangeOf(piece, settings)
        if (!range || typeof piece === 'string' || !('setting' in piece || piece.token === 'plane')) return []
        const setting = piece.token === 'plane' ? 'plane' : (piece as { setting: string }).setting
        const axis: SettingAxis = { is: 'values', step, setting, from: range[0], to: range[1], count: COUNT }
        return [{ axis, label: nameOf(axis) }]
      })
  }

  /** Ends to begin with. */
  function rangeOf(piece: Exclude<SentencePiece, string>, settings: Record<string, unknown>): [number, number] | undefined {
    if (piece.token === 'plane') {
      const normal = direction(settings['normal'] as Vector)
      const box = cases.catalogue.value ? caseBox(cases.catalogue.value) : [0, 0, 0, 1, 1, 1]
      const corners = Array.from({ length: 8 }, (_, i) => [0, 1, 2].map((d) => box[d + 3 * ((i >> d) & 1)]!) as Vector)
      const places = corners.map((corner) => dot(normal, corner))
      const [low, high] = [Math.min(...places), Math.max(...places)]
      // at the very ends there is nothing to cut
      return [short(low + 0.02 * (high - low)), short(high - 0.02 * (high - low))]
    }
    if (piece.token !== 'number' || piece.quantity === 'count') return undefined
    const value = Number(settings[piece.setting])
    if (piece.sweep) return [...piece.sweep]
    if (piece.quantity === 'share') return [0, 1]
    if (piece.quantity === 'length' || piece.quantity === 'factor' || piece.quantity === 'unit') return [short(value / 5), short(2 * value)]
    const known = evaluated.ranges.atMoment(piece.variable ?? '')
    return known ? [short(known[0]), short(known[1])] : [0, short(2 * value)]
  }

  /** What takes the values. */
  function nameOf(axis: ValuesAxis): string {
    if ('formula' in axis) return current.value?.formulas[axis.formula]?.name ?? 'a missing constant'
    const { name, settings } = current.value?.steps[axis.step] ?? { name: 'a missing step', settings: {} as Step['settings'] }
    const own = axis.setting === 'plane' ? (axisName(settings['normal'] as Vector)?.replace('-', '') ?? 'position') : axis.setting
    return `${name} ${own}`
  }

  /** Unit of the values of an axis: lengths in that of the case. */
  function unitOf(axis: ValuesAxis): string | null {
    if ('formula' in axis) return readConstant(current.value?.formulas[axis.formula]?.text ?? '')?.unit ?? '1'
    if (axis.setting === 'plane') return cases.lengthUnit.value || null
    const step = current.value?.steps[axis.step]
    const piece =
      step &&
      stepKind(step.kind)
        .sentence(step.settings)
        .find((p) => typeof p !== 'string' && 'setting' in p && p.setting === axis.setting)
    if (!piece || typeof piece === 'string' || piece.token !== 'number') return '1'
    if (isPlainQuantity(piece.quantity)) return '1'
    return unitOfNumbers(piece, cases.lengthUnit.value || null, (variable) => variables.unitOf(variable))
  }

  function isSame(a: OverAxis, b: OverAxis): boolean {
    if (a.is !== 'values' || b.is !== 'values') return a.is === b.is
    if ('formula' in a || 'formula' in b) return 'formula' in a && 'formula' in b && a.formula === b.formula
    return a.step === b.step && a.setting === b.setting
  }

  function axisOf(axis: OverAxis): TableAxis {
    if (axis.is === 'cases') return { name: 'case', unit: '1', isNumber: false }
    if (axis.is === 'values') {
      return { name: nameOf(axis), unit: unitOf(axis), isNumber: true }
    }
    const moments = cases.catalogue.value?.moments ?? []
    const hasValues = moments.every(({ value }) => value !== null)
    return {
      name: hasValues ? (moments[0]?.kind ?? 'moment') : 'moment',
      unit: hasValues ? (moments[0]?.unit ?? '1') : '1',
      isNumber: true,
    }
  }

  function placeOn(axis: OverAxis, at: number, caseId: string): number | string {
    if (axis.is === 'cases') return document.value?.cases[caseId]?.name ?? String(at + 1)
    if (axis.is === 'values') return Number(at.toPrecision(12))
    return cases.catalogues.value.get(caseId)?.moments[at]?.value ?? at + 1
  }

  /** The rows of a step that are there so far. */
  function tableOf(id: string): OverTable | null {
    const step = document.value?.steps[id]
    const job = evaluated.jobs.results.value.get(id)
    if (!step?.over || !job) return null
    const axes = step.over.map(axisOf)
    const rows = job.frames.flatMap(({ frame, at }, i): TableRow[] => {
      const row = job.rows.get(i)
      if (!row) return []
      const reading = row.value === null ? null : readingOf(row.value)
      return [{ at: step.over!.map((axis, a) => placeOn(axis, at[a]!, frame.case)), reading, failure: row.failure }]
    })
    const byCase = step.over.findIndex(({ is }) => is === 'cases')
    const base = Object.values(document.value!.cases).find(({ isBase }) => isBase)
    const { unit = null, isDifference } = rows.find(({ reading }) => reading)?.reading ?? {}
    return {
      axes,
      rows,
      value: { name: quantityText(step.kind, step.settings, wordsOf(id)), unit, ...(isDifference && { isDifference }) },
      ...(step.limit && { limit: step.limit }),
      ...(base && byCase >= 0 && { base: { axis: byCase, name: base.name } }),
    }
  }

  return { choices, constants, settingsOf, isSame, nameOf, unitOf, tableOf }
}

export type OverTools = ReturnType<typeof useOver>
