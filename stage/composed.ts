/** Pictures put together to one. */
import { drawLegend, LEGEND_LENGTH, legendSize } from './legend'
import type { LegendSpec } from './legend'

export interface Placed {
  x: number
  y: number
  width: number
  height: number
  /** RGBA, 4 × width × height. */
  pixels: Uint8Array
}

/** On white. */
export function composed(width: number, height: number, placed: readonly Placed[]): Uint8Array {
  const all = new Uint8Array(4 * width * height).fill(255)
  for (const { x, y, width: own, height: rows, pixels } of placed) {
    for (let row = 0; row < rows; row++) all.set(pixels.subarray(4 * own * row, 4 * own * (row + 1)), 4 * (width * (y + row) + x))
  }
  return all
}

/** Points around legends in a strip, and of the shortest bar. */
const GAP = 10
const SHORTEST = 40

/**
 * Legends below each other on white, in a strip beside pictures that have no room for them; their bars are as long as fits.
 *
 * @param most    pixels that it may be wide
 * @param wished  pixels of a point, fewer where it would be too wide
 */
export function legendStrip(
  legends: readonly LegendSpec[],
  [most, height]: readonly [number, number],
  wished: number,
): Omit<Placed, 'x' | 'y'> {
  // what is seen in one pane is not said of all
  const upright = legends.map((spec) => ({ ...spec, isLying: false, seen: null }))
  const points = 2 * GAP + Math.max(0, ...upright.map((spec) => legendSize(spec)[0]))
  const scale = Math.min(wished, most / points)
  const full = upright.reduce((sum, spec) => sum + legendSize(spec)[1] + GAP, GAP)
  const over = Math.max(0, full - height / scale) / Math.max(1, legends.length)
  const fitting = upright.map((spec) => ({ ...spec, length: Math.max(SHORTEST, (spec.length ?? LEGEND_LENGTH) - over) }))
  const width = Math.floor(scale * points)
  const context = new OffscreenCanvas(width, height).getContext('2d')!
  context.fillStyle = '#fff'
  context.fillRect(0, 0, width, height)
  let y = GAP
  for (const spec of fitting) {
    drawLegend(context as unknown as CanvasRenderingContext2D, spec, GAP * scale, y * scale, scale)
    y += legendSize(spec)[1] + GAP
  }
  return { width, height, pixels: new Uint8Array(context.getImageData(0, 0, width, height).data.buffer) }
}
