/** Writes a PNG (W3C, third edition) row by row: RGBA, eight bits, the resolution stated. Deflate is fflate's. */
import { Zlib } from 'fflate'

const SIGNATURE = [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]
const INCH = 0.0254

export class PngWriter {
  private readonly pieces: Uint8Array<ArrayBuffer>[] = [Uint8Array.from(SIGNATURE)]
  private readonly deflate: Zlib

  constructor(
    private readonly width: number,
    height: number,
    dpi: number,
    title?: string,
  ) {
    const header = new DataView(new ArrayBuffer(13))
    header.setUint32(0, width)
    header.setUint32(4, height)
    // eight bits, RGBA
    header.setUint8(8, 8)
    header.setUint8(9, 6)
    this.chunk('IHDR', new Uint8Array(header.buffer))
    const density = new DataView(new ArrayBuffer(9))
    density.setUint32(0, Math.round(dpi / INCH))
    density.setUint32(4, Math.round(dpi / INCH))
    density.setUint8(8, 1)
    this.chunk('pHYs', new Uint8Array(density.buffer))
    if (title) this.chunk('iTXt', internationalText('Title', title))
    this.deflate = new Zlib({ level: 6 }, (bytes) => bytes.length && this.chunk('IDAT', bytes))
  }

  /** RGBA rows from top to bottom. */
  addRows(pixels: Uint8Array): void {
    const stride = 4 * this.width
    const rows = pixels.length / stride
    const filtered = new Uint8Array(rows * (stride + 1))
    for (let y = 0; y < rows; y++) {
      const at = y * (stride + 1)
      // filter 1: each byte less the one of the pixel before it
      filtered[at] = 1
      for (let i = 0; i < stride; i++) filtered[at + 1 + i] = pixels[y * stride + i]! - (i >= 4 ? pixels[y * stride + i - 4]! : 0)
    }
    this.deflate.push(filtered)
  }

  finish(): Blob {
    this.deflate.push(new Uint8Array(0), true)
    this.chunk('IEND', new Uint8Array(0))
    return new Blob(this.pieces, { type: 'image/png' })
  }

  private chunk(type: string, data: Uint8Array): void {
    const bytes = new Uint8Array(12 + data.length)
    const view = new DataView(bytes.buffer)
    view.setUint32(0, data.length)
    for (let i = 0; i < 4; i++) bytes[4 + i] = type.charCodeAt(i)
    bytes.set(data, 8)
    view.setUint32(8 + data.length, checksum(bytes.subarray(4, 8 + data.length)))
    this.pieces.push(bytes)
  }
}

/** Uncompressed, without a language. */
function internationalText(keyword: string, text: string): Uint8Array {
  const encoder = new TextEncoder()
  return Uint8Array.from([...encoder.encode(keyword), 0, 0, 0, 0, 0, ...encoder.encode(text)])
}

const table = new Uint32Array(256).map((_, n) => {
  let c = n
  for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1
  return c
})

function checksum(bytes: Uint8Array): number {
  let c = 0xffffffff
  for (let i = 0; i < bytes.length; i++) c = table[(c ^ bytes[i]!) & 255]! ^ (c >>> 8)
  return (c ^ 0xffffffff) >>> 0
}

/** Of pixels that are all there: RGBA, 4 × width × height. */
export function pngOf(pixels: Uint8Array, [width, height]: readonly [number, number], dpi: number, title?: string): Blob {
  const png = new PngWriter(width, height, dpi, title)
  png.addRows(pixels)
  return png.finish()
}
