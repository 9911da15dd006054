import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest'
import { info } from '../../../cli/info'
import { measureFile } from '../../../cli/measure'
import { frdFile } from '../../support/writers/frd'
import { exodusClassic } from '../../support/writers/netcdf'
import { boxModel } from '../../support/writers/model'

const model = boxModel()
let root: string
let said: string
let warned: string
const path = (name: string): string => join(root, name)

beforeAll(async () => {
  root = await mkdtemp(join(tmpdir(), 'stavik-measure-'))
  await writeFile(path('box.exo'), exodusClassic(model, 2, [0, 1, 4]))
  await writeFile(
    path('modes.frd'),
    frdFile(model, 'double', [
      { kind: 2, value: 12.5, step: 1 },
      { kind: 2, value: 80, step: 2 },
    ]),
  )
})
afterAll(() => rm(root, { recursive: true, force: true }))

beforeEach(() => {
  said = warned = ''
  vi.spyOn(process.stdout, 'write').mockImplementation((text) => Boolean((said += String(text))))
  vi.spyOn(process.stderr, 'write').mockImplementation((text) => Boolean((warned += String(text))))
})
afterEach(() => vi.restoreAllMocks())

async function measured(...args: string[]): Promise<{ expr: string; value: number; unit: string | null }[]> {
  await measureFile([path('box.exo'), ...args, '--json'])
  return JSON.parse(said)
}

describe('measure', () => {
  it.each<[string, number]>([
    ['mean(temp)', 291.75],
    ['integral(temp)', 291.75],
    ['integral(1)', 1],
    ['min(temp)', 289.5],
    ['max(temp)', 294],
    ['percentile(temp, 100)', 294],
    ['percentile(temp, 0, on = "Inlet")', 289.5],
    ['mean(vel.x)', 3],
    ['integral(dot(vel, normal), on = "Outlet")', 2.5],
    ['integral(1, on = "Walls")', 6],
    ['mean(temp, on = "Inlet")', 290.75],
    ['mean(press)', 100],
    ['integral(dot(vel, normal), on = "outer")', 3],
    ['mean(0 * temp + 7 K, by = vel, on = "Outlet")', 7],
    ['(max(temp) - min(temp)) / 2', 2.25],
    ['-integral(dot(vel, normal), on = "Inlet") * 2 ^ 2', 2],
  ])('%s', async (expression, value) => {
    const [row] = await measured(expression)
    expect(row!.expr).toBe(expression)
    expect(row!.value).toBeCloseTo(value, 10)
  })

  it('several at once, as a table with units', async () => {
    await measureFile([path('box.exo'), 'mean(temp)', 'integral(1)'])
    expect(said).toMatch(/mean\(temp\)\s+=\s+291\.75\d*\s+\(unit unknown\)\n/)
    expect(said.trim().split('\n')).toHaveLength(2)
  })

  it('at a time: the exact one, or the nearest, which is named', async () => {
    expect((await measured('mean(temp)', '--time', '4'))[0]!.value).toBeCloseTo(295.75, 10)
    expect(warned).toBe('')
    said = ''
    expect((await measured('mean(temp)', '--time', '0.9'))[0]!.value).toBeCloseTo(292.75, 10)
    expect(warned).toMatch(/no time 0\.9; the nearest, 1, is used/)
    said = ''
    expect((await measured('mean(temp)', '--moment', '2'))[0]!.value).toBeCloseTo(295.75, 10)
  })

  it('at other moments, and over all of them', async () => {
    // 291.75 at 0, one more each second
    const rows = await measured('mean(at(last, temp) - temp)', 'mean(ddt(temp))', 'mean(mean(temp, over = times))', '--moment', '1')
    expect(rows.map(({ value }) => Number(value.toFixed(9)))).toEqual([3, 1, 293.75])
    said = ''
    const kept = await measured('mean(at(last, temp) - temp)', '--keep', 'at(last, temp) > 295.75')
    expect(kept[0]!.value).toBeCloseTo(4, 10)
  })

  it('on one part', async () => {
    expect((await measured('mean(temp)', '--region', 'Outlet'))[0]!.value).toBeCloseTo(292.75, 10)
  })

  it('in the part where a condition holds: its volume, means, and what of surfaces lies in it', async () => {
    const value = async (...args: string[]): Promise<number> => {
      said = ''
      return (await measured(...args))[0]!.value
    }
    const x = "pos.x < 0.7 'm' or pos.x >= 0.7 'm' and pos.x < 1.1 'm'"
    expect(await value('integral(1)', '--keep', x)).toBeCloseTo(0.55, 12)
    expect(await value('integral(temp)', '--keep', x)).toBeCloseTo(
      (await value('integral(temp)')) - (await value('integral(temp)', '--keep', `not (${x})`)),
      10,
    )
    expect(await value('integral(1, on = "Walls")', '--keep', x)).toBeCloseTo(1.1 * 2 * 1.5, 10)
    expect(await value('integral(1, on = "outer")', '--keep', x)).toBeCloseTo(1.1 * 2 * 1.5 + 2 * 0.5, 10)
  })

  it('over all moments, as a table, as JSON and as CSV', async () => {
    const args = [path('box.exo'), 'mean(temp)', 'integral(1)', '--over', 'times', '--keep', 'temp > 290']
    await measureFile([...args, '--json'])
    const rows = JSON.parse(said) as { moment: number; time: number; results: { value: number }[] }[]
    expect(rows.map(({ moment, time }) => [moment, time])).toEqual([
      [0, 0],
      [1, 1],
      [2, 4],
    ])
    expect(rows[2]!.results.map(({ value }) => value)).toEqual([expect.closeTo(295.75, 10), expect.closeTo(1, 12)])
    said = ''
    await measureFile([...args, '--csv'])
    expect(said.split('\n')[0]).toMatch(/^moment,time,mean\(temp\),integral\(1\)/)
    expect(said.trim().split('\n')).toHaveLength(4)
    said = ''
    await measureFile(args)
    expect(said).toMatch(/^moment\s+time\s+mean\(temp\)/)
  })

  it.each<[string[], RegExp]>([
    [['mean(temp)', '--over', 'everything'], /--over takes times or moments, not “everything”/],
    [['mean(temp)', '--over', 'times', '--moment', '1'], /not both/],
    [['mean(temp)', '--keep', 'temp'], /“temp” is a value, not a condition/],
    [['mean(temp)', '--keep', 'temp >'], /in “temp >” at character 7/],
    [['mean(temp)', '--keep', 'temp > 900'], /There is nothing to measure/],
    [['sum(temp)', '--keep', 'temp > 290'], /sum/],
    [['mean(rain)'], /in “mean\(rain\)” at character 6: There is no field or formula “rain”/],
    [['temp'], /is a field, not a number/],
    [['mean(temp'], /at character/],
    [['mean(temp)', '--region', 'Air'], /no region “Air”; the file has Water, Inlet, Outlet, Walls/],
    [['mean(temp)', '--moment', '9'], /no moment 9; the file has 0 to 2/],
    [['mean(temp)', '--time', 'noon'], /takes a number, not “noon”/],
    [['mean(temp, on = "Moon")'], /no part “Moon”/],
    [['mean(temp, over = "Inlet")'], /takes the options on = "…" and by = …, not “over”/],
    [[], /Name a file and at least one expression/],
    [['--colour', 'red'], /usage/],
  ])('%o says what is wrong', async (args, message) => {
    await expect(measureFile([path('box.exo'), ...args])).rejects.toThrow(message)
    expect(said).toBe('')
  })
})

describe('info', () => {
  it('as JSON has the keys others rely on', async () => {
    await info([path('box.exo'), '--json'])
    const found = JSON.parse(said)
    expect(Object.keys(found)).toEqual(['format', 'regions', 'surfaces', 'lines', 'clouds', 'times', 'moments', 'fields', 'cautions'])
    expect(found.regions[0]).toMatchObject({
      name: 'Water',
      cells: 24,
      points: 60,
      cellTypes: { hexahedron: 24 },
      bounds: [0, 0, 0, 2, 1, 0.5],
    })
    expect(found.surfaces.map((s: { name: string; faces: number }) => [s.name, s.faces])).toEqual([
      ['Inlet', 6],
      ['Outlet', 6],
      ['Walls', 40],
    ])
    expect(found.times).toEqual([0, 1, 4])
    const velocity = found.fields.find((f: { name: string; region: string }) => f.name === 'vel' && f.region === 'Water')
    expect(velocity).toMatchObject({
      on: 'points',
      place: 'point',
      kind: 'vector',
      components: 3,
      unit: null,
      moments: [0, 1, 2],
      nonFinite: 0,
    })
    expect(velocity.min).toBeCloseTo(1, 12)
    expect(velocity.max).toBeCloseTo(Math.hypot(5, 1), 12)
    expect(velocity.componentRanges).toEqual([
      [1, 5],
      [0, 1],
      [0, 0],
    ])
  })

  it('in words lists regions, surfaces and fields, and what the moments are', async () => {
    await info([path('modes.frd')])
    expect(said).toMatch(/^CalculiX frd, 2 moments \(mode\), mode 1: 12\.5 Hz to mode 2: 80 Hz/)
    for (const heading of ['Regions', 'Surfaces', 'Fields']) expect(said).toContain(heading)
    expect(said).toMatch(/STRESS\s+region\s+points\s+6/)
  })

  it.each<[string[], RegExp]>([
    [[], /Name a result file/],
    [['nowhere.vtu'], /no such file/],
    [['--verbose'], /usage/],
  ])('%o says what is wrong', async (args, message) => {
    await expect(info(args.map((arg) => (arg.startsWith('--') ? arg : path(arg))))).rejects.toThrow(message)
  })
})
