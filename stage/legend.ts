/** The key to a variable's colours, drawn with canvas 2D: the same on the stage and in pictures. */
import { colourAt, position } from '../core/colour/maps'
import { formatNumber, ticks } from '../core/colour/ticks'

export interface LegendSpec {
  /** Variable, then its unit or that it is unknown. */
  title: string
  unit: string | null
  /** Whose range it is: “this step”, “by hand”. */
  range: string
  map: string
  bands: number
  min: number
  max: number
  /** Whether the range is another at every moment. */
  isOfMoment: boolean
  /** Whether the range is known already. */
  isReady: boolean
  /** Extremes of what is shown, where they differ from the range. */
  seen: [number, number] | null
}

/** Size in points at scale 1. */
export const LEGEND_WIDTH = 96
export const LEGEND_HEIGHT = 185
const BAR = { x: 0, y: 34, width: 11, height: 130 }
const INK = '#1F2A2E'
const MUTED = '#5E6B6E'
const SANS = '"IBM Plex Sans", sans-serif'
const MONO = '"IBM Plex Mono", monospace'

/** @param scale  pixels per point */
export function drawLegend(context: CanvasRenderingContext2D, spec: LegendSpec, x: number, y: number, scale: number): void {
  context.save()
  context.translate(x, y)
  context.scale(scale, scale)
  context.textBaseline = 'alphabetic'
  context.fillStyle = INK
  context.font = `500 9.5px ${SANS}`
  context.fillText(fitted(context, spec.title, LEGEND_WIDTH - 4), 0, 9)
  context.font = `400 8.5px ${SANS}`
  context.fillStyle = MUTED
  context.fillText(
    fitted(context, `${spec.unit === null ? 'unit unknown' : spec.unit === '1' ? 'no unit' : spec.unit} · ${spec.range}`, LEGEND_WIDTH),
    0,
    21,
  )
  drawBar(context, spec)
  drawTicks(context, spec)
  context.restore()
}

/** What must be known to read a drawing: what arrows show, by how much something is displaced. One line each, from the bottom up. */
export function drawRemarks(context: CanvasRenderingContext2D, remarks: readonly string[], x: number, bottom: number, scale: number): void {
  context.save()
  context.translate(x, bottom)
  context.scale(scale, scale)
  context.textBaseline = 'alphabetic'
  context.fillStyle = INK
  context.font = `400 8.5px ${SANS}`
  remarks.forEach((text, i) => context.fillText(text, 0, -(remarks.length - 1 - i) * REMARK_HEIGHT))
  context.restore()
}

/** Points from one remark to the next. */
const REMARK_HEIGHT = 12

function drawBar(context: CanvasRenderingContext2D, { map, bands }: LegendSpec): void {
  const bottom = BAR.y + BAR.height
  const css = (t: number): string => `rgb(${colourAt(map, t).join(' ')})`
  if (bands === 0) {
    const smooth = context.createLinearGradient(0, bottom, 0, BAR.y)
    for (let i = 0; i <= 40; i++) smooth.addColorStop(i / 40, css(i / 40))
    context.fillStyle = smooth
    context.fillRect(BAR.x, BAR.y, BAR.width, BAR.height)
  }
  for (let i = 0; i < bands; i++) {
    context.fillStyle = css(position((i + 0.5) / bands, 0, 1, bands))
    const height = BAR.height / bands
    context.fillRect(BAR.x, bottom - (i + 1) * height, BAR.width, height + 0.3)
  }
}

function drawTicks(context: CanvasRenderingContext2D, { min, max, seen }: LegendSpec): void {
  const at = (value: number): number => BAR.y + BAR.height * (1 - (max > min ? (value - min) / (max - min) : 0.5))
  context.font = `400 8.5px ${MONO}`
  const list = ticks(min, max, 5)
  for (const value of list) {
    context.fillStyle = INK
    context.fillRect(BAR.x + BAR.width, at(value) - 0.25, 3, 0.5)
    context.fillText(formatNumber(value), BAR.x + BAR.width + 5, at(value) + 3)
  }
  // exact ends stand apart from the round numbers; what is shown may not reach them, or go beyond
  context.font = `400 7.5px ${MONO}`
  context.fillStyle = MUTED
  context.fillText(`max ${formatNumber(max)}`, BAR.x, BAR.y - 3)
  context.fillText(`min ${formatNumber(min)}`, BAR.x, BAR.y + BAR.height + 9)
  const isOther = seen && (formatNumber(seen[0]) !== formatNumber(min) || formatNumber(seen[1]) !== formatNumber(max))
  if (isOther) context.fillText(seenInWords(context, seen), BAR.x, BAR.y + BAR.height + 18)
}

/** With as many digits as there is room for. */
function seenInWords(context: CanvasRenderingContext2D, [low, high]: readonly [number, number]): string {
  const texts = [4, 3, 2].map((digits) => `here ${formatNumber(low, digits)} to ${formatNumber(high, digits)}`)
  return texts.find((text) => context.measureText(text).width <= LEGEND_WIDTH) ?? fitted(context, texts[texts.length - 1]!, LEGEND_WIDTH)
}

function fitted(context: CanvasRenderingContext2D, text: string, width: number): string {
  if (context.measureText(text).width <= width) return text
  let end = text.length
  while (end > 1 && context.measureText(`${text.slice(0, end)}…`).width > width) end--
  return `${text.slice(0, end)}…`
}
