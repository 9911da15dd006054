/** Hash tables on typed arrays, skins on their own, and points read by pages. */
import { describe, expect, it, test } from 'vitest'
import type { OpenCase } from '../../../core/formats/Format'
import { cellFaces } from '../../../core/mesh/cellTypes'
import { curveKeys, hilbertKey } from '../../../core/mesh/curveOrder'
import { matchFaces, FaceMatcher, NO_NODE } from '../../../core/mesh/faceMatching'
import { Growing } from '../../../core/mesh/growing'
import { HashIndex, hashOfThree, Numbering } from '../../../core/mesh/numbering'
import { skinOf } from '../../../core/mesh/skin'
import { PagedPoints } from '../../../core/store/pagedPoints'
import type { ScratchFile } from '../../../core/scratch'
import type { Catalogue } from '../../../core/case/catalogue'
import { firstLook, lookFaces, lookValues } from '../../../server/cases/firstLook'
import { boxKinds, boxMesh } from '../../support/meshes'

describe('hashing', () => {
  it('finds every entry of a table and no other', () => {
    const n = 3000
    const points = Float64Array.from({ length: 3 * n }, (_, i) => Math.sin(i) * 1e3)
    const hash = (p: number): number => hashOfThree(points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!)
    const index = new HashIndex(n, hash)
    for (let p = 0; p < n; p += 7) expect(index.find(hash(p), (q) => q === p)).toBe(p)
    expect(index.find(hashOfThree(1, 2, 3), () => false)).toBe(-1)
  })

  it('takes 0 and -0 for one, and tells neighbours apart', () => {
    expect(hashOfThree(0, -0, 1)).toBe(hashOfThree(-0, 0, 1))
    const hashes = new Set<number>()
    for (let i = 0; i < 40; i++) for (let j = 0; j < 40; j++) hashes.add(hashOfThree(i, j, 0))
    expect(hashes.size).toBeGreaterThan(1590)
  })

  it('an empty table holds nothing', () => expect(new HashIndex(0, () => 0).find(5, () => true)).toBe(-1))

  it('numbers may be as large as 32 bits hold', () => {
    const numbering = new Numbering(2)
    expect([2 ** 32 - 1, 0, 2 ** 31, 2 ** 32 - 1].map((n) => numbering.place(n))).toEqual([0, 1, 2, 0])
    expect(numbering.length).toBe(3)
  })
})

test('a growing list gives its items before it is finished', () => {
  const list = new Growing(Float64Array)
  for (let i = 0; i < 5000; i++) list.push(i / 2)
  list.pushAll([7, 8])
  expect([list.at(4999), list.at(5001), list.length]).toEqual([2499.5, 8, 5002])
})

describe.each(boxKinds)('the skin of a box of %s cells', (kind) => {
  const mesh = boxMesh({ n: 5, kind, size: [2, 3, 4] })
  const skin = skinOf(mesh)

  it('is closed: every edge lies on two faces, once in each direction', () => {
    const edges = new Map<string, number>()
    for (let f = 0; f + 1 < skin.starts.length; f++) {
      const nodes = skin.nodes.subarray(skin.starts[f]!, skin.starts[f + 1]!)
      nodes.forEach((a, i) => {
        const b = nodes[(i + 1) % nodes.length]!
        edges.set(`${a} ${b}`, (edges.get(`${a} ${b}`) ?? 0) + 1)
      })
    }
    for (const [edge, n] of edges) expect([n, edges.get(edge.split(' ').reverse().join(' '))]).toEqual([1, 1])
  })

  it('has each of its points once, with the number it has in the region', () => {
    expect(new Set(skin.numbers).size).toBe(skin.numbers.length)
    skin.numbers.forEach((number, p) =>
      expect([...skin.points.subarray(3 * p, 3 * p + 3)]).toEqual([...mesh.points.subarray(3 * number, 3 * number + 3)]),
    )
  })

  it('is the same from cells that come in lots', () => {
    const matcher = new FaceMatcher(mesh.points.length / 3)
    for (let from = 0; from < mesh.types.length; from += 17) {
      const to = Math.min(from + 17, mesh.types.length)
      const first = mesh.offsets[from]!
      matcher.add(
        {
          types: mesh.types.subarray(from, to),
          offsets: mesh.offsets.slice(from, to + 1).map((o) => o - first),
          connectivity: mesh.connectivity.subarray(first, mesh.offsets[to]!),
        },
        from,
      )
    }
    const boundary = matcher.finish()
    expect([...boundary]).toEqual([...matchFaces(mesh, mesh.points.length / 3)])
    expect(skinOf(mesh, boundary)).toEqual(skin)
  })

  it('is drawn about its middle as a first look, with the area of the box', () => {
    const { meta, arrays } = firstLook(lookFaces([{ name: 'box', skin, pointSources: undefined }]))
    expect((meta as { origin: number[] }).origin).toEqual([1, 1.5, 2])
    const [points, elements] = [arrays['points']!, arrays['elements']!]
    let area = 0
    for (let e = 0; e < elements.length; e += 3) {
      const [a, b, c] = [0, 1, 2].map((i) => Array.from(points.subarray(3 * elements[e + i]!, 3 * elements[e + i]! + 3))) as [
        number[],
        number[],
        number[],
      ]
      const u = b.map((x, d) => x - a[d]!)
      const v = c.map((x, d) => x - a[d]!)
      area += Math.hypot(u[1]! * v[2]! - u[2]! * v[1]!, u[2]! * v[0]! - u[0]! * v[2]!, u[0]! * v[1]! - u[1]! * v[0]!) / 2
    }
    expect(area).toBeCloseTo(2 * (6 + 8 + 12), 4)
  })
})

describe('the first look is coloured', () => {
  const mesh = boxMesh({ n: 3, size: [2, 3, 4] })
  const skin = skinOf(mesh)
  const part = { name: 'box', skin, pointSources: undefined }
  const field = (name: string, place: string, components = 1) => ({
    name,
    place,
    components,
    kind: 'scalar',
    numberType: 'Float64',
    unit: 'K',
    parts: ['box'],
    moments: [0],
  })
  const opened = (values: Float64Array, components: number, place: 'point' | 'cell', isWindowed: boolean): OpenCase =>
    ({
      values: async () => ({ values, components, place }),
      ...(isWindowed && {
        valuesWindow: async (_: string, __: string, ___: number, from: number, to: number) =>
          values.slice(from * components, to * components),
      }),
    }) as unknown as OpenCase
  const wanted = (...fields: ReturnType<typeof field>[]) => ({ fields }) as unknown as Catalogue

  it.each([true, false])('by values at points, a scalar before a vector (in windows: %s)', async (isWindowed) => {
    const x = Float64Array.from({ length: mesh.points.length / 3 }, (_, p) => mesh.points[3 * p]!)
    const look = (await lookValues(opened(x, 1, 'point', isWindowed), wanted(field('U', 'point', 3), field('x', 'point')), [part]))!
    expect(look).toMatchObject({ name: 'x', unit: 'K', place: 'point', range: [0, 2] })
    look.values.forEach((value, p) => expect(value).toBeCloseTo(skin.points[3 * p]!, 6))
    expect(firstLook(lookFaces([part]), look).meta.values).toEqual({ name: 'x', unit: 'K', place: 'point', range: [0, 2] })
  })

  it('by the value of the cell behind each face, of vectors by magnitude, never by numbers of cells', async () => {
    const values = Float64Array.from({ length: 3 * mesh.types.length }, (_, i) =>
      i % 3 === 2 ? 0 : (i % 3 === 0 ? 3 : 4) * Math.floor(i / 3),
    )
    const look = (await lookValues(opened(values, 3, 'cell', false), wanted(field('U', 'cell', 3), field('cell number', 'cell')), [part]))!
    expect(look).toMatchObject({ name: 'mag(U)', place: 'element' })
    // two triangles to a face
    skin.cells.forEach((cell, f) => expect([look.values[2 * f], look.values[2 * f + 1]]).toEqual([5 * cell, 5 * cell]))
  })

  it('by nothing where no field is on all of it', async () => {
    expect(
      await lookValues(opened(new Float64Array(0), 1, 'point', false), wanted(field('x', 'point')), [part, { ...part, name: 'other' }]),
    ).toBeUndefined()
    expect(await lookValues(opened(new Float64Array(64).fill(NaN), 1, 'point', false), wanted(field('x', 'point')), [part])).toBeUndefined()
  })
})

test('the curve by its table is the curve by its bits', () => {
  const points = Float64Array.from({ length: 3000 }, (_, i) => Math.abs(Math.sin(37 * i)) * 1023)
  const n = points.length / 3
  const keys = curveKeys(
    points,
    { offsets: Uint32Array.from({ length: n + 1 }, (_, i) => i), connectivity: Uint32Array.from({ length: n }, (_, i) => i) },
    [0, 0, 0, 1024 - 1e-6, 1, 1],
  )
  expect([...keys]).toEqual(
    Array.from({ length: n }, (_, p) =>
      hilbertKey(Math.floor(points[3 * p]!), Math.floor(points[3 * p + 1]!), Math.floor(points[3 * p + 2]!)),
    ),
  )
})

test('faces without twin keep their nodes, in the order of their cells', () => {
  const mesh = boxMesh({ n: 2, kind: 'wedge' })
  const matcher = new FaceMatcher(mesh.points.length / 3, true)
  // numbers of their own, backwards
  matcher.add(
    mesh,
    Uint32Array.from(mesh.types, (_, c) => 1000 - c),
  )
  const { boundary, nodes } = matcher.finishWithNodes()
  const plain = matchFaces(mesh, mesh.points.length / 3)
  expect(boundary.length).toBe(plain.length)
  for (let i = 0; i < boundary.length; i += 2) {
    const cell = 1000 - boundary[i]!
    const own = cellFaces[mesh.types[cell]!]![boundary[i + 1]!]!.map((local) => mesh.connectivity[mesh.offsets[cell]! + local]!)
    expect([...nodes.subarray(2 * i, 2 * i + 4)]).toEqual(own.length === 3 ? [...own, NO_NODE] : own)
    if (i) expect(boundary[i]! >= boundary[i - 2]!).toBe(true)
  }
  expect(matcher.waitingBytes).toBeGreaterThan((33 * boundary.length) / 2)
})

test.each([Float32Array, Float64Array])('points read by pages are those written, however few pages are kept (%o)', (type) => {
  const n = 150_000
  const all = new type(3 * n)
  for (let i = 0; i < all.length; i++) all[i] = Math.fround(Math.cos(i))
  const bytes = new Uint8Array(all.buffer)
  let reads = 0
  const file: ScratchFile = {
    append: () => 0,
    write: () => undefined,
    close: () => undefined,
    read: (at, into) => {
      reads++
      into.set(bytes.subarray(at, at + into.length))
    },
  }
  const points = new PagedPoints(file, n, type === Float32Array, 2)
  const numbers = Uint32Array.from({ length: 4000 }, (_, i) => (i * 7919) % n)
  const gathered = points.gather(numbers)
  expect(gathered).toBeInstanceOf(type)
  numbers.forEach((p, i) => expect(gathered[3 * i + 1]).toBe(all[3 * p + 1]))
  const before = reads
  points.gather(Uint32Array.from({ length: 100 }, (_, i) => n - 1 - i))
  points.gather(Uint32Array.from({ length: 100 }, (_, i) => n - 1 - i))
  // the last page serves all of them
  expect(reads - before).toBeLessThanOrEqual(1)
})
