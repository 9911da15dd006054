import { describe, expect, it } from 'vitest'
import { Cancelled, DataError } from '../../../core/errors'
import { framesOf } from '../../../core/evaluate/frames'
import { MemoryRows, runJob } from '../../../core/evaluate/jobs'
import type { JobWork } from '../../../core/evaluate/jobs'
import { accumulated, wholeRange } from '../../../core/evaluate/accumulators'
import { comparedOf, csvOfTable, curveOfTable, extremesOfTable, meanOfTable, sortedRows } from '../../../core/evaluate/overTable'
import type { OverTable, TableRow } from '../../../core/evaluate/overTable'
import type { Plan } from '../../../core/evaluate/plan'
import type { OverAxis } from '../../../core/study/over'
import { boxMesh, testCase } from '../../support/meshes'

const { catalogue } = testCase(boxMesh({ n: 1 }), {})
const withMoments = (n: number) => ({
  catalogue: { ...catalogue, moments: Array.from({ length: n }, (_, index) => ({ ...catalogue.moments[0]!, index })) },
})
const cases = new Map([
  ['a', withMoments(2)],
  ['b', withMoments(3)],
])
const plan: Plan = {
  ...{ cases: {}, parts: {}, variables: {}, formulas: {} },
  steps: {
    slice: { kind: 'slice', inputs: {}, settings: { origin: [1, 2, 3], normal: [0, 0, 2] } },
    ball: { kind: 'clip', inputs: {}, settings: { radius: 1 } },
  },
}
const radius: OverAxis = { is: 'values', step: 'ball', setting: 'radius', from: 1, to: 2, count: 3 }
const base = { case: 'a', moment: 1 }

describe('the frames of a job', () => {
  it('are moments of the case, values of settings and cases, the first axis slowest', () => {
    expect(framesOf(plan, [{ is: 'moments' }], base, cases).map(({ frame, at }) => [frame.moment, at])).toEqual([
      [0, [0]],
      [1, [1]],
    ])
    const both = framesOf(plan, [{ is: 'moments' }, radius], base, cases)
    expect(both.map(({ at }) => at)).toEqual([
      [0, 1],
      [0, 1.5],
      [0, 2],
      [1, 1],
      [1, 1.5],
      [1, 2],
    ])
    expect(both[4]!.frame).toEqual({ case: 'a', moment: 1, tokens: { 'ball.radius': 1.5 } })
    // each case has its own moments
    const all = framesOf(plan, [{ is: 'moments' }, { is: 'cases' }], base, cases)
    expect(all.map(({ frame, at }) => [frame.case, frame.moment, at.join()])).toEqual([
      ['a', 0, '0,0'],
      ['a', 1, '1,0'],
      ['b', 0, '0,1'],
      ['b', 1, '1,1'],
      ['b', 2, '2,1'],
    ])
  })

  it('move a plane along its normal, whatever the length of that', () => {
    const axis: OverAxis = { is: 'values', step: 'slice', setting: 'plane', from: -1, to: 1, count: 2 }
    expect(framesOf(plan, [axis], base, cases).map(({ frame }) => frame.tokens)).toEqual([
      { 'slice.origin': [1, 2, -1] },
      { 'slice.origin': [1, 2, 1] },
    ])
  })

  it('give a constant of the study its values, beside settings and other constants', () => {
    const ofConstants = { ...plan, formulas: { phi: { name: 'phi', text: "0 'deg'" }, k: { name: 'k', text: '2' } } }
    const [phi, k] = ['phi', 'k'].map((formula): OverAxis => ({ is: 'values', formula, from: 0, to: 90, count: 2 }))
    const frames = framesOf(ofConstants, [phi!, k!, { ...radius, count: 1 }], base, cases)
    expect(frames.map(({ at }) => at)).toEqual([0, 90].flatMap((a) => [0, 90].map((b) => [a, b, 1.5])))
    expect(frames[1]!.frame).toEqual({ case: 'a', moment: 1, constants: { phi: 0, k: 90 }, tokens: { 'ball.radius': 1.5 } })
    expect(() => framesOf(plan, [phi!], base, cases)).toThrow(/constant .* was deleted/)
  })

  it('are refused when a step is gone, or there are too many', () => {
    expect(() => framesOf(plan, [{ ...radius, step: 'gone' }], base, cases)).toThrow(/was deleted/)
    expect(() =>
      framesOf(
        plan,
        [
          { ...radius, count: 10_000 },
          { ...radius, step: 'slice', count: 100 },
        ],
        base,
        cases,
      ),
    ).toThrow(/more than 100,000 values/)
  })
})

describe('a job', () => {
  const asked: number[] = []
  const work = (change: Partial<JobWork> = {}): JobWork => {
    asked.length = 0
    return {
      ...{ total: 6, atOnce: 2, signal: new AbortController().signal, onRows: () => undefined },
      frame: (i) => ({
        // frames 0 and 4 are the same computation
        key: `key ${i % 4}`,
        ask: async () => {
          asked.push(i)
          if (i === 2) throw new DataError('no-field', 'There is no field here.')
          return { value: i }
        },
      }),
      ...change,
    }
  }

  it('has a row for each frame; one that fails has a sentence', async () => {
    const rows = new MemoryRows()
    const counts: number[] = []
    await runJob(work({ onRows: (done) => void counts.push(done) }), rows)
    expect(rows.rows.map(({ frame }) => frame).sort()).toEqual([0, 1, 2, 3, 4, 5])
    expect(rows.rows.find(({ frame }) => frame === 2)).toEqual({ frame: 2, key: 'key 2', value: null, failure: 'There is no field here.' })
    expect(counts[counts.length - 1]).toBe(6)
  })

  it('goes on where it was, and takes what is known', async () => {
    const rows = new MemoryRows()
    await rows.add([
      { frame: 0, key: 'key 0', value: { value: 0 }, failure: null },
      { frame: 3, key: 'key 3', value: { value: 3 }, failure: null },
    ])
    await runJob(work({ atOnce: 1 }), rows)
    // frame 4 is the computation of frame 0
    expect(asked).toEqual([1, 2, 5])
    expect(rows.rows.find(({ frame }) => frame === 4)!.value).toEqual({ value: 0 })
  })

  it('that is cancelled keeps its rows', async () => {
    const stop = new AbortController()
    const rows = new MemoryRows()
    const own = work({ atOnce: 1, signal: stop.signal })
    const cancelled = runJob({ ...own, frame: (i) => (i === 3 ? (stop.abort(), own.frame(i)) : own.frame(i)) }, rows)
    await expect(cancelled).rejects.toThrow(Cancelled)
    expect(rows.rows).toHaveLength(4)
    await runJob(work(), rows)
    expect(rows.rows).toHaveLength(6)
  })
})

describe('the table of a job', () => {
  const row = (at: (number | string)[], value: number | null): TableRow => ({
    at,
    reading: value === null ? null : { value, unit: 'kg/s', madeOf: [], cautions: [] },
    failure: value === null ? 'No cell, there.' : null,
  })
  const table: OverTable = {
    axes: [
      { name: 'case', unit: '1', isNumber: false },
      { name: 'z', unit: 'm', isNumber: true },
    ],
    rows: [row(['40 L/s', 0], 3), row(['40 L/s', 1], null), row(['60 L/s', 0], 5), row(['60 L/s', 1], 4)],
    value: { name: 'flow', unit: 'kg/s' },
  }

  it('is a curve for each case, with gaps where it failed', () => {
    expect(curveOfTable(table)).toEqual({
      x: { name: 'z', unit: 'm' },
      y: { name: 'flow', unit: 'kg/s' },
      series: [
        { name: '40 L/s', x: [0, 1], y: [3, null] },
        { name: '60 L/s', x: [0, 1], y: [5, 4] },
      ],
    })
    const { series } = curveOfTable(table, ({ at }) => `case of ${at.find((place) => typeof place === 'string')}`)
    expect(series.map((own) => own.case)).toEqual(['case of 40 L/s', 'case of 60 L/s'])
  })

  it('has a smallest and a largest value, and goes into a spreadsheet', () => {
    const { min, max } = extremesOfTable(table)!
    expect([min.at, max.at]).toEqual([
      ['40 L/s', 0],
      ['60 L/s', 0],
    ])
    expect(extremesOfTable({ ...table, rows: [] })).toBeUndefined()
    expect(meanOfTable(table)).toBeUndefined()
    expect(csvOfTable(table).split('\n').slice(0, 3)).toEqual([
      'case,z [m],flow [kg/s],remark',
      '40 L/s,0,3,',
      '40 L/s,1,,"No cell, there."',
    ])
  })

  it('says how much more each case is than the base, at the same place', () => {
    const compared = { ...table, rows: [...table.rows, row(['60 L/s', 2], 9)], base: { axis: 0, name: '40 L/s' } }
    const [less, share] = comparedOf(compared)
    expect([less!.name, less!.unit, share!.unit]).toEqual(['less 40 L/s', 'kg/s', '%'])
    // nothing at the base itself, nor where the base failed or is not there
    expect(compared.rows.map((one) => less!.of(one))).toEqual([NaN, NaN, 2, NaN, NaN])
    expect(share!.of(compared.rows[2]!)).toBeCloseTo(200 / 3, 12)
    expect(csvOfTable(compared).split('\n')[3]).toBe(`60 L/s,0,5,2,${200 / 3},`)
    expect(comparedOf(table)).toEqual([])
  })

  it('is sorted by any column, with what failed at the end, and says what keeps to a limit', () => {
    const values = (rows: readonly TableRow[]) => rows.map(({ reading }) => reading?.value)
    expect(values(sortedRows(table, 2, false))).toEqual([3, 4, 5, undefined])
    expect(values(sortedRows(table, 2, true))).toEqual([5, 4, 3, undefined])
    expect(sortedRows(table, 0, true).map(({ at }) => at[0])).toEqual(['60 L/s', '60 L/s', '40 L/s', '40 L/s'])
    const parts = [{ name: 'in', value: 7, unit: 'kg/s', components: { x: 1 } }]
    const rows = table.rows.map((one) => (one.reading ? { ...one, reading: { ...one.reading, parts } } : one))
    expect(
      csvOfTable({ ...table, rows, limit: 'at most 4 kg/s' })
        .split('\n')
        .slice(0, 3),
    ).toEqual([
      'case,z [m],flow [kg/s],in [kg/s],in.x [kg/s],limit: at most 4 kg/s,remark',
      '40 L/s,0,3,7,1,pass,',
      '40 L/s,1,,,,,"No cell, there."',
    ])
  })

  it('has a mean over its axis, by the width of each step, with gaps left out', () => {
    const row = (x: number, value: number | null): TableRow => ({
      at: [x],
      reading: value === null ? null : { value, unit: '1', madeOf: [], cautions: [] },
      failure: value === null ? 'none' : null,
    })
    const table = (rows: TableRow[]): OverTable => ({
      ...{ axes: [{ name: 'time', unit: 's', isNumber: true }], rows },
      value: { name: 'v', unit: '1' },
    })
    // linear in time, in uneven steps
    expect(meanOfTable(table([0, 1, 4, 10].map((x) => row(x, 3 + 2 * x))))).toBeCloseTo(13, 12)
    expect(meanOfTable(table([row(0, 1), row(1, 1), row(2, null), row(3, 5), row(4, 5)]))).toBe(3)
    expect(meanOfTable(table([row(0, 1)]))).toBeUndefined()
    expect(accumulated(wholeRange, [{ min: 1, max: 2 }, null, { min: -3, max: 0 }])).toEqual([-3, 2])
    expect(accumulated(wholeRange, [null, { min: null, max: null }])).toBeUndefined()
  })
})
