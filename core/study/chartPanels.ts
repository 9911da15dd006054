/** Small multiples: the curves of a chart in several, whose axes have the same ends. */
import { ticks } from '../colour/ticks'
import { axisNames } from './chart'
import type { AxisName, ChartLook, Parting } from './chart'
import type { ChartDrawing, DrawnSeries } from './drawnCurves'

export interface ChartPanel {
  title: string
  drawing: ChartDrawing
  colours: readonly string[]
}

/** More than this could not be read. */
const MOST = 36
const TICKS = 6
/** Width over height that a small chart should have. */
const ASPECT = 1.4

/**
 * A panel for each curve, or for each case; curves of no case, such as a measurement, are in all of those.
 *
 * @param colours  of the series of the drawing
 * @returns undefined where there would be one panel only
 */
export function panelsOf(
  drawing: ChartDrawing,
  colours: readonly string[],
  { apart, ...look }: ChartLook,
  nameOfCase: (id: string) => string,
): ChartPanel[] | undefined {
  const groups = apart ? groupsOf(drawing.series, apart, nameOfCase).slice(0, MOST) : []
  if (groups.length < 2) return undefined
  const axes = Object.fromEntries(
    axisNames.flatMap((axis) => {
      const own = drawing.axes[axis]
      return own ? [[axis, { ...own, ends: own.ends ?? endsOf(drawing, axis, !!look[axis]?.isLog) }]] : []
    }),
  )
  return groups.map(({ title, members }) => {
    const series = members.map((i) => drawing.series[i]!)
    return { title, drawing: { ...drawing, series, axes, cautions: [] }, colours: members.map((i) => colours[i]!) }
  })
}

function groupsOf(
  series: readonly DrawnSeries[],
  apart: Parting,
  nameOfCase: (id: string) => string,
): { title: string; members: number[] }[] {
  if (apart === 'curves') return series.map(({ name }, i) => ({ title: name, members: [i] }))
  const cases = [...new Set(series.flatMap((own) => own.case ?? []))]
  return cases.map((id) => ({
    title: nameOfCase(id),
    members: series.flatMap((own, i) => (own.case === id || own.case === undefined ? [i] : [])),
  }))
}

/** Ends that fit all series and lines at values, at ticks; undefined where nothing has a value. */
function endsOf({ series, rules }: ChartDrawing, axis: AxisName, isLog: boolean): [number, number] | undefined {
  let [low, high] = [Infinity, -Infinity]
  const include = (value: number | null | undefined): void => {
    if (value == null || (isLog && value <= 0)) return
    low = Math.min(low, value)
    high = Math.max(high, value)
  }
  for (const { x, y, errors, isRight } of series) {
    if (axis !== 'x' && isRight !== (axis === 'right')) continue
    for (const [i, value] of (axis === 'x' ? x : y).entries()) {
      include(value)
      const error = axis === 'x' ? null : errors?.[i]
      if (value !== null && error != null) for (const end of [value - error, value + error]) include(end)
    }
  }
  for (const { at, to } of rules.filter((rule) => rule.axis === axis)) for (const end of [at, to]) include(end)
  if (!(high > low)) return undefined
  if (axis === 'x') return [low, high]
  if (isLog) return [10 ** Math.floor(Math.log10(low)), 10 ** Math.ceil(Math.log10(high))]
  const [first = low, second = high] = ticks(low, high, TICKS)
  const step = second - first
  return [Math.floor(low / step + 1e-9) * step, Math.ceil(high / step - 1e-9) * step]
}

/** The look of a chart in one of its panels, which bears its name. */
export function panelLook(look: ChartLook, title: string): ChartLook {
  return { ...look, title, ...(look.apart === 'curves' && { legend: 'none' as const }) }
}

/** Columns and rows of so many small charts in a room, so that each is nearest to the shape that a chart should have. */
export function gridOf(n: number, width: number, height: number): { columns: number; rows: number } {
  let best = { columns: 1, rows: n }
  let least = Infinity
  for (let columns = 1; columns <= n; columns++) {
    const rows = Math.ceil(n / columns)
    const off = Math.abs(Math.log(width / columns / (height / rows) / ASPECT)) + 0.1 * (columns * rows - n)
    if (off < least) [best, least] = [{ columns, rows }, off]
  }
  return best
}

/** A chart with one more line, at a value of its abscissa in the unit that is shown; in each of several small charts, too. */
export function markedAt<T extends { drawing: ChartDrawing; panels?: readonly ChartPanel[] }>(at: number, chart: T): T {
  const marked = (drawing: ChartDrawing): ChartDrawing => ({ ...drawing, rules: [...drawing.rules, { axis: 'x', at }] })
  const panels = chart.panels?.map((panel) => ({ ...panel, drawing: marked(panel.drawing) }))
  return { ...chart, drawing: marked(chart.drawing), ...(panels && { panels }) }
}
