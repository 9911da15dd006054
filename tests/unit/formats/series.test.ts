import { describe, expect, it } from 'vitest'
import { groupSeries, openNamed } from '../../../core/formats/series'
import { MemoryFolder, vtuFile } from '../../support/vtkFiles'
import type { FileContent } from '../../support/vtkFiles'

const content: FileContent = {
  points: [0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1],
  connectivity: [0, 1, 2, 3],
  offsets: [4],
  types: [10],
  pointData: [{ name: 'T', type: 'Float64', values: [1, 2, 3, 4] }],
}
const at = (change: Partial<FileContent>): Buffer => vtuFile({ ...content, ...change }, { encoding: 'appended raw' })
const openAll = (files: Record<string, Uint8Array>) => openNamed(Object.keys(files), new MemoryFolder(files))

describe('numbered files', () => {
  it.each<[string[], string[][]]>([
    [['b_2.vtu', 'b_10.vtu', 'b_1.vtu'], [['b_1.vtu', 'b_2.vtu', 'b_10.vtu']]],
    [
      ['a1.vtu', 'b1.vtu', 'a2.vtu'],
      [['a1.vtu', 'a2.vtu'], ['b1.vtu']],
    ],
    [
      ['x/1.vtu', 'y/1.vtu'],
      [['x/1.vtu'], ['y/1.vtu']],
    ],
    [
      ['run.vtu', 'run_1.vtu'],
      [['run.vtu'], ['run_1.vtu']],
    ],
    [
      ['run_1.vtu', 'run_1.vtk'],
      [['run_1.vtu'], ['run_1.vtk']],
    ],
    [['v2_007.vtu', 'v2_008.vtu'], [['v2_007.vtu', 'v2_008.vtu']]],
    [[], []],
  ])('%j', (names, groups) => expect(groupSeries(names)).toEqual(groups))

  it('are moments: by the time in the file, else by their place', async () => {
    const timed = await openAll({ 'a_0.vtu': at({ time: 0 }), 'a_1.vtu': at({ time: 2.5 }) })
    expect(timed.catalogue.moments.map((m) => [m.kind, m.value, m.label])).toEqual([
      ['time', 0, '0'],
      ['time', 2.5, '2.5'],
    ])
    const plain = await openAll({ 'a_0.vtu': at({ time: 0 }), 'a_1.vtu': at({}) })
    expect(plain.catalogue.moments.map((m) => [m.kind, m.value, m.label])).toEqual([
      ['index', null, '1'],
      ['index', null, '2'],
    ])
  })

  it.each<[string, Partial<FileContent>, boolean]>([
    ['the same', {}, false],
    ['other values', { pointData: [{ name: 'T', type: 'Float64', values: [5, 6, 7, 8] }] }, false],
    ['one point moved', { points: [0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1.5] }, true],
    ['other cells', { connectivity: [0, 1, 3, 2] }, true],
    ['more points', { points: [...content.points, 5, 5, 5], pointData: [{ name: 'T', type: 'Float64', values: [1, 2, 3, 4, 5] }] }, true],
  ])('have a mesh of their own only where it differs: %s', async (_, change, isOther) => {
    const { catalogue } = await openAll({ 'a_0.vtu': at({}), 'a_1.vtu': at(change), 'a_2.vtu': at({}) })
    expect(catalogue.moments.map((m) => m.topology)).toEqual([0, isOther ? 1 : 0, 0])
  })

  it('know at which moments a field is there', async () => {
    const bare = at({ pointData: [] })
    const { catalogue } = await openAll({ 'a_0.vtu': at({}), 'a_1.vtu': bare, 'a_2.vtu': at({}) })
    expect(catalogue.fields.map((f) => [f.name, f.moments])).toEqual([['T', [0, 2]]])
  })

  it('count their cells anew where these are others, and take ghosts seriously', async () => {
    const two = { connectivity: [0, 1, 2, 3, 0, 1, 2], offsets: [4, 7], types: [10, 5] }
    const opened = await openAll({ 'a_0.vtu': at({}), 'a_1.vtu': at(two) })
    expect(opened.catalogue.moments.map((m) => m.topology)).toEqual([0, 1])
    expect((await opened.mesh('region', 1)).types).toHaveLength(1)
    const marked = { ...two, cellData: [{ name: 'vtkGhostType', type: 'UInt8' as const, values: [0, 1] }] }
    const ghostly = await openAll({ 'a_0.vtu': at(marked), 'a_1.vtu': at(marked) })
    expect(ghostly.catalogue.parts.map((p) => [p.name, p.cells])).toEqual([['region', 1]])
    expect(await ghostly.windows!('region', 1)).toMatchObject({ nCells: 1, cellNumbers: Uint32Array.of(0) })
  })

  it('of many files are opened some at a time, in their order', async () => {
    const files = Object.fromEntries(
      Array.from({ length: 30 }, (_, m) => [`a_${m}.vtu`, at({ time: m / 4, points: content.points.map((x) => (m >= 20 ? 2 : 1) * x) })]),
    )
    const { catalogue } = await openAll(files)
    expect(catalogue.moments.map((m) => m.value)).toEqual(Array.from({ length: 30 }, (_, m) => m / 4))
    expect(catalogue.moments.map((m) => m.topology)).toEqual(Array.from({ length: 30 }, (_, m) => Number(m >= 20)))
  })

  it('of long arrays hide a small movement from a quick look, but not from a full one', async () => {
    const n = 20_000
    const points = Array.from({ length: 3 * n }, (_, i) => (i % 3 === 0 ? i / 3 : (i * 7) % 5))
    const moved = points.map((x, i) => (i === 3 * 1000 ? x + 1 : x))
    const long = (p: number[]): Buffer => at({ points: p, pointData: [] })
    const opened = await openAll({ 'a_0.vtu': long(points), 'a_1.vtu': long(moved), 'a_2.vtu': long(points.map((x) => x + 1)) })
    expect(opened.catalogue.moments.map((m) => m.topology)).toEqual([0, 0, 1])
    const full = await Promise.all([0, 1, 2].map((m) => opened.meshKey('region', m, true)))
    expect(new Set(full).size).toBe(3)
  })

  it('are read each at its own moment', async () => {
    const opened = await openAll({
      'a_0.vtu': at({}),
      'a_1.vtu': at({ pointData: [{ name: 'T', type: 'Float64', values: [5, 6, 7, 8] }], points: content.points.map((x) => 2 * x) }),
    })
    expect([...(await opened.values('region', 'T', 1)).values]).toEqual([5, 6, 7, 8])
    expect([...(await opened.values('region', 'T', 0)).values]).toEqual([1, 2, 3, 4])
    expect((await opened.mesh('region', 1)).points[3]).toBe(2)
    expect(await opened.meshKey('region', 0)).not.toBe(await opened.meshKey('region', 1))
    expect(opened.catalogue.fields.map((f) => f.moments)).toEqual([[0, 1]])
  })

  it('one that is damaged is named', async () => {
    await expect(openAll({ 'a_0.vtu': at({}), 'a_1.vtu': at({}).subarray(0, 300) })).rejects.toThrow(/a_1\.vtu.*cut off/)
    await expect(openAll({ 'a_0.vtu': at({}), 'a_1.vtu': Buffer.alloc(0) })).rejects.toThrow(/a_1\.vtu is empty/)
  })
})
