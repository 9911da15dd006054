/** Charts of the study: the curves of each, as they are drawn, and the acts that change them. */
import { curveOfTable } from '~~/core/evaluate/overTable'
import type { TableRow } from '~~/core/evaluate/overTable'
import type { PlainCurve } from '~~/core/measure/results'
import { stepKind } from '~~/core/steps'
import { caseColours } from '~~/core/study/defaults'
import { axisNames, curvesOf, templateOf, withTemplate } from '~~/core/study/chart'
import type { ChartAxis, ChartCurve, ChartLook, ChartTemplate, AxisName } from '~~/core/study/chart'
import { panelsOf } from '~~/core/study/chartPanels'
import type { ChartPanel } from '~~/core/study/chartPanels'
import { drawnChart } from '~~/core/study/drawnCurves'
import type { ChartDrawing, CurveOfChart } from '~~/core/study/drawnCurves'
import { sentenceText } from '~~/core/study/sentenceText'
import type { SentenceWords } from '~~/core/study/sentenceText'
import { freshId, isSeen, plainCopy, putOptional, ranked } from '~~/core/study/studyModel'
import type { Exhibit } from '~~/core/study/studyModel'
import { displayOf, fromDisplay } from '~~/core/units/quantities'
import { isSameKind } from '~~/core/units/units'
import type { Evaluated } from './useEvaluated'
import type { OverTools } from './useOver'
import type { StudyCases } from './useStudyCases'

interface Around {
  cases: Pick<StudyCases, 'catalogue'>
  evaluated: Pick<Evaluated, 'results' | 'jobs'>
  over: Pick<OverTools, 'tableOf'>
  wordsOf: (id: string) => SentenceWords
}

interface Drawn {
  drawing: ChartDrawing
  /** Of the series of the drawing. */
  colours: readonly string[]
  /** In place of it, beside each other. */
  panels?: readonly ChartPanel[]
}

export interface ShownChart {
  id: string
  exhibit: Exhibit
  look: ChartLook
  curves: readonly ChartCurve[]
  /** The same object as long as nothing changes that is drawn. */
  drawn: Drawn
  /** What the computation of its curves says. */
  notes: readonly string[]
  errors: readonly string[]
  /** There is more to come. */
  isGrowing: boolean
  isStale: boolean
}

export type Optional<T> = { [K in keyof T]?: T[K] | undefined }

export function useCharts({ cases, evaluated, over, wordsOf }: Around) {
  const store = useStudyStore()
  const { document } = storeToRefs(store)
  const view = useViewStore()
  /** Look that was taken up from a chart, to be put onto others. */
  const carried = shallowRef<ChartTemplate | null>(null)

  /** Curve of a step, with all its rows where it is taken over something; null while there is none. */
  function curveOf(id: string): PlainCurve | null {
    const step = document.value?.steps[id]
    if (!step) return null
    if (!step.over) return evaluated.results.value.get(id)?.curve ?? null
    return stepKind(step.kind).curve ? curveOfRows(id) : tableCurve(id)
  }

  function tableCurve(id: string): PlainCurve | null {
    const table = over.tableOf(id)
    if (!table?.rows.length) return null
    const place = document.value!.steps[id]!.over!.findIndex(({ is }) => is === 'cases')
    const all = Object.entries(document.value!.cases)
    // in the colours of the cases, as their curves are
    const caseOf = (row: TableRow): string | undefined => all.find(([, { name }]) => name === row.at[place])?.[0]
    return { ...curveOfTable(table, place < 0 ? undefined : caseOf), notes: [] }
  }

  /** The curves of all rows, each named by its place. */
  function curveOfRows(id: string): PlainCurve | null {
    const job = evaluated.jobs.results.value.get(id)
    const table = over.tableOf(id)
    // rows of the table are in the order of their frames
    const found = [...(job?.rows.values() ?? [])].sort((a, b) => a.frame - b.frame)
    const rows = found.map(({ value, frame }, i) => ({ curve: value as PlainCurve | null, frame, at: table!.rows[i]!.at }))
    const first = rows.find(({ curve }) => curve)?.curve
    if (!first) return null
    const isOfCases = document.value!.steps[id]!.over!.some(({ is }) => is === 'cases')
    const series = rows.flatMap(({ curve, frame, at }) =>
      (curve?.series ?? []).map((one) => ({
        ...one,
        name: `${one.name} ${at.join(', ')}`,
        ...(isOfCases && { case: job!.frames[frame]!.frame.case }),
      })),
    )
    return { ...first, series }
  }

  /** Whether a step has a curve, now or as soon as it is computed. */
  function hasCurve(id: string): boolean {
    const step = document.value?.steps[id]
    return !!step && (!!stepKind(step.kind).curve || step.over !== undefined)
  }

  function wordsFor(id: string): Record<string, string> {
    const study = document.value!
    const step = study.steps[id]!
    const moment = cases.catalogue.value?.moments[view.moment]
    const variable = step.settings['variable']
    return {
      step: step.name,
      case: study.cases[view.caseId ?? '']?.name ?? '',
      moment: moment ? `${moment.value ?? view.moment + 1}${moment.unit && moment.value !== null ? ` ${moment.unit}` : ''}` : '',
      variable: typeof variable === 'string' ? wordsOf(id).variable(variable) : '',
    }
  }

  /** @param isShort  without the word that names the kind */
  function sentenceOf(id: string, isShort = true): string {
    const { kind, settings } = document.value!.steps[id]!
    return sentenceText(kind, settings, wordsOf(id), isShort)
  }

  function shownChart(id: string, exhibit: Exhibit): ShownChart {
    const study = document.value!
    const curves = curvesOf(exhibit).filter(({ step }) => study.steps[step])
    const look = exhibit.look ?? {}
    const found = curves.flatMap((curve): CurveOfChart[] => {
      const plain = curveOf(curve.step)
      return plain ? [{ curve, plain, words: wordsFor(curve.step) }] : []
    })
    const results = curves.map(({ step }) => evaluated.results.value.get(step))
    const jobs = curves.flatMap(({ step }) => evaluated.jobs.results.value.get(step) ?? [])
    const isGrowing = jobs.some(({ news }) => news?.state !== 'done') || found.length < curves.length
    const drawn = kept(
      id,
      [
        exhibit,
        study.units,
        study.cases,
        view.caseId,
        isGrowing,
        JSON.stringify(found.map(({ words }) => words)),
        ...jobs,
        ...found.map(sourceOf),
      ],
      () => drawnOf(found, { look, curves, isGrowing }),
    )
    return {
      id,
      exhibit,
      look,
      curves,
      drawn,
      notes: [...new Set(found.flatMap(({ plain }) => plain.notes))],
      errors: [...results.flatMap((result) => result?.error ?? []), ...jobs.flatMap(({ error }) => error || [])],
      isGrowing,
      isStale: curves.some(({ step }, i) => !study.steps[step]!.over && isSeen(study.steps[step]!) && !!results[i]?.isStale),
    }
  }

  /** What a curve is made of: of rows of a job another object at every look. */
  function sourceOf({ curve, plain }: CurveOfChart): unknown {
    return document.value!.steps[curve.step]!.over ?? plain
  }

  function drawnOf(found: readonly CurveOfChart[], { look, curves, isGrowing }: Pick<ShownChart, 'look' | 'curves' | 'isGrowing'>): Drawn {
    const study = document.value!
    const drawing = drawnChart(found, look, study.units ?? {})
    const colours = drawing.series.map(
      ({ curve, ...own }) => curve.colour ?? study.cases[own.case ?? '']?.colour ?? colourOf(curves.indexOf(curve)),
    )
    const panels = panelsOf(drawing, colours, look, (id) => study.cases[id]?.name ?? '')
    // what is still missing is no reason to doubt
    return { drawing: isGrowing ? { ...drawing, cautions: [] } : drawing, colours, ...(panels && { panels }) }
  }

  /** Drawn last, by chart, with what it depends on. */
  const last = new Map<string, { of: readonly unknown[]; drawn: Drawn }>()

  /** A chart is drawn anew only if something that it depends on is another. */
  function kept(id: string, of: readonly unknown[], make: () => Drawn): Drawn {
    const known = last.get(id)
    if (known && known.of.length === of.length && known.of.every((own, i) => Object.is(own, of[i]))) return known.drawn
    const drawn = make()
    last.set(id, { of, drawn })
    return drawn
  }

  /** The first curve has the colour of the case, the others those that follow. */
  function colourOf(at: number): string {
    const own = document.value?.cases[view.caseId ?? '']?.colour ?? caseColours[0]
    const others = caseColours.filter((colour) => colour !== own)
    return at === 0 ? own : others[(at - 1) % others.length]!
  }

  /** In their order, of steps that are computed. */
  const charts = computed<ShownChart[]>(() => {
    const study = document.value
    if (!study) return []
    return ranked(study.exhibits).flatMap(([id, exhibit]) => {
      const steps = curvesOf(exhibit).filter(({ step }) => study.steps[step] && isSeen(study.steps[step]!))
      return steps.length && steps.some(({ step }) => hasCurve(step)) ? [shownChart(id, exhibit)] : []
    })
  })

  function edit(id: string, what: string, change: (exhibit: Exhibit) => void): void {
    const name = document.value?.exhibits[id]?.name ?? 'the chart'
    void store.edit(`${what} ${name}`, (study) => change(study.exhibits[id]!))
  }

  function changeLook(id: string, change: Optional<ChartLook>): void {
    edit(id, 'Look of', (exhibit) => putOptional((exhibit.look ??= {}), change))
  }

  function changeAxis(id: string, axis: AxisName, change: Optional<ChartAxis>): void {
    edit(id, 'Axis of', (exhibit) => {
      const look = (exhibit.look ??= {})
      putOptional((look[axis] ??= {}), change)
    })
  }

  /** Of what was zoomed or moved. @param ends  as they are shown; axes without are found from the values */
  function setRanges(id: string, ends: Partial<Record<AxisName, [number, number]>>): void {
    const axes = charts.value.find((chart) => chart.id === id)?.drawn.drawing.axes ?? {}
    edit(id, 'Ranges of', (exhibit) => {
      const look = (exhibit.look ??= {})
      for (const axis of axisNames) {
        const { raw = null, isDifference } = axes[axis] ?? {}
        const to = displayOf(raw, document.value!.units ?? {}, isDifference)
        const range = ends[axis]?.map((end) => Number(fromDisplay(to, end).toPrecision(4))) as [number, number] | undefined
        if (range || look[axis]) putOptional((look[axis] ??= {}), { range })
      }
    })
  }

  function changeCurve(id: string, at: number, change: Optional<ChartCurve>): void {
    edit(id, 'Curve of', (exhibit) => {
      exhibit.curves = plainCopy(curvesOf(exhibit)) as ChartCurve[]
      putOptional(exhibit.curves[at]!, change)
    })
  }

  /** A curve in another unit than those that are there stands on the right. */
  function addCurve(id: string, step: string): void {
    const units = [curvesOf(document.value!.exhibits[id]!)[0]?.step, step].map((own) => (own ? curveOf(own)?.y.unit : undefined))
    const isRight = units[0] !== undefined && units[1] !== undefined && !isSameKind(units[0], units[1])
    edit(id, 'Add a curve to', (exhibit) => {
      exhibit.curves = [...(plainCopy(curvesOf(exhibit)) as ChartCurve[]), { step, ...(isRight && { isRight }) }]
    })
  }

  /** The chart goes with its last curve. */
  function removeCurve(id: string, at: number): void {
    void store.edit('Take a curve out', (study) => {
      const exhibit = study.exhibits[id]!
      const rest = curvesOf(exhibit).filter((_, i) => i !== at)
      if (!rest.length) delete study.exhibits[id]
      else Object.assign(exhibit, { step: rest[0]!.step, curves: plainCopy(rest) })
    })
  }

  function removeChart(id: string): void {
    void store.edit(`Delete ${document.value?.exhibits[id]?.name}`, (study) => void delete study.exhibits[id])
  }

  /** @returns its id */
  function duplicateChart(id: string): string {
    const own = plainCopy(document.value!.exhibits[id]!)
    const fresh = freshId(id, document.value!.exhibits)
    void store.edit(`Duplicate ${own.name}`, (study) => {
      study.exhibits[fresh] = { ...own, kind: 'chart', name: `${own.name} copy`, rank: lastRank(study.exhibits) + 1 }
    })
    return fresh
  }

  /** A chart of the curve of a step, where none has it. @returns its id */
  function chartOf(step: string): string {
    const known = charts.value.find(({ curves }) => curves.some((curve) => curve.step === step))
    if (known) return known.id
    const fresh = freshId(step, document.value!.exhibits)
    void store.edit(`Chart of ${document.value!.steps[step]!.name}`, (study) => {
      study.exhibits[fresh] = { kind: 'chart', name: study.steps[step]!.name, rank: lastRank(study.exhibits) + 1, step }
    })
    return fresh
  }

  function rename(id: string, name: string): void {
    if (name.trim()) edit(id, 'Rename', (exhibit) => void (exhibit.name = name.trim().slice(0, 200)))
  }

  function carry(id: string): void {
    carried.value = templateFrom(id)
    store.notice = { text: `The look of ${document.value!.exhibits[id]!.name} can be put onto other charts.`, isError: false }
  }

  function templateFrom(id: string): ChartTemplate {
    return plainCopy(templateOf(document.value!.exhibits[id]!))
  }

  function putLook(id: string, template = carried.value): void {
    if (!template) return
    const put = plainCopy(withTemplate(document.value!.exhibits[id]!, template))
    edit(id, 'Look of', (exhibit) => Object.assign(exhibit, put))
  }

  return {
    charts,
    carried,
    curveOf,
    hasCurve,
    sentenceOf,
    changeLook,
    changeAxis,
    setRanges,
    changeCurve,
    addCurve,
    removeCurve,
    removeChart,
    duplicateChart,
    chartOf,
    rename,
    carry,
    templateFrom,
    putLook,
  }
}

export type Charts = ReturnType<typeof useCharts>

function lastRank(exhibits: Record<string, Exhibit>): number {
  return Math.max(0, ...Object.values(exhibits).map(({ rank }) => rank))
}
