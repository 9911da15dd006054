import { inflateSync } from 'node:zlib'
import { describe, expect, it } from 'vitest'
import { drawLegend, legendSize } from '../../../stage/legend'
import type { LegendSpec } from '../../../stage/legend'
import { PngWriter } from '../../../stage/png'

interface Chunk {
  type: string
  data: Buffer
}

function chunksOf(file: Buffer): Chunk[] {
  expect([...file.subarray(0, 8)]).toEqual([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a])
  const chunks: Chunk[] = []
  for (let at = 8; at < file.length;) {
    const size = file.readUInt32BE(at)
    chunks.push({ type: file.toString('latin1', at + 4, at + 8), data: file.subarray(at + 8, at + 8 + size) })
    at += 12 + size
  }
  return chunks
}

/** Pixels of a file written with the first filter. */
function pixelsOf(chunks: Chunk[], width: number): number[] {
  const raw = inflateSync(Buffer.concat(chunks.filter((c) => c.type === 'IDAT').map((c) => c.data)))
  const stride = 4 * width
  const out: number[] = []
  for (let y = 0; y * (stride + 1) < raw.length; y++) {
    expect(raw[y * (stride + 1)]).toBe(1)
    for (let i = 0; i < stride; i++) {
      const left = i >= 4 ? out[y * stride + i - 4]! : 0
      out.push((raw[y * (stride + 1) + 1 + i]! + left) & 255)
    }
  }
  return out
}

async function written(width: number, rows: Uint8Array[], dpi = 300): Promise<Buffer> {
  const writer = new PngWriter(
    width,
    rows.reduce((n, r) => n + r.length / (4 * width), 0),
    dpi,
  )
  for (const piece of rows) writer.addRows(piece)
  return Buffer.from(await writer.finish().arrayBuffer())
}

describe('PNG', () => {
  it('keeps every pixel, however the rows were handed over', async () => {
    const [width, height] = [7, 9]
    const pixels = Uint8Array.from({ length: 4 * width * height }, (_, i) => (i * 37 + (i >> 3)) & 255)
    const whole = chunksOf(await written(width, [pixels]))
    const parts = chunksOf(
      await written(width, [
        pixels.subarray(0, 4 * width * 2),
        pixels.subarray(4 * width * 2, 4 * width * 5),
        pixels.subarray(4 * width * 5),
      ]),
    )
    expect(pixelsOf(whole, width)).toEqual([...pixels])
    expect(pixelsOf(parts, width)).toEqual([...pixels])
  })

  it('states its size and resolution', async () => {
    const chunks = chunksOf(await written(3, [new Uint8Array(24)], 300))
    expect(chunks.map((c) => c.type).filter((t, i, all) => all.indexOf(t) === i)).toEqual(['IHDR', 'pHYs', 'IDAT', 'IEND'])
    const [header, density] = chunks
    expect([header!.data.readUInt32BE(0), header!.data.readUInt32BE(4), header!.data[8], header!.data[9]]).toEqual([3, 2, 8, 6])
    // dots per metre
    expect([density!.data.readUInt32BE(0), density!.data[8]]).toEqual([11811, 1])
  })

  it('has checksums that fit', async () => {
    const file = await written(2, [new Uint8Array(16).fill(200)])
    // the empty last chunk always has this one
    expect(file.subarray(file.length - 12).toString('hex')).toBe('0000000049454e44ae426082')
  })
})

/** A canvas that writes down what is drawn. */
function recorder() {
  const texts: string[] = []
  const spans: { from: number; to: number; row: number }[] = []
  const rects: { x: number; y: number; width: number; height: number; fill: unknown }[] = []
  const stops: [number, string][] = []
  const context = {
    fillStyle: '' as unknown,
    font: '',
    textBaseline: '',
    save: () => undefined,
    restore: () => undefined,
    translate: () => undefined,
    scale: () => undefined,
    measureText: (text: string) => ({ width: 4 * text.length }),
    fillText(text: string, x: number, y: number) {
      texts.push(text)
      spans.push({ from: x, to: x + 4 * text.length, row: y })
    },
    fillRect(x: number, y: number, width: number, height: number) {
      rects.push({ x, y, width, height, fill: context.fillStyle })
    },
    createLinearGradient: () => ({ addColorStop: (at: number, colour: string) => void stops.push([at, colour]) }),
  }
  return { context: context as unknown as CanvasRenderingContext2D, texts, spans, rects, stops }
}

const spec: LegendSpec = {
  variable: 'speed',
  steps: ['slice'],
  name: 'speed',
  unit: 'm/s',
  range: 'this step',
  map: 'viridis',
  scale: { min: 0, max: 0.4, bands: 0 },
  seen: null,
  isOfMoment: false,
  isReady: true,
}

function drawn(change: Partial<LegendSpec> = {}) {
  const canvas = recorder()
  drawLegend(canvas.context, { ...spec, ...change }, 10, 10, 2)
  return canvas
}

describe('a legend', () => {
  it('states variable, unit, whose range it is, round ticks and the exact ends apart', () => {
    const { texts } = drawn({ scale: { ...spec.scale, max: 0.412 }, seen: [0.013, 0.3987] })
    expect(texts.slice(0, 2)).toEqual(['speed', 'm/s · this step'])
    expect(texts).toContain('0.2')
    expect(texts.slice(-2)).toEqual(['max 0.412', 'here 0.013 to 0.3987'])
    // 0 stands at the end of the bar already
    expect(texts).not.toContain('min 0')
    // fewer digits where there is no room
    expect(drawn({ seen: [-1.2345e-7, 2.3456e-7] }).texts.slice(-1)).toEqual(['here −1.23e−7 to 2.35e−7'])
    expect(drawn({ scale: { min: 0.013, max: 0.412, bands: 0 } }).texts.slice(-2)).toEqual(['max 0.412', 'min 0.013'])
    expect(drawn({ seen: [0, 0.4] }).texts.slice(-1)).toEqual(['0.4'])
  })

  it.each([
    [null, 'unit unknown · this step'],
    ['1', 'no unit · this step'],
  ])('says when the unit is %s', (unit, text) => expect(drawn({ unit }).texts[1]).toBe(text))

  it.each([1, 1.6, 3])('lying has both ends, what is seen, and no two texts on one another at %f times the type', (k) => {
    const scale = { min: 45.19, max: 400_000, bands: 0 }
    const { texts, spans } = drawn({ isLying: true, format: 'fixed', digits: 2, size: 8.5 * k, scale, seen: [45.19, 467_835] })
    expect(texts.some((text) => text.includes('45.19') && !text.startsWith('here'))).toBe(true)
    expect(texts.some((text) => text.includes('400000.00'))).toBe(true)
    expect(texts.find((text) => text.startsWith('here'))?.replaceAll(/\s/g, '')).toMatch(/^here45.19to46[78]/)
    for (const [i, a] of spans.entries())
      for (const b of spans.slice(i + 1)) expect(a.row !== b.row || a.to <= b.from || b.to <= a.from).toBe(true)
  })

  it('never rounds a level to another value, whatever digits are asked for', () => {
    const levels = [0, 0.06, 0.12, 0.5]
    const { texts } = drawn({ scale: { min: 0, max: 0.5, bands: 0, levels }, format: 'fixed', digits: 1 })
    expect(texts).toEqual(expect.arrayContaining(['0.06', '0.12', '0.50']))
  })

  it('has as many blocks as bands, of the colours of their middles', () => {
    const { rects } = drawn({ scale: { ...spec.scale, bands: 5 } })
    const blocks = rects.filter((r) => String(r.fill).startsWith('rgb'))
    expect(blocks).toHaveLength(5)
    expect(new Set(blocks.map((b) => b.fill)).size).toBe(5)
    // from the bottom up, without gaps
    for (let i = 1; i < 5; i++) expect(blocks[i]!.y).toBeCloseTo(blocks[i - 1]!.y - 26, 9)
  })

  it('without bands runs smoothly from end to end', () => {
    const { stops } = drawn()
    expect(stops[0]).toEqual([0, 'rgb(68 1 84)'])
    expect(stops[stops.length - 1]![0]).toBe(1)
    expect(stops.length).toBeGreaterThan(30)
  })

  it('shortens a long name to its width, and stands when all values are equal', () => {
    const [title] = drawn({ name: 'a very long name of a variable indeed, one that goes on' }).texts
    expect(title!.endsWith('…')).toBe(true)
    expect(4 * title!.length).toBeLessThanOrEqual(legendSize({})[0])
    expect(drawn({ scale: { min: 3, max: 3, bands: 0 } }).texts).toContain('3')
  })
})
