import { describe, expect, it } from 'vitest'
import { colourAt, colourTable } from '../../../core/colour/maps'
import { formatNumber, ticks } from '../../../core/colour/ticks'
import { decodeField, decodeMesh, writeMesh } from '../../../core/store/blockStore'
import { decodePacket, encodePacket } from '../../../core/store/packet'
import { partition } from '../../../core/store/partition'
import { budgets } from '../../../server/settings'
import { surfaceEdges } from '../../../stage/edges'
import { writeField } from '../../support/kernelCases'
import { atPoints, boxMesh } from '../../support/meshes'

describe('packets', () => {
  const arrays = { a: Float64Array.of(1.5, -2), b: Uint8Array.of(1, 2, 3), c: Float32Array.of(NaN, 0.25), d: new Uint32Array(0) }

  it('come back as they were, from shared memory too', () => {
    const bytes = encodePacket({ meta: { name: 'x · ü' }, arrays })
    const shared = new SharedArrayBuffer(bytes.length)
    new Uint8Array(shared).set(bytes)
    for (const buffer of [bytes.buffer, shared]) {
      const packet = decodePacket(buffer)
      expect(packet.meta).toEqual({ name: 'x · ü' })
      for (const [name, array] of Object.entries(arrays)) expect([...packet.arrays[name]!]).toEqual([...array])
      expect(packet.arrays['a']!.byteOffset % 8).toBe(0)
    }
  })

  it('damaged ones are refused', () => {
    const bytes = encodePacket({ meta: {}, arrays })
    expect(() => decodePacket(bytes.buffer.slice(0, 40))).toThrow(/damaged/)
    expect(() => decodePacket(bytes.buffer.slice(0, bytes.length - 24))).toThrow(/damaged/)
    expect(() => decodePacket(new ArrayBuffer(64))).toThrow(/damaged/)
  })
})

describe('the block store', () => {
  const mesh = boxMesh({ n: 14, kind: 'mixed' })
  const values = atPoints(mesh, (x, y, z) => x + 10 * y + 100 * z)

  async function store(blockCells: number) {
    const chunks: Uint8Array[] = []
    const sink = { append: async (bytes: Uint8Array) => void chunks.push(bytes.slice()) }
    const index = await writeMesh(partition(mesh, blockCells), sink, () => undefined)
    const blocks = chunks.splice(0).map((bytes) => decodeMesh(bytes.buffer))
    const field = await writeField({ values, components: 1, place: 'point' }, blocks, sink)
    return { index, blocks, field, fields: chunks.map((bytes) => decodeField(bytes.buffer)) }
  }

  it('holds every cell once and every value with its point', async () => {
    const { index, blocks, field, fields } = await store(1024)
    expect(blocks.length).toBe(Math.ceil(mesh.types.length / 1024))
    expect(index.extents[index.extents.length - 1]![1]).toBeGreaterThan(0)
    const cells = blocks.flatMap((b) => [...b.cellNumbers]).sort((a, b) => a - b)
    expect(cells).toEqual([...Array(mesh.types.length).keys()])
    blocks.forEach((block, k) => {
      for (let i = 0; i < block.pointNumbers.length; i += 97) {
        const p = block.pointNumbers[i]!
        expect([...block.points.subarray(3 * i, 3 * i + 3)]).toEqual([...mesh.points.subarray(3 * p, 3 * p + 3)])
        expect(fields[k]!.values[i]).toBe(values[p])
      }
      const [lo, hi] = field.ranges[k]!
      expect(lo).toBe(Math.min(...fields[k]!.values))
      expect(hi).toBe(Math.max(...fields[k]!.values))
    })
  })

  it('knows the same boundary whatever the block size', async () => {
    const skins = await Promise.all(
      [1024, 4096].map(async (n) =>
        (await store(n)).blocks
          .flatMap((b) => Array.from({ length: b.skin.length / 2 }, (_, i) => `${b.cellNumbers[b.skin[2 * i]!]} ${b.skin[2 * i + 1]}`))
          .sort(),
      ),
    )
    expect(skins[0]).toEqual(skins[1])
  })

  it('counts what is not finite and keeps it out of the ranges', async () => {
    const spoiled = Float64Array.from(values)
    spoiled[5] = NaN
    const { blocks } = await store(1024 * 64)
    const index = await writeField({ values: spoiled, components: 1, place: 'point' }, blocks, { append: async () => undefined })
    expect(index.nonFinite).toBe(1)
    expect(index.ranges[0]!.every(Number.isFinite)).toBe(true)
  })
})

describe('memory', () => {
  it.each([0.5, 1, 2, 8, 64])('the shares of %d GiB leave room for the process and its threads', (gib) => {
    for (const cores of [1, 2, 8]) {
      const share = budgets(gib * 2 ** 30, cores)
      expect(share.threads).toBeGreaterThanOrEqual(1)
      expect(share.arena).toBeGreaterThanOrEqual(48 * 2 ** 20)
      const all = share.import + share.reading + share.arena + 192 * 2 ** 20 + share.threads * 64 * 2 ** 20
      // the smallest arena is more than is left of half a GiB
      expect(all).toBeLessThanOrEqual(gib * 2 ** 30 * (gib < 1 ? 1.1 : 1))
    }
  })
})

describe('colours and numbers', () => {
  it('maps are those of their tables', () => {
    expect(colourAt('viridis', 0)).toEqual([0x44, 0x01, 0x54])
    expect([...colourTable('magma').slice(-4)]).toEqual([0xfc, 0xfd, 0xbf, 255])
  })

  it.each([
    [0, 0.412, 5, [0, 0.1, 0.2, 0.3, 0.4]],
    [278.3, 291, 5, [280, 285, 290]],
    [-1, 1, 4, [-1, -0.5, 0, 0.5, 1]],
    [5, 5, 5, [5]],
    [0.24999999999, 0.25, 5, [0.25]],
  ])('ticks of %d to %d', (min, max, n, list) => {
    expect(ticks(min, max, n)).toEqual(list)
  })

  it.each([
    [0.123456, '0.1235'],
    [12345.678, '12\u2009350'],
    [1234567, '1.235e6'],
    [-0.5, '−0.5'],
    [1.2e-5, '1.2e−5'],
    [-3e-7, '−3e−7'],
    [0, '0'],
    [NaN, 'not a number'],
    [-Infinity, '−∞'],
  ])('%d is written %s', (value, text) => {
    expect(formatNumber(value)).toBe(text)
  })
})

describe('edges of a surface', () => {
  /** A square of two triangles, once more folded up along one side, its points apart as between blocks. */
  const points = Float32Array.of(0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 1, 0, 0, 1, 1, 0, 1, 1, 1, 1, 0, 1)
  const elements = Uint32Array.of(0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7)

  it('are its border and its creases', () => {
    expect(surfaceEdges(points, elements, null).length / 2).toBe(7)
    // laid flat there is no crease
    const flat = points.slice()
    flat[18] = flat[21] = 2
    flat[20] = flat[23] = 0
    expect(surfaceEdges(flat, elements, null).length / 2).toBe(6)
  })

  it.each([
    [0, 0],
    [0.1, 0],
    [1, 3],
  ])('slivers between points that hang on a side face as what is beside them: the strip behind rises by %d', (bend, creases) => {
    // a square with two points on its upper side, beside a strip of three smaller faces that goes on in its plane or is bent
    const hung = Float32Array.of(0, 0, 0, 3, 0, 0, 3, 3, 0, 2, 3, 1e-7, 1, 3, -1e-7, 0, 3, 0, 3, 4, bend, 0, 4, bend)
    // the fan from a corner beside them leaves slivers of three points in a row
    const fan = [0, 1, 2, 0, 2, 5, 2, 3, 5, 3, 4, 5, 2, 6, 3, 3, 6, 4, 4, 6, 7, 4, 7, 5]
    const found = surfaceEdges(hung, Uint32Array.from(fan), null)
    const isBorder = (p: number, q: number): boolean =>
      (hung[3 * p] === hung[3 * q] && hung[3 * p]! % 3 === 0) || (hung[3 * p + 1] === hung[3 * q + 1] && [0, 4].includes(hung[3 * p + 1]!))
    const inner = Array.from({ length: found.length / 2 }, (_, e) => [found[2 * e]!, found[2 * e + 1]!] as const).filter(
      ([p, q]) => !isBorder(p, q),
    )
    expect(found.length / 2 - inner.length).toBe(6)
    expect(inner.length).toBe(creases)
  })

  it('or the borders of its cells', () => {
    expect(surfaceEdges(points, elements, Uint32Array.of(0, 0, 1, 1)).length / 2).toBe(7)
    expect(surfaceEdges(points, elements, Uint32Array.of(0, 1, 2, 3)).length / 2).toBe(9)
  })
})
