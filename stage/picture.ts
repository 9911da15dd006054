/**
 * Pictures of any size: drawn in tiles, streamed into a PNG band by band, so that no whole picture is ever in memory.
 * Sizes of lines and text are in points and keep their size at any resolution.
 */
import * as THREE from 'three'
import { drawLegend, drawRemarks, LEGEND_HEIGHT, LEGEND_WIDTH } from './legend'
import type { LegendSpec } from './legend'
import { PngWriter } from './png'
import type { Stage } from './Stage'

export interface PictureOptions {
  /** Pixels. */
  width: number
  height: number
  /** Pixels per inch: what makes a point 1/72 of an inch. */
  dpi: number
  ground: 'stage' | 'white' | 'transparent'
  legends: readonly LegendSpec[]
  /** Lines of text below at the left. */
  remarks?: readonly string[]
  /** Largest tile side in pixels; smaller only for tests. */
  tile?: number
  onProgress?: (share: number) => void
  signal?: AbortSignal
}

const LAYERS = 16
const TILE = 2048
const grounds = {
  stage: new THREE.Vector4(0xee / 255, 0xf0 / 255, 0xec / 255, 1),
  white: new THREE.Vector4(1, 1, 1, 1),
  transparent: new THREE.Vector4(1, 1, 1, 0),
}

/** @throws DOMException AbortError when the signal says so */
export async function takePicture(stage: Stage, options: PictureOptions): Promise<Blob> {
  const { width, height, dpi, tile = TILE } = options
  const png = new PngWriter(width, height, dpi)
  for (let y = 0; y < height; y += tile) {
    const rows = Math.min(tile, height - y)
    const band = new Uint8Array(4 * width * rows)
    for (let x = 0; x < width; x += tile) {
      options.signal?.throwIfAborted()
      const columns = Math.min(tile, width - x)
      const pixels = stage.drawPiece([width, height], [x, y, columns, rows], dpi / 72, grounds[options.ground], LAYERS)
      for (let row = 0; row < rows; row++) band.set(pixels.subarray(4 * columns * row, 4 * columns * (row + 1)), 4 * (width * row + x))
      options.onProgress?.((y * width + x * rows) / (width * height))
      await new Promise((resolve) => setTimeout(resolve))
    }
    toPlainAlpha(band)
    overlayLegends(band, width, rows, y, options)
    png.addRows(band)
  }
  return png.finish()
}

/** All of a picture at once, for what is small enough; the colours are plain, the legends on it. */
export function drawPicture(stage: Stage, options: PictureOptions): Uint8Array {
  const { width, height, dpi, ground } = options
  const pixels = stage.drawPiece([width, height], [0, 0, width, height], dpi / 72, grounds[ground], LAYERS)
  toPlainAlpha(pixels)
  overlayLegends(pixels, width, height, 0, options)
  return pixels
}

/** Colours come multiplied by opacity; a PNG stores them plain. */
function toPlainAlpha(pixels: Uint8Array): void {
  for (let i = 0; i < pixels.length; i += 4) {
    const alpha = pixels[i + 3]!
    if (alpha === 255 || alpha === 0) continue
    for (let c = 0; c < 3; c++) pixels[i + c] = Math.min(255, Math.round((pixels[i + c]! * 255) / alpha))
  }
}

/** Legends stand at the right, one below the other, and remarks below at the left; each band draws the part of them that lies in it. */
function overlayLegends(band: Uint8Array, width: number, rows: number, top: number, options: PictureOptions): void {
  const { legends, remarks = [], dpi, height } = options
  const scale = dpi / 72
  const left = Math.max(0, Math.round(width - (LEGEND_WIDTH + 12) * scale))
  const draw = (context: CanvasRenderingContext2D): void =>
    legends.forEach((legend, i) => drawLegend(context, legend, 4 * scale, (20 + i * (LEGEND_HEIGHT + 14)) * scale - top, scale))
  if (legends.length) overlay(band, width, rows, [left, width], options, draw)
  if (remarks.length)
    overlay(band, width, rows, [0, left || width], options, (context) =>
      drawRemarks(context, remarks, 8 * scale, height - 8 * scale - top, scale),
    )
}

/** Draws into some columns of a band. */
function overlay(
  band: Uint8Array,
  width: number,
  rows: number,
  [left, right]: [number, number],
  { ground }: PictureOptions,
  draw: (context: CanvasRenderingContext2D) => void,
): void {
  const canvas = new OffscreenCanvas(right - left, rows)
  const context = canvas.getContext('2d') as unknown as CanvasRenderingContext2D
  draw(context)
  const drawn = (context as unknown as OffscreenCanvasRenderingContext2D).getImageData(0, 0, canvas.width, rows).data
  for (let y = 0; y < rows; y++) {
    for (let x = 0; x < canvas.width; x++) {
      const s = 4 * (y * canvas.width + x)
      const alpha = drawn[s + 3]! / 255
      if (alpha === 0) continue
      const d = 4 * (y * width + left + x)
      const below = ground === 'transparent' ? band[d + 3]! / 255 : 1
      const total = alpha + below * (1 - alpha)
      for (let c = 0; c < 3; c++) band[d + c] = Math.round((drawn[s + c]! * alpha + band[d + c]! * below * (1 - alpha)) / total)
      band[d + 3] = Math.round(255 * total)
    }
  }
}
