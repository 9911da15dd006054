/** The bar beside a chart that says what the colours of its points mean. */
import type { Plugin } from 'chart.js'
import { colourAt } from '../../core/colour/maps'
import { shareOf } from '../../core/colour/scale'
import { formatNumber, ticks } from '../../core/colour/ticks'
import { fillRich, richWidth } from '../richText'

export interface ShadeOptions {
  /** Nothing is drawn without. */
  range?: readonly [number, number]
  title: string
  map: string
  pixels: number
  font: string
  ink: string
}

/** In type sizes: of the bar, of the room that it takes with its numbers and its title. */
const WIDTH = 0.9
const ROOM = 6.5
/** Pieces that the bar is drawn in. */
const PIECES = 64

/** Room to the right of the chart. */
export function shadeRoom(pixels: number): number {
  return ROOM * pixels
}

/** Colour of a value as it is written in styles. */
export function shadeOf(value: number | null, range: readonly [number, number], map: string): string {
  if (value === null) return '#00000000'
  const share = Math.min(1, Math.max(0, shareOf(value, { min: range[0], max: range[1], bands: 0 })))
  const [r, g, b] = colourAt(map, share).map(Math.round)
  return `rgb(${r}, ${g}, ${b})`
}

export const shadeBar: Plugin<'line', ShadeOptions> = {
  id: 'shadeBar',
  afterDraw(chart, _args, { range, title, map, pixels, font, ink }) {
    if (!range) return
    const { ctx, chartArea, width } = chart
    const left = width - (ROOM - 1) * pixels
    const { top, bottom } = chartArea
    const height = bottom - top
    ctx.save()
    for (let i = 0; i < PIECES; i++) {
      ctx.fillStyle = shadeOf(range[0] + ((i + 0.5) / PIECES) * (range[1] - range[0]), range, map)
      // a little over the next one, so that no ground shows between them
      const up = bottom - ((i + 1) / PIECES) * height
      ctx.fillRect(left, up, WIDTH * pixels, Math.min(height / PIECES + 0.5, bottom - up))
    }
    ctx.fillStyle = ink
    const fontOf = (size: number): string => `${size}px "${font}"`
    for (const value of ticks(range[0], range[1], 5)) {
      const y = bottom - shareOf(value, { min: range[0], max: range[1], bands: 0 }) * height
      ctx.fillRect(left + WIDTH * pixels, y - 0.4, 0.3 * pixels, 0.8)
      fillRich(ctx, formatNumber(value, 4), [left + (WIDTH + 0.5) * pixels, y + 0.35 * pixels], pixels, fontOf)
    }
    ctx.translate(width - 0.3 * pixels, (top + bottom) / 2)
    ctx.rotate(-Math.PI / 2)
    fillRich(ctx, title, [-richWidth(ctx, title, pixels, fontOf) / 2, 0], pixels, fontOf)
    ctx.restore()
  },
}
