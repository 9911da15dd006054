/** A chart as the drawing library takes it: on the screen and in files alike. */
import { Chart, LinearScale, LineController, LineElement, LogarithmicScale, PointElement } from 'chart.js'
import type { ChartConfiguration, ScaleOptions } from 'chart.js'
import annotation from 'chartjs-plugin-annotation'
import type { AnnotationOptions } from 'chartjs-plugin-annotation'
import { defaultMap } from '../../core/colour/maps'
import { axisNames } from '../../core/study/chart'
import type { AxisName, ChartLook } from '../../core/study/chart'
import type { ChartDrawing, DrawnSeries } from '../../core/study/drawnCurves'
import { PIXELS_PER_POINT } from '../pixels'
import { decimated, isRising } from './decimate'
import { errorBars } from './errorBars'
import type { WithErrors } from './errorBars'
import { lettering } from './lettering'
import type { LetteringOptions } from './lettering'
import { shadeBar, shadeOf, shadeRoom } from './shadeBar'
import type { ShadeOptions } from './shadeBar'

Chart.register(LineController, LineElement, PointElement, LinearScale, LogarithmicScale, annotation, lettering, errorBars, shadeBar)

export interface ChartTheme {
  ink: string
  line: string
  ground: string
  font: string
}

export interface ChartFrame {
  /** Points: type size where the look has none. */
  size: number
  /** Points: of lines where the look has none. */
  width: number
  /** Without titles, and with few ticks. */
  isSmall?: boolean
  /** Drawn without objects of paths, which recorders of drawings do not take. */
  isRecorded?: boolean
  /** Columns that points are thinned out for; all are drawn without. */
  columns?: number
}

export type LineChart = Chart<'line', { x: number; y: number }[]>

/** More lines than this are drawn thin: single ones can no longer be told apart. */
const MANY = 6
/** Of the span of error bars: room beyond their ends. */
const SLACK = 0.02
/** Marks that are drawn small. */
const MANY_MARKS = 200
/** Points that are drawn on the screen altogether. */
const MOST_POINTS = 100_000

const dashes = { solid: [], dashed: [4, 2.6], dotted: [1, 2], 'dash-dot': [5, 2, 1, 2] }
const shapes = { none: false, circle: 'circle', square: 'rect', triangle: 'triangle', cross: 'crossRot' } as const

/** @param colours  of the series of the drawing, in their order */
export function chartConfig(
  drawing: ChartDrawing,
  colours: readonly string[],
  look: ChartLook,
  theme: ChartTheme,
  frame: ChartFrame,
): ChartConfiguration<'line', { x: number; y: number }[]> {
  const pixels = (look.size ?? frame.size) * PIXELS_PER_POINT
  const columns = frame.columns && Math.min(frame.columns, MOST_POINTS / 4 / Math.max(drawing.series.length, 1))
  const { series } = drawing
  const idOf = (axis: AxisName): string => scaleId(axis, look)
  const scales = Object.fromEntries(
    axisNames.flatMap((axis) =>
      axis !== 'right' || drawing.axes.right ? [[idOf(axis), scaleOf(axis, { drawing, look, theme, frame, pixels })]] : [],
    ),
  )
  const isThin = series.length > MANY
  const isSorted = !look.isTurned && series.every(({ x }) => isRising(x))
  const letters: LetteringOptions = {
    titles: Object.fromEntries(axisNames.map((axis) => [idOf(axis), drawing.axes[axis]?.title ?? ''])),
    title: look.title ?? '',
    legend: frame.isSmall && series.length === 1 ? 'none' : (look.legend ?? (series.length > 1 && series.length <= MANY ? 'auto' : 'none')),
    hasTitles: !frame.isSmall,
    pixels,
    font: theme.font,
    ink: theme.ink,
    ground: theme.ground,
  }
  const shade: ShadeOptions = {
    ...(drawing.shade && !frame.isSmall && { range: drawing.shade.range }),
    ...{ title: drawing.shade?.title ?? '', map: defaultMap(), pixels, font: theme.font, ink: theme.ink },
  }
  return {
    type: 'line',
    data: {
      datasets: series.map((own, i) =>
        datasetOf(own, colours[i]!, {
          isRecorded: !!frame.isRecorded,
          range: drawing.shade?.range,
          look,
          width: (look.width ?? (isThin ? frame.width / 2 : frame.width)) * PIXELS_PER_POINT,
          pixels,
          columns,
        }),
      ),
    },
    options: {
      animation: false,
      maintainAspectRatio: false,
      // points that are not parsed count as sorted, and what is out of order would not be seen
      ...(isSorted ? { parsing: false, normalized: true } : {}),
      scales,
      layout: { padding: { top: 4, right: shade.range ? shadeRoom(pixels) : 6 } },
      plugins: {
        annotation: { annotations: rulesOf({ drawing, look, theme, pixels }) },
        lettering: letters,
        shadeBar: shade,
      } as object,
    },
  }
}

/** Ids begin with the direction in which they run. */
export function scaleId(axis: AxisName, { isTurned }: ChartLook): string {
  if (axis === 'x') return isTurned ? 'y' : 'x'
  return `${isTurned ? 'x' : 'y'}${axis === 'right' ? 'Right' : ''}`
}

interface ScaleNeeds {
  drawing: ChartDrawing
  look: ChartLook
  theme: ChartTheme
  frame: ChartFrame
  pixels: number
}

function scaleOf(axis: AxisName, { drawing, look, theme, frame, pixels }: ScaleNeeds): ScaleOptions<'linear' | 'logarithmic'> {
  const own = look[axis] ?? {}
  const drawn = drawing.axes[axis]
  const side = { x: ['bottom', 'left'], y: ['left', 'bottom'], right: ['right', 'top'] } as const
  const low = axis === 'x' || own.isLog ? undefined : roundedLow(drawing.series.filter(({ isRight }) => isRight === (axis === 'right')))
  return {
    type: own.isLog ? 'logarithmic' : 'linear',
    axis: (axis === 'x') !== !!look.isTurned ? 'x' : 'y',
    position: side[axis][look.isTurned ? 1 : 0],
    reverse: own.isReversed ?? false,
    // ends of error bars are in view
    ...(axis !== 'x' && reachOf(drawing.series.filter(({ isRight }) => isRight === (axis === 'right')))),
    ...(drawn?.ends ? { min: Math.min(...drawn.ends), max: Math.max(...drawn.ends) } : low !== undefined && { min: low }),
    // room for what is drawn as rich text
    title: { display: !frame.isSmall, text: ' ', font: { size: pixels, family: theme.font } },
    ticks: { color: theme.ink, maxTicksLimit: frame.isSmall ? 4 : 8, font: { size: pixels, family: theme.font } },
    grid: { color: theme.line, lineWidth: 0.6, display: !look.hasNoGrid, drawOnChartArea: axis !== 'right', drawTicks: true },
    border: { color: theme.ink, display: true },
  } as ScaleOptions<'linear' | 'logarithmic'>
}

/** What an axis shows at least, because of error bars. */
function reachOf(series: readonly DrawnSeries[]): { suggestedMin?: number; suggestedMax?: number } {
  let [low, high] = [Infinity, -Infinity]
  for (const { y, errors } of series) {
    errors?.forEach((error, i) => {
      const value = y[i]
      if (error === null || value == null) return
      low = Math.min(low, value - error)
      high = Math.max(high, value + error)
    })
  }
  const slack = SLACK * (high - low)
  return high >= low ? { suggestedMin: low - slack, suggestedMax: high + slack } : {}
}

/** 0 where the lowest value is below it only by rounding: else the axis would reach one step further down. */
function roundedLow(series: readonly DrawnSeries[]): number | undefined {
  let [low, high] = [Infinity, -Infinity]
  for (const { y } of series) {
    for (const value of y) {
      if (value === null) continue
      if (value < low) low = value
      if (value > high) high = value
    }
  }
  return low <= 0 && high > 0 && low > -1e-6 * high ? 0 : undefined
}

interface DatasetNeeds {
  look: ChartLook
  /** Pixels. */
  width: number
  pixels: number
  columns: number | undefined
  isRecorded: boolean
  /** Of the values that colour points. */
  range: readonly [number, number] | undefined
}

function datasetOf(
  { name, x, y, errors, shades, isRight, isLoose, curve }: DrawnSeries,
  colour: string,
  { look, width, pixels, columns, isRecorded, range }: DatasetNeeds,
): WithErrors {
  const kept = columns === undefined ? Array.from(x, (_, i) => i) : decimated(x, y, columns)
  const isSingle = y.filter((value) => value !== null).length === 1
  const shape = shapes[curve.marks ?? (isSingle || isLoose ? 'circle' : 'none')]
  return {
    label: name,
    data: kept.map((i) => {
      const [across, up] = [x[i] ?? NaN, y[i] ?? NaN]
      return look.isTurned ? { x: up, y: across } : { x: across, y: up }
    }),
    ...(look.isTurned ? { xAxisID: isRight ? 'xRight' : 'x', yAxisID: 'y' } : { xAxisID: 'x', yAxisID: isRight ? 'yRight' : 'y' }),
    borderColor: colour,
    backgroundColor: colour,
    borderWidth: width,
    showLine: !isLoose,
    borderDash: dashes[curve.dash ?? 'solid'].map((length) => length * width),
    pointStyle: shape,
    // many marks by themselves are small: they would cover each other
    pointRadius: shape ? pixels / (isLoose && x.length > MANY_MARKS ? 9 : 4) : 0,
    pointBorderWidth: curve.marks === 'cross' ? width : 0,
    spanGaps: false,
    ...(errors && { errors: kept.map((i) => errors[i] ?? null), isTurned: !!look.isTurned }),
    ...(shades && range && inColours(kept.map((i) => shadeOf(shades[i] ?? null, range, defaultMap())))),
    // drawn through every point that is kept: else those in one column of the screen would become a step, also on paper
    ...{ _decimated: true },
    // styles by segment, even none, turn the cache of paths off
    ...(isRecorded && { segment: {} }),
  }
}

/** Of the points of a curve. */
function inColours(colours: readonly string[]) {
  return { pointBackgroundColor: [...colours], pointBorderColor: [...colours] }
}

function rulesOf({ drawing, look, theme, pixels }: Omit<ScaleNeeds, 'frame'>): Record<string, AnnotationOptions> {
  return Object.fromEntries(
    drawing.rules.map(({ axis, at, to, text }, i): [string, AnnotationOptions] => {
      const scaleID = scaleId(axis, look)
      const label = {
        display: text !== undefined,
        content: text ?? '',
        color: theme.ink,
        font: { size: pixels, family: theme.font, weight: 'normal' as const },
      }
      if (to === undefined) {
        // above the line, without a ground that would hide curves
        const above = scaleID.startsWith('x') ? {} : { yAdjust: -0.8 * pixels }
        const plain = { ...label, ...above, backgroundColor: 'transparent', padding: 2, position: freeEnd(drawing.series, axis, at) }
        return [`rule${i}`, { type: 'line', scaleID, value: at, borderColor: theme.ink, borderWidth: 1, label: plain }]
      }
      const ends = scaleID.startsWith('x') ? { xScaleID: scaleID, xMin: at, xMax: to } : { yScaleID: scaleID, yMin: at, yMax: to }
      return [`rule${i}`, { type: 'box', ...ends, backgroundColor: `${theme.ink}14`, borderWidth: 0, label }]
    }),
  )
}

/** The end of a line at a value at which the curves are farther from it. */
function freeEnd(series: readonly DrawnSeries[], axis: AxisName, value: number): 'start' | 'end' {
  if (axis === 'x') return 'end'
  const own = series.filter(({ isRight }) => isRight === (axis === 'right'))
  const nearest = (end: (y: DrawnSeries['y']) => number | null | undefined): number =>
    Math.min(...own.map(({ y }) => Math.abs((end(y) ?? Infinity) - value)))
  return nearest((y) => y.find((x) => x !== null)) > nearest((y) => y.findLast((x) => x !== null)) ? 'start' : 'end'
}
