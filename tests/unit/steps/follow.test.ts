import { describe, expect, it } from 'vitest'
import type { Moment } from '../../../core/case/catalogue'
import type { CaseData } from '../../../core/case/CaseData'
import { Computer } from '../../../core/evaluate/Computer'
import { Graph } from '../../../core/evaluate/Graph'
import { MapResults } from '../../../core/evaluate/local'
import { plainPlan } from '../../../core/evaluate/plan'
import { CASE, wholeShape } from '../../support/evaluation'
import type { WholeShape } from '../../support/evaluation'
import { stepKind } from '../../../core/steps'
import type { Surroundings } from '../../../core/steps/offers'
import { atPoints, boxMesh, testCase } from '../../support/meshes'

const around = { box: [0, 0, 0, 1000, 1000, 1000], pick: () => 'U', range: () => undefined } as unknown as Surroundings

/** A uniform wind that freshens, at uneven times; T = t + x. In mm and mm/s, so that units count. */
function windy(times: readonly (number | null)[]) {
  const mesh = boxMesh({ n: 3, size: [1000, 1000, 1000] })
  const datas = times.map((time): CaseData => {
    const t = time ?? 0
    return testCase(mesh, {
      U: { values: atPoints(mesh, () => [0.1 * (1 + t), 0, 0]), components: 3, unit: 'm/s' },
      T: { values: atPoints(mesh, (x) => [t + x]), components: 1, unit: 'K' },
    })
  })
  const { catalogue: first } = datas[0]!
  const moments: Moment[] = times.map((value, index) => ({
    ...first.moments[0]!,
    index,
    kind: value === null ? 'index' : 'time',
    value,
    unit: 's',
  }))
  const catalogue = {
    ...first,
    lengthUnit: 'mm',
    moments,
    fields: first.fields.map((field) => ({ ...field, moments: times.map((_, i) => i) })),
  }
  return { datas, catalogue }
}

function evaluate(times: readonly (number | null)[], changes: Record<string, Record<string, unknown>> = {}) {
  const { datas, catalogue } = windy(times)
  const planned = {
    from: {
      kind: 'points',
      settings: {
        places: [
          [100, 500, 500],
          [200, 500, 500],
        ],
        joined: 'single',
      },
      inputs: {},
    },
    paths: { kind: 'follow', inputs: { of: [{ part: 'Water' }], seeds: [{ step: 'from' }] }, settings: { variable: 'U' } },
    now: { kind: 'on-paths', inputs: { of: [{ step: 'paths' }], in: [{ part: 'Water' }] }, settings: {} },
    times: { kind: 'histogram', inputs: { over: [{ step: 'now' }] }, settings: { variable: 'path-age', by: 'count' } },
  }
  const steps = Object.fromEntries(
    Object.entries(planned).map(([id, { kind, inputs, settings }]) => {
      return [id, { kind, inputs, settings: { ...stepKind(kind).defaults(around, settings), ...changes[id] } }]
    }),
  )
  const plan = { ...plainPlan(CASE, catalogue), steps }
  const graph = new Graph(plan, new Map([['case', { key: 'k', id: CASE, generation: 'g', catalogue }]]))
  const computed: string[] = []
  const results = new MapResults()
  const computer = new Computer({
    ...{ graph, results, check: () => undefined, isAlone: true, deflate: (bytes: Uint8Array) => bytes },
    dataOf: ({ frame }) => ({ ...datas[frame.moment]!, catalogue }),
    computed: ({ task }) => void computed.push('step' in task ? task.step : task.do),
  })
  const shape = (step: string, moment: number): WholeShape => wholeShape(computer.shapeOf(step, { case: 'case', moment }))
  const values = (step: string, moment: number, name: string): number[] => {
    const own = computer.shapeOf(step, { case: 'case', moment })
    return [...computer.data({ case: 'case', moment }).values({ kind: 'name', name, range: [0, 0] }, own).pieces[0]!.values]
  }
  const curve = (step: string) => {
    const at = graph.frame({ case: 'case', moment: 0 })
    return at.step(step).kind.curve!(computer.stepRun(step, at))
  }
  return { shape, values, computed, curve }
}

const columnOf = ({ columns }: WholeShape, name: string) => [...columns.find((column) => column.name === name)!.values]

describe('what is followed through the moments', () => {
  /** mm after t seconds: the integral of 100 (1 + t). */
  const way = (t: number): number => 100 * (t + (t * t) / 2)

  it('goes with the flow as it changes, and is computed once for all moments', () => {
    const { shape, computed } = evaluate([0, 1, 1.5, 3])
    const paths = shape('paths', 3)
    expect(shape('paths', 1).points).toEqual(paths.points)
    expect(computed.filter((step) => step === 'paths')).toHaveLength(1)
    const times = columnOf(paths, 'path-time')
    times.forEach((t, p) => expect(paths.points[3 * p]).toBeCloseTo((p < paths.paths![1]! ? 100 : 200) + way(t), 3))
    expect(Math.max(...times)).toBe(3)
    expect(paths.columns.map(({ unit }) => unit)).toEqual(['s', 's', 'mm/s', '1', '1'])
    expect(paths.table!.rows[0]!.slice(0, 3)).toEqual(['still moving', 2, 100])
  })

  it('is shown where it is at the moment, with the values there', () => {
    const { shape, values } = evaluate([0, 1, 1.5, 3])
    const now = shape('now', 2)
    expect([...now.points].filter((_, i) => i % 3 === 0).map((x) => Number(x.toFixed(3)))).toEqual([100 + way(1.5), 200 + way(1.5)])
    expect(values('now', 2, 'T')[0]).toBeCloseTo(1.5 + 100 + way(1.5), 3)
    expect(now.notes).toContain('2 of 2 paths are under way')
  })

  it('is joined to streaks by its places of release', () => {
    const { shape } = evaluate([0, 1, 1.5, 3], { paths: { release: 'moments' }, now: { form: 'streaks' } })
    const streaks = shape('now', 3)
    expect([...streaks.paths!]).toEqual([0, 3, 6])
    const since = (t: number): number => way(3) - way(t)
    const x = [...streaks.points].filter((_, i) => i % 3 === 0)
    ;[0, 1, 1.5].forEach((t, i) => {
      expect(x[i]).toBeCloseTo(100 + since(t), 3)
      expect(x[3 + i]).toBeCloseTo(200 + since(t), 3)
    })
    columnOf(streaks, 'path-age').forEach((age, i) => expect(age).toBeCloseTo([3, 2, 1.5][i % 3]!, 9))
  })

  it('leaves the way that it has come in the last seconds', () => {
    const { shape } = evaluate([0, 1, 1.5, 3], { now: { form: 'trails', trail: 0.75 } })
    const x = columnOf(shape('now', 2), 'path-time')
    expect([Math.min(...x), Math.max(...x)]).toEqual([0.75, 1.5])
  })

  it('has ends, whenever that was, with what is known of each path', () => {
    const { shape } = evaluate([0, 1, 1.5, 6], { now: { form: 'ends' } })
    const ends = shape('now', 0)
    expect(ends.points).toHaveLength(6)
    // out at x = 1000 after 900 or 800 mm
    const lasted = (mm: number): number => Math.sqrt(1 + (2 * mm) / 100) - 1
    const [a, b] = columnOf(ends, 'path-age') as [number, number]
    expect(a).toBeCloseTo(lasted(900), 4)
    expect(b).toBeCloseTo(lasted(800), 4)
  })

  it('is counted by how long it took', () => {
    const { curve } = evaluate([0, 1, 1.5, 6], { now: { form: 'ends' } })
    const { x, series } = curve('times')
    expect(x).toEqual({ name: 'age on the path', unit: 's' })
    expect(Math.max(...series[0]!.x)).toBeCloseTo(Math.sqrt(19) - 1, 4)
    expect(Math.min(...series[0]!.x)).toBeCloseTo(Math.sqrt(17) - 1, 4)
  })

  it('back in time is where it came from', () => {
    const { shape } = evaluate([0, 1, 1.5, 2], { paths: { way: 'back' }, from: { places: [[800, 500, 500]] } })
    const x = (moment: number): number => shape('now', moment).points[0]!
    expect(x(3)).toBeCloseTo(800, 6)
    expect(x(0)).toBeCloseTo(800 - way(2), 3)
  })

  it.each<[string, (number | null)[], Record<string, unknown>, RegExp]>([
    ['one moment only', [null], { duration: 2 }, /no course of time/],
    ['times that run back', [2, 1, 0], {}, /in the order of their times/],
    ['equal times', [0, 1, 1, 2], {}, /equal times/],
    ['seeds outside', [0, 1], {}, /let go outside/],
  ])('says so for %s', (name, times, settings, words) => {
    const changes = { paths: settings, ...(name === 'seeds outside' && { from: { places: [[-5, 0, 0]] } }) }
    const paths = evaluate(times, changes).shape('paths', 0)
    expect(paths.notes!.join('; ')).toMatch(words)
    if (name === 'one moment only') expect(paths.points[3 * (paths.paths![1]! - 1)]).toBeCloseTo(100 + 200, 3)
  })

  it('shares mass by the sizes of spheres', () => {
    const spheres = { what: 'spheres', diameters: [1, 2], fluidDensity: 1000, density: 2500, span: 'still', duration: 20 }
    const { columns, rows } = evaluate([0, 1], { paths: spheres }).shape('paths', 0).table!
    const share = columns.findIndex(({ name }) => name === 'share of mass')
    expect(rows.reduce((sum, row) => sum + Number(row[share]), 0)).toBeCloseTo(100, 9)
    const big = rows.filter((row) => row[1] === 2).reduce((sum, row) => sum + Number(row[share]), 0)
    expect(big).toBeCloseTo((100 * 8) / 9, 9)
    // of sizes that are spread each has the same mass, and half of it is above the median
    const spread = { ...spheres, sizes: 'spread', median: 1.5, exponent: 2, nSizes: 5 }
    const own = evaluate([0, 1], { paths: spread }).shape('paths', 0).table!.rows
    const sizes = [...new Set(own.map((row) => Number(row[1])))]
    expect(sizes[2]).toBe(1.5)
    for (const size of sizes) {
      const ofSize = own.filter((row) => row[1] === size).reduce((sum, row) => sum + Number(row[share]), 0)
      expect(ofSize).toBeCloseTo(20, 9)
    }
  })
})
