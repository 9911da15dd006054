/**
 * Pictures of any size: drawn in tiles, streamed into a PNG band by band, so that no whole picture is ever in memory.
 * Sizes of lines and text are in points and keep their size at any resolution, or grow with the picture.
 */
import * as THREE from 'three'
import { RULER_ROOM, drawAnnotations, drawRulers, drawScaleBar } from './annotations'
import type { Annotations, Project } from './annotations'
import { drawLegend, drawRemarks } from './legend'
import type { LegendSpec } from './legend'
import { pictureLayout } from './pictureLayout'
import type { PictureLayout } from './pictureLayout'
import { PIXELS_PER_POINT } from './pixels'
import { PngWriter } from './png'
import type { Stage } from './Stage'

export interface PictureOptions {
  /** Pixels. A cropped picture is as wide, or narrower so that it is not higher. */
  width: number
  height: number
  /** Pixels per inch: what makes a point 1/72 of an inch. */
  dpi: number
  /** Lines and type are as large against the model as on the stage, instead. */
  isScaled?: boolean
  /** Margin in points about what is drawn, to which it is cropped; the whole view when absent. */
  margin?: number | undefined
  ground: 'stage' | 'white' | 'transparent' | `#${string}`
  /** One of many: legends stand where they do not move from picture to picture. */
  isOfFilm?: boolean
  legends: readonly LegendSpec[]
  /** Lines of text below at the left. */
  remarks?: readonly string[]
  annotations?: Annotations
  /** Said in the file. */
  title?: string
  /** Largest tile side in pixels; smaller only for tests. */
  tile?: number
  onProgress?: (share: number) => void
  signal?: AbortSignal
}

/** Layers told apart, and pictures that one is the mean of. */
const QUALITY = { layers: 16, samples: 8 }
/** Of films, of which many pictures are drawn. */
const FILM_QUALITY = { layers: 8, samples: 4 }
const TILE = 2048
/** Pixels of a JPEG and of a picture of several panes, which are made of the whole. */
export const MOST_WHOLE = 80e6
const grounds = { stage: '#EEF0EC', white: '#FFFFFF' }

function groundOf(ground: PictureOptions['ground']): THREE.Vector4 {
  if (ground === 'transparent') return new THREE.Vector4(1, 1, 1, 0)
  const n = parseInt((ground === 'stage' || ground === 'white' ? grounds[ground] : ground).slice(1), 16)
  return new THREE.Vector4((n >> 16) / 255, ((n >> 8) & 255) / 255, (n & 255) / 255, 1)
}

function layoutOf(stage: Stage, options: PictureOptions): PictureLayout & { pixelsPerPoint: number; project: Project } {
  const { width, height, margin, legends, remarks = [] } = options
  const times = margin === undefined ? Math.min(width / stage.eye.size[0], height / stage.eye.size[1]) : width / stage.eye.size[0]
  const pixelsPerPoint = pointsIn(times, options)
  const hasRulers = options.annotations?.rulers !== undefined
  const wishes = { width, height, pixelsPerPoint, legends, remarks, margin, hasRulers, isSteady: options.isOfFilm ?? false }
  const layout = pictureLayout(wishes, (frame) => stage.outline(frame), stage.eye.size[0] / stage.eye.size[1])
  return { ...layout, pixelsPerPoint, project: (point) => stage.eye.projectInto(layout.frame, point) }
}

/** Width and height in pixels that a picture will have: a cropped one fits into what is asked for. */
export function pictureSize(stage: Stage, options: PictureOptions): [number, number] {
  const { width, height } = layoutOf(stage, options).area
  return [width, height]
}

/** How lines and type are sized. */
export type PictureScale = Pick<PictureOptions, 'isScaled' | 'dpi'>

/** Pixels of a point in a picture that is so many times as large as the stage. */
export function pointsIn(times: number, { isScaled, dpi }: PictureScale): number {
  return isScaled ? times * PIXELS_PER_POINT : dpi / 72
}

/** Bands of a picture from top to bottom: RGBA rows with plain colours, the legends on them. @throws DOMException AbortError */
async function* bandsOf(stage: Stage, options: PictureOptions, layout: ReturnType<typeof layoutOf>): AsyncGenerator<Uint8Array> {
  const { tile = TILE } = options
  const { frame, area, pixelsPerPoint } = layout
  const { width, height } = area
  for (let y = 0; y < height; y += tile) {
    const rows = Math.min(tile, height - y)
    const band = new Uint8Array(4 * width * rows)
    for (let x = 0; x < width; x += tile) {
      const columns = Math.min(tile, width - x)
      const piece: [number, number, number, number] = [area.x + x, area.y + y, columns, rows]
      const pixels = await unhurried(stage.drawPiece(frame, piece, pixelsPerPoint, groundOf(options.ground), QUALITY), options.signal)
      for (let row = 0; row < rows; row++) band.set(pixels.subarray(4 * columns * row, 4 * columns * (row + 1)), 4 * (width * row + x))
      options.onProgress?.((y * width + x * rows) / (width * height))
    }
    toPlainAlpha(band)
    overlayTexts(band, rows, y, options, layout)
    yield band
  }
}

/** Gives the page its turn between the steps of a drawing. @throws DOMException AbortError */
async function unhurried<T>(drawing: Generator<void, T>, signal: AbortSignal | undefined): Promise<T> {
  try {
    for (;;) {
      await new Promise((resolve) => setTimeout(resolve))
      signal?.throwIfAborted()
      const { done, value } = drawing.next()
      if (done) return value
    }
  } finally {
    drawing.return(undefined as T)
  }
}

/** A PNG of any size. @throws DOMException AbortError when the signal says so */
export async function takePicture(stage: Stage, options: PictureOptions): Promise<Blob> {
  const layout = layoutOf(stage, options)
  const png = new PngWriter(layout.area.width, layout.area.height, options.dpi, options.title)
  for await (const band of bandsOf(stage, options, layout)) png.addRows(band)
  return png.finish()
}

/**
 * All pixels of a picture of its whole view, not cropped, as good as those in files.
 *
 * @throws DOMException AbortError when the signal says so
 */
export async function picturePixels(stage: Stage, options: PictureOptions): Promise<Uint8Array> {
  const layout = layoutOf(stage, options)
  const pixels = new Uint8Array(4 * layout.area.width * layout.area.height)
  let at = 0
  for await (const band of bandsOf(stage, options, layout)) {
    pixels.set(band, at)
    at += band.length
  }
  return pixels
}

/** A JPEG. @throws RangeError when it is too large to be held as a whole, DOMException AbortError */
export async function takeJpeg(stage: Stage, options: PictureOptions): Promise<Blob> {
  const layout = layoutOf(stage, options)
  const { width, height } = layout.area
  if (width * height > MOST_WHOLE) throw new RangeError('a JPEG of so many pixels does not fit; make it smaller, or save a PNG')
  const canvas = new OffscreenCanvas(width, height)
  const context = canvas.getContext('2d')!
  let y = 0
  for await (const band of bandsOf(stage, { ...options, ground: options.ground === 'transparent' ? 'white' : options.ground }, layout)) {
    context.putImageData(new ImageData(new Uint8ClampedArray(band), width, band.length / 4 / width), 0, y)
    y += band.length / 4 / width
  }
  return canvas.convertToBlob({ type: 'image/jpeg', quality: 0.93 })
}

/** All of a picture at once, for what is small enough; the colours are plain, the legends on it. */
export function drawPicture(stage: Stage, options: PictureOptions): Uint8Array {
  const layout = layoutOf(stage, options)
  const { x, y, width, height } = layout.area
  const drawing = stage.drawPiece(layout.frame, [x, y, width, height], layout.pixelsPerPoint, groundOf(options.ground), FILM_QUALITY)
  let step = drawing.next()
  while (!step.done) step = drawing.next()
  const pixels = step.value
  toPlainAlpha(pixels)
  overlayTexts(pixels, height, 0, options, layout)
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

/** Legends and remarks; each band draws the part of them that lies in it. */
function overlayTexts(
  band: Uint8Array,
  rows: number,
  top: number,
  options: PictureOptions,
  { area, legends, remarks, pixelsPerPoint: k, project }: ReturnType<typeof layoutOf>,
): void {
  const { annotations } = options
  const rulers = annotations?.rulers ? RULER_ROOM : { left: 0, lower: 0 }
  if (
    annotations &&
    (annotations.axes || annotations.rulers || annotations.scaleBar || annotations.notes.length || annotations.captions.length)
  )
    overlay(band, area.width, rows, [0, area.width], options, (context) => {
      const onBand = (point: readonly number[]): [number, number] => {
        const [x, y] = project(point)
        return [x - area.x, y - area.y - top]
      }
      context.save()
      const taken = legends.map(({ rect }) => ({ ...rect, x: rect.x - area.x, y: rect.y - area.y - top }))
      drawAnnotations(context, { ...annotations, captions: [] }, onBand, k, taken)
      if (annotations.rulers) drawRulers(context, { ...annotations.rulers, corner: 0 }, onBand, [area.width, area.height - top], k)
      if (annotations.scaleBar) drawScaleBar(context, annotations.scaleBar, onBand, [area.width, area.height - top], k)
      context.translate(0, -top)
      drawAnnotations(context, { notes: [], captions: annotations.captions }, onBand, k)
      context.restore()
    })
  for (const { spec, rect } of legends) {
    const [x, y] = [rect.x - area.x, rect.y - area.y - top]
    if (y > rows || y + rect.height < 0) continue
    const left = Math.max(0, Math.floor(x) - 2)
    const right = Math.min(area.width, Math.ceil(x + rect.width) + 2)
    overlay(band, area.width, rows, [left, right], options, (context) => drawLegend(context, spec, x - left, y, k))
  }
  if (remarks.length)
    overlay(band, area.width, rows, [0, area.width], options, (context) =>
      drawRemarks(context, remarks, (8 + rulers.left) * k, area.height - (8 + rulers.lower) * k - top, k),
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
