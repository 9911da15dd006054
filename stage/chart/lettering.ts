/** Titles and legend of a chart with raised and lowered letters, which the drawing library does not have. */
import type { Chart, Plugin, Scale } from 'chart.js'
import type { legendPlaces } from '../../core/study/chart'
import { fillRich, fittingText, richWidth } from '../richText'

export interface LetteringOptions {
  /** By scale. */
  titles: Record<string, string>
  /** Above the chart; empty: none. */
  title: string
  legend: (typeof legendPlaces)[number]
  hasTitles: boolean
  pixels: number
  font: string
  ink: string
  ground: string
}

interface Box {
  left: number
  top: number
  width: number
  height: number
}

/** Entries of a legend that are drawn. */
const MOST_ENTRIES = 24
const LINE_HEIGHT = 1.45
/** Length of the line of an entry, and the room beside it, in type sizes. */
const SAMPLE = 2.2
const GAP = 0.5

/** Size of the title above. */
const HEADING = 1.2

const fontOf =
  ({ font }: Pick<LetteringOptions, 'font'>) =>
  (size: number) =>
    `${size}px "${font}"`

export const lettering: Plugin<'line', LetteringOptions> = {
  id: 'lettering',
  beforeLayout(chart, _args, options) {
    const padding = chart.options.layout!.padding as { top: number }
    const rows = options.legend === 'above' ? rowsOf(chart, options).length : 0
    padding.top = 4 + (options.title ? headingHeight(options.pixels) : 0) + rows * LINE_HEIGHT * options.pixels
  },
  afterDraw(chart, _args, options) {
    const { ctx } = chart
    ctx.save()
    ctx.fillStyle = options.ink
    if (options.hasTitles) for (const scale of Object.values(chart.scales)) drawTitle(ctx, scale, options)
    if (options.title) drawHeading(ctx, options.title, chart.width, options)
    if (options.legend === 'above') drawAbove(chart, options)
    else if (options.legend !== 'none') drawInside(chart, options)
    ctx.restore()
  },
}

export function headingHeight(pixels: number): number {
  return (HEADING + 0.5) * pixels
}

/** In the middle above a chart, or above small charts that are one. */
export function drawHeading(
  ctx: CanvasRenderingContext2D,
  text: string,
  width: number,
  { pixels, font }: Pick<LetteringOptions, 'pixels' | 'font'>,
): void {
  const size = HEADING * pixels
  const fontOfSize = fontOf({ font })
  fillRich(ctx, text, [(width - richWidth(ctx, text, size, fontOfSize)) / 2, size], size, fontOfSize)
}

function drawTitle(ctx: CanvasRenderingContext2D, scale: Scale, options: LetteringOptions): void {
  const whole = options.titles[scale.id]
  if (!whole) return
  const { pixels } = options
  const isLevel = scale.isHorizontal()
  const room = (isLevel ? scale.chart.width : scale.chart.height) - pixels
  const widthOf = (own: string): number => richWidth(ctx, own, pixels, fontOf(options))
  const text = fittingText(whole, room, widthOf)
  const width = widthOf(text)
  /** In the middle of the axis, and within the chart. */
  const from = (low: number, high: number): number => Math.max(pixels / 2, Math.min((low + high - width) / 2, room + pixels / 2 - width))
  // the line of a title is 1.2 of its size high, with four pixels on either side
  const middle = 4 + 0.6 * pixels
  const base = 0.35 * pixels
  const { position } = scale.options as { position?: string }
  if (position === 'bottom' || position === 'top') {
    const y = position === 'bottom' ? scale.bottom - middle : scale.top + middle
    fillRich(ctx, text, [from(scale.left, scale.right), y + base], pixels, fontOf(options))
    return
  }
  ctx.save()
  ctx.translate(position === 'left' ? scale.left + middle : scale.right - middle, from(scale.top, scale.bottom) + width)
  ctx.rotate(-Math.PI / 2)
  fillRich(ctx, text, [0, base], pixels, fontOf(options))
  ctx.restore()
}

interface Entry {
  index: number
  text: string
  width: number
}

function entriesOf(chart: Chart, options: LetteringOptions): Entry[] {
  const { datasets } = chart.data
  const shown = datasets.length > MOST_ENTRIES ? datasets.slice(0, MOST_ENTRIES - 1) : datasets
  const entries = shown.map(({ label }, index) => ({ index, text: label ?? '' }))
  if (shown.length < datasets.length) entries.push({ index: -1, text: `and ${datasets.length - shown.length} more` })
  const { pixels } = options
  const widthOf = (text: string): number => richWidth(chart.ctx, text, pixels, fontOf(options))
  const sample = (SAMPLE + GAP) * pixels
  // beside the sample and the ground around it; before the layout there is no area yet
  const area = chart.chartArea as typeof chart.chartArea | undefined
  const room = (options.legend === 'above' || !area ? chart.width : area.width) - sample - 2 * pixels
  return entries.map(({ index, text: whole }) => {
    const text = fittingText(whole, room, widthOf)
    return { index, text, width: sample + widthOf(text) }
  })
}

function drawEntry(chart: Chart, { index, text }: Entry, [x, y]: [number, number], options: LetteringOptions): void {
  const { ctx } = chart
  const { pixels } = options
  const set = chart.data.datasets[index] as Chart<'line'>['data']['datasets'][number] | undefined
  const middle = y + (LINE_HEIGHT * pixels) / 2
  if (set) {
    ctx.save()
    ctx.strokeStyle = ctx.fillStyle = set.borderColor as string
    ctx.lineWidth = set.borderWidth as number
    ctx.setLineDash((set.borderDash as number[] | undefined) ?? [])
    if (set.showLine !== false) {
      ctx.beginPath()
      ctx.moveTo(x, middle)
      ctx.lineTo(x + SAMPLE * pixels, middle)
      ctx.stroke()
    }
    ctx.setLineDash([])
    if (set.pointRadius) drawMark(ctx, set.pointStyle as string, [x + (SAMPLE * pixels) / 2, middle], set.pointRadius as number)
    ctx.restore()
  }
  fillRich(ctx, text, [x + (SAMPLE + GAP) * pixels, middle + 0.35 * pixels], pixels, fontOf(options))
}

function drawMark(ctx: CanvasRenderingContext2D, shape: string, [x, y]: [number, number], radius: number): void {
  const r = radius * Math.SQRT1_2
  ctx.beginPath()
  if (shape === 'rect') ctx.rect(x - r, y - r, 2 * r, 2 * r)
  else if (shape === 'triangle') {
    for (const k of [0, 1, 2]) {
      const angle = (k * 2 * Math.PI) / 3
      const [px, py] = [x + radius * Math.sin(angle), y - radius * Math.cos(angle)]
      if (k) ctx.lineTo(px, py)
      else ctx.moveTo(px, py)
    }
    ctx.closePath()
  } else if (shape === 'crossRot') {
    ctx.moveTo(x - r, y - r)
    ctx.lineTo(x + r, y + r)
    ctx.moveTo(x + r, y - r)
    ctx.lineTo(x - r, y + r)
    ctx.stroke()
    return
  } else ctx.arc(x, y, radius, 0, 2 * Math.PI)
  ctx.fill()
}

/** Entries side by side, in as many rows as they need. */
function rowsOf(chart: Chart, options: LetteringOptions): Entry[][] {
  const rows: Entry[][] = []
  let room = 0
  for (const entry of entriesOf(chart, options)) {
    if (entry.width > room || !rows.length) {
      rows.push([])
      room = chart.width - 2 * options.pixels
    }
    rows.at(-1)!.push(entry)
    room -= entry.width + options.pixels
  }
  return rows
}

function drawAbove(chart: Chart, options: LetteringOptions): void {
  const { pixels } = options
  rowsOf(chart, options).forEach((row, i) => {
    let x = chart.chartArea.left
    const y = 4 + (options.title ? 1.7 * pixels : 0) + i * LINE_HEIGHT * pixels
    for (const entry of row) {
      drawEntry(chart, entry, [x, y], options)
      x += entry.width + pixels
    }
  })
}

function drawInside(chart: Chart, options: LetteringOptions): void {
  const { ctx, chartArea } = chart
  const { pixels } = options
  const entries = entriesOf(chart, options)
  const size = {
    width: Math.max(...entries.map(({ width }) => width), 0) + pixels,
    height: entries.length * LINE_HEIGHT * pixels + 0.5 * pixels,
  }
  const corners = (['top right', 'top left', 'bottom right', 'bottom left'] as const).map((name) => ({
    name,
    box: {
      ...size,
      left: name.endsWith('left') ? chartArea.left + 0.5 * pixels : chartArea.right - 0.5 * pixels - size.width,
      top: name.startsWith('top') ? chartArea.top + 0.5 * pixels : chartArea.bottom - 0.5 * pixels - size.height,
    },
  }))
  // the first of those that least is drawn in
  const { box } =
    options.legend === 'auto'
      ? corners.map((corner) => ({ ...corner, covered: pointsIn(chart, corner.box) })).reduce((a, b) => (b.covered < a.covered ? b : a))
      : corners.find(({ name }) => name === options.legend)!
  ctx.save()
  ctx.globalAlpha = 0.85
  ctx.fillStyle = options.ground
  ctx.fillRect(box.left, box.top, box.width, box.height)
  ctx.restore()
  entries.forEach((entry, i) =>
    drawEntry(chart, entry, [box.left + 0.5 * pixels, box.top + 0.25 * pixels + i * LINE_HEIGHT * pixels], options),
  )
}

/** Points of lines in a box, also of what runs through it between two points. */
function pointsIn(chart: Chart, { left, top, width, height }: Box): number {
  const STEPS = 8
  let n = 0
  chart.data.datasets.forEach((_, k) => {
    const { data } = chart.getDatasetMeta(k)
    for (let i = 1; i < data.length; i++) {
      const [a, b] = [data[i - 1]!, data[i]!]
      for (let s = 0; s <= STEPS; s++) {
        const [x, y] = [a.x + ((b.x - a.x) * s) / STEPS, a.y + ((b.y - a.y) * s) / STEPS]
        if (x >= left && x <= left + width && y >= top && y <= top + height) n++
      }
    }
  })
  return n
}
