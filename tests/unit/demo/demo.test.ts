import { wholeDomain } from '../../../core/mesh/Domain'
import { mkdtemp, readFile, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { describeCase } from '../../../cli/info'
import { withCase } from '../../../cli/openCase'
import { measureExpression } from '../../../core/measure/reductions'
import { structureOf } from '../../../core/shapes/indexPlane'
import { PartLocator } from '../../../core/mesh/locate'
import { readCase } from '../../../core/store/memoryCase'
import type { CaseData } from '../../../core/case/CaseData'
import { StreamlineTracer } from '../../../core/trace/streamlines'
import { demoCases, generateDemo, integrated } from '../../../demo/generate'
import type { ExactValues } from '../../../demo/generate'
import { TankFlow } from '../../../demo/flow'
import { sensorError, speedError } from '../../../demo/sideData'
import { planOf } from '../../../core/evaluate/plan'
import { checkStudy } from '../../../core/study/check'
import keptStudy from '../../fixtures/study-2026-11.json'
import { Evaluation, evaluatorFor } from '../../support/evaluation'

let folder: string
let data: CaseData
let exact: ExactValues
let evaluator: Evaluation

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'stavik-demo-'))
  await generateDemo(folder, 30_000)
  data = await withCase(join(folder, 'tank-40', 'tank.vtm'), (opened) => readCase(opened, 0))
  exact = JSON.parse(await readFile(join(folder, 'tank-40', 'exact.json'), 'utf8')) as ExactValues
  evaluator = evaluatorFor(data, {})
}, 60_000)
afterAll(() => rm(folder, { recursive: true, force: true }))

const measured = (text: string, part = 'Water'): number => measureExpression(text, evaluator.data, [part]).value

describe('the field in closed form', () => {
  it('has no divergence, sticks to wall, floor and arm, and stays below the surface', () => {
    const flow = new TankFlow({ flow: 0.04, swirl: 0.28, wander: { size: 0.12, angle: 1 } })
    const h = 1e-4
    for (const [x, y, z] of [
      [1, 2, 0.5],
      [2.1, 1.3, 1.5],
      [3.2, -1, 1.4],
      [3.7, 0.2, 1.5],
      [0.1, 0.05, 0.3],
      [2, 1.2, 2.3],
    ] as const) {
      const divergence = [0, 1, 2].reduce((sum, d) => {
        const shift = [0, 0, 0]
        shift[d] = h
        const [plus, minus] = [1, -1].map((s) => flow.velocity(x + s * shift[0]!, y + s * shift[1]!, z + s * shift[2]!)[d]!)
        return sum + (plus! - minus!) / (2 * h)
      }, 0)
      expect(Math.abs(divergence)).toBeLessThan(1e-5)
    }
    expect(Math.hypot(...flow.velocity(0, 4, 0.8))).toBeLessThan(1e-12)
    expect(Math.hypot(...flow.velocity(1, 2, 0))).toBeLessThan(1e-12)
    expect(Math.hypot(...flow.velocity(2.5 * Math.cos(0.55), 2.5 * Math.sin(0.55), 1.5))).toBeLessThan(1e-12)
    expect(Math.abs(flow.velocity(2, 1.2, 2.4)[2])).toBeLessThan(1e-12)
  })
})

describe('the demo case against what is known of it', () => {
  it('the arm is a structured block, outwards, around and up', () => {
    const arm = data.part('Arm')
    const { cells, points } = data.catalogue.parts.find(({ name }) => name === 'Arm')!
    const [ni, nj, nk] = arm.within(() => structureOf(arm.block(0), cells, points)) ?? []
    expect([nj, ni! * nj! * nk!]).toEqual([1, cells])
  })

  it('volumes and areas are those of the polygonal tank to 1e-10', () => {
    for (const name of ['Water', 'Arm'] as const) expect(measured('integral(1)', name) / exact.volume[name] - 1).toBeCloseTo(0, 10)
    for (const [name, area] of Object.entries(exact.areas))
      expect(measured(`integral(1, on = "${name}")`) / area - 1, name).toBeCloseTo(0, 10)
    expect(measured('mean(pos.z)') / exact.centroid.z - 1).toBeCloseTo(0, 10)
  })

  it('flows close to the stated accuracy, and the boundary as a whole to rounding', () => {
    const { value, relativeAccuracy } = exact.flow
    const out = measured('integral(dot(U, normal), on = "Drain")')
    const into = [1, 2, 3, 4, 5, 6].reduce((sum, n) => sum + measured(`integral(dot(U, normal), on = "Inlet ${n}")`), 0)
    expect(Math.abs(out / value - 1)).toBeLessThan(relativeAccuracy)
    expect(Math.abs(-into / value - 1)).toBeLessThan(relativeAccuracy)
    const surfaces = data.catalogue.parts.filter((p) => p.dimension === 2).map((p) => p.name)
    const sum = surfaces.reduce((total, name) => total + measured(`integral(dot(U, normal), on = "${name}")`), 0)
    // the named surfaces are the whole skin of the water
    expect(sum).toBeCloseTo(measured('integral(dot(U, normal), on = "Water/outer")'), 12)
  })

  it('probes at lattice points give the field itself', () => {
    const water = data.part('Water')
    const locator = new PartLocator(wholeDomain([water]))
    const [x, y, z] = exact.probes[3]!.at as [number, number, number]
    expect(locator.find(x, y, z)).toBe(true)
    const mesh = water.block(locator.block)
    const start = mesh.offsets[locator.cell]!
    const age = [...locator.weights.subarray(0, mesh.offsets[locator.cell + 1]! - start)].reduce(
      (sum, w, i) => sum + w * water.field('age', locator.block).values[mesh.connectivity[start + i]!]!,
      0,
    )
    expect(age).toBeCloseTo(exact.probes[3]!.age, 6)
  })

  it('a streamline ends where the closed form says', () => {
    const { seed, length, end, accuracy } = exact.streamline
    const tracer = new StreamlineTracer(wholeDomain([data.part('Water')]), (p, k) => p.field('U', k))
    const line = tracer.trace(seed[0]!, seed[1]!, seed[2]!, {
      direction: 'downstream',
      tolerance: 1e-7,
      maxLength: length,
      maxSteps: 20_000,
    })
    const distance = Math.hypot(...line.positions.slice(-3).map((c, d) => c - end[d]!))
    expect(distance).toBeLessThan(accuracy)
  })

  it('a streamline through the sides of the sector is that of the whole tank', async () => {
    const own = await withCase(join(folder, 'tank-sector', 'tank.vtm'), (opened) => readCase(opened, 0))
    const closed = new TankFlow(demoCases[4]!.operation)
    const sector = evaluatorFor(own, {
      from: { kind: 'points', inputs: {}, settings: { places: [[0, 2, 1.2]], joined: 'single' } },
      lines: {
        kind: 'trace',
        inputs: { of: [{ part: 'Water' }], seeds: [{ step: 'from' }] },
        settings: { variable: 'U', count: 1, direction: 'downstream', length: 1.5, tolerance: 1e-8 },
      },
    })
    const { points, columns, notes, table } = sector.shape('lines')
    expect(notes!.join()).toMatch(/crossings of periodic sides \(Periodic 1 and Periodic 2, 60° about z\)/)
    expect(table!.rows).toHaveLength(1)
    const times = columns.find(({ name }) => name === 'travel-time')!.values
    const last = times.indexOf(Math.max(...times))
    expect(Math.hypot(points[3 * last]!, points[3 * last + 1]!)).toBeGreaterThan(1)
    const end = integrated((at) => closed.velocity(at[0]!, at[1]!, at[2]!), [0, 2, 1.2], times[last]!)
    const length = 1.5 * Math.hypot(4, 4, 2.4)
    expect(Math.hypot(...end.map((c, d) => c - points[3 * last + d]!)) / length).toBeLessThan(exact.streamline.accuracy)
    // a sixth of all water leaves through a sixth of the drain
    expect(sector.measure('integral(dot(U, normal), on = "Drain")', ['Water']).value * 6).toBeCloseTo(0.04, 2)
  })

  it('surfaces know which regions they bound', () => {
    const owners = (name: string): string[] | undefined => data.catalogue.parts.find((p) => p.name === name)!.owners
    expect([owners('Wall'), owners('Drain'), owners('Arm skin')]).toEqual([['Water'], ['Water'], ['Arm', 'Water']])
  })

  it('info lists it with units', () => {
    const info = describeCase(data)
    expect(info.regions.map((r) => r.name)).toEqual(['Water', 'Arm'])
    expect(info.surfaces).toHaveLength(11)
    expect(info.fields.find((f) => f.name === 'p' && f.region === 'Water')).toMatchObject({
      on: 'cells',
      components: 1,
      unit: 'Pa',
      nonFinite: 0,
    })
    expect(info.fields.find((f) => f.name === 'stress')).toMatchObject({ components: 6, unit: 'Pa' })
  })

  it('the transient case is a series of times', async () => {
    const { times } = demoCases[3]!
    const first = join(folder, 'tank-wandering', 'tank_0003.vtm')
    const moment = await withCase(first, async (opened) => opened.catalogue.moments[0]!)
    expect(moment).toMatchObject({ kind: 'time', value: 3 * times!.step })
  })
})

describe('what was measured at the tank', () => {
  const flow = new TankFlow({ flow: 0.04, swirl: 0.28 })
  const read = (name: string): Promise<CaseData> => withCase(join(folder, 'side', name), (opened) => readCase(opened, 0))

  it('sensors stand in the water and tell its temperature but for their error', async () => {
    const { part, catalogue } = await read('sensors.csv')
    expect([catalogue.lengthUnit, catalogue.fields.map((f) => [f.name, f.unit])]).toEqual([
      'm',
      [
        ['sensor', null],
        ['T', '°C'],
      ],
    ])
    const { points } = part('points').block(0)
    const { values } = part('points').field('T', 0)
    expect(values.length).toBe(24)
    values.forEach((celsius, i) =>
      expect(Math.abs(celsius + 273.15 - flow.temperature(points[3 * i]!, points[3 * i + 1]!, points[3 * i + 2]!))).toBeLessThan(
        sensorError + 0.002,
      ),
    )
  })

  it('the speed profile is XY data along the radius', async () => {
    const { part, catalogue } = await read('speed-profile.csv')
    expect(catalogue.parts[0]).toMatchObject({ abscissa: { name: 'r', unit: 'm' }, points: 30 })
    const { points } = part('table').block(0)
    part('table')
      .field('speed', 0)
      .values.forEach((speed, i) => {
        const exact = Math.hypot(...flow.velocity(points[3 * i]!, 0, 1.2))
        expect(Math.abs(speed - exact)).toBeLessThan((speedError + 0.001) * exact + 1e-4)
      })
  })

  it('the drain pipe is one line, as long as its bend says', async () => {
    const { lines } = describeCase(await read('drain-pipe.csv'))
    expect(lines[0]).toMatchObject({ name: 'lines', points: 11 })
    expect(lines[0]!.length).toBeCloseTo(0.8 + 0.3 * Math.PI + 5.4, 1)
  })
})

describe('a study kept from November 2026', () => {
  it('opens, and all of its steps yield what they did', () => {
    const { 'case-40-l-s': tank, ...others } = keptStudy.cases
    const study = checkStudy(keptStudy)
    expect([study.cases['case-40-l-s']!.name, Object.keys(others).length]).toEqual([tank.name, 2])
    const plan = planOf(checkStudy(JSON.parse(JSON.stringify(keptStudy).replaceAll('case-40-l-s', 'case'))))
    const opened = new Evaluation(data, plan)
    const yields = Object.entries(study.steps).map(([id, { kind }]): [string, string] => {
      if (kind === 'measure') return [id, opened.reading(id).unit!]
      if (kind === 'plot') return [id, opened.curve(id).y.unit!]
      const shape = opened.shape(id)
      expect(shape.elements.length).toBeGreaterThan(0)
      return [id, shape.kind]
    })
    expect(Object.fromEntries(yields)).toEqual({
      bounds: 'surface',
      solid: 'surface',
      slice: 'surface',
      line: 'lines',
      trace: 'lines',
      measure: 'm³/s',
      'measure-2': 'm/s',
      plot: 'm/s',
    })
    expect(Math.abs(opened.reading('measure').value! / exact.flow.value - 1)).toBeLessThan(exact.flow.relativeAccuracy)
  })
})
