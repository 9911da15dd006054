// eslint-disable-next-line @typescript-eslint/triple-slash-reference
/// <reference path="./gifenc.d.ts" />
/**
 * Films of pictures of one size: MP4 and WebM through the browser's own encoder, GIF with a palette for each picture, or numbered PNGs in
 * a ZIP.
 */
import {
  BufferTarget,
  CanvasSource,
  getFirstEncodableVideoCodec,
  Mp4OutputFormat,
  Output,
  QUALITY_HIGH,
  WebMOutputFormat,
} from 'mediabunny'
import { Zip, ZipPassThrough } from 'fflate'
import { applyPalette, GIFEncoder, quantize } from 'gifenc'
import type { FilmFormat } from '../core/study/film'
import { pngOf } from './png'

export interface FilmOptions {
  /** Pixels, even numbers: video codecs halve the colours. */
  width: number
  height: number
  /** Pictures per second. */
  rate: number
  format: FilmFormat
}

/** Takes pictures one by one (RGBA, 4 × width × height) and gives the whole film at the end. */
export interface FilmWriter {
  add(pixels: Uint8Array): Promise<void>
  finish(): Promise<Blob>
  /** Gives up what was made so far. */
  cancel(): Promise<void>
}

/** @throws Error when the browser cannot encode the format in this size */
export function newFilm(options: FilmOptions): Promise<FilmWriter> {
  if (options.format === 'gif') return Promise.resolve(newGif(options))
  return options.format === 'png' ? Promise.resolve(newSeries(options)) : newVideo(options)
}

function newGif({ width, height, rate }: FilmOptions): FilmWriter {
  const encoder = GIFEncoder()
  return {
    async add(pixels) {
      const palette = quantize(pixels, 256)
      encoder.writeFrame(applyPalette(pixels, palette), width, height, { palette, delay: 1000 / rate })
    },
    async finish() {
      encoder.finish()
      return new Blob([new Uint8Array(encoder.bytes())], { type: 'image/gif' })
    },
    async cancel() {
      encoder.reset()
    },
  }
}

/** Pictures are written out as they come; those that are done are kept as blobs, which the browser may put on its disk. */
function newSeries({ width, height }: FilmOptions): FilmWriter {
  let pieces: Blob[] = []
  let n = 0
  const zip = new Zip((error, bytes) => {
    if (error) throw error
    pieces.push(new Blob([new Uint8Array(bytes)]))
  })
  return {
    async add(pixels) {
      // PNGs are deflated already
      const entry = new ZipPassThrough(`picture-${String(++n).padStart(5, '0')}.png`)
      zip.add(entry)
      entry.push(new Uint8Array(await pngOf(pixels, [width, height], 96).arrayBuffer()), true)
    },
    async finish() {
      zip.end()
      return new Blob(pieces, { type: 'application/zip' })
    },
    async cancel() {
      zip.terminate()
      pieces = []
    },
  }
}

async function newVideo({ width, height, rate, format }: FilmOptions): Promise<FilmWriter> {
  const container = format === 'mp4' ? new Mp4OutputFormat() : new WebMOutputFormat()
  const codec = await getFirstEncodableVideoCodec(container.getSupportedVideoCodecs(), { width, height })
  if (!codec) throw new Error(`this browser cannot encode ${format.toUpperCase()} in ${width} × ${height}; choose another format or size`)
  const canvas = new OffscreenCanvas(width, height)
  const context = canvas.getContext('2d')!
  const target = new BufferTarget()
  const output = new Output({ format: container, target })
  const source = new CanvasSource(canvas, { codec, bitrate: QUALITY_HIGH })
  output.addVideoTrack(source, { frameRate: rate })
  await output.start()
  let n = 0
  return {
    async add(pixels) {
      context.putImageData(new ImageData(new Uint8ClampedArray(pixels), width, height), 0, 0)
      await source.add(n++ / rate, 1 / rate)
    },
    async finish() {
      await output.finalize()
      return new Blob([target.buffer!], { type: `video/${format}` })
    },
    cancel: () => output.cancel(),
  }
}
