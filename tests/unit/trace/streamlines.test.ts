import { wholeDomain } from '../../../core/mesh/Domain'
import { describe, expect, it } from 'vitest'
import { StreamlineTracer } from '../../../core/trace/streamlines'
import type { StreamlineOptions } from '../../../core/trace/streamlines'
import { stepKind } from '../../../core/steps'
import { seedPoints } from '../../../core/trace/seeds'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { atPoints, boxMesh, testCase } from '../../support/meshes'
import { evaluatorFor, pieceOf } from '../../support/evaluation'

/** One plane. */
const sliceAt = stepKind('slice').defaults({ box: [0, 0, 0, 1, 1, 1], pick: () => 'U', range: () => undefined } as never, {})

const options: StreamlineOptions = { direction: 'downstream', tolerance: 1e-7, maxLength: 3, maxSteps: 5000 }
/** Rigid turning about the middle of the box: linear, so that cells carry it exactly. */
const turning = (x: number, y: number): number[] => [-(y - 0.5), x - 0.5, 0]

function tracer(f: (x: number, y: number, z: number) => number[], blockCells = 1024 * 64, n = 12) {
  const mesh = boxMesh({ n, kind: 'mixed' })
  const part = new MemoryPart('Water', 3, mesh, blockCells)
  part.setField('U', { values: atPoints(mesh, f), components: 3, place: 'point' })
  return new StreamlineTracer(wholeDomain([part]), (p, k) => p.field('U', k))
}

const end = (line: { positions: number[] }): number[] => line.positions.slice(-3)

describe('streamlines', () => {
  it('of a swirl stay on their circles to the tolerance, at the exact time', () => {
    const line = tracer(turning).trace(0.8, 0.5, 0.4, { ...options, maxLength: 2 * Math.PI * 0.3 })
    for (let i = 0; i < line.positions.length; i += 3) {
      expect(Math.abs(Math.hypot(line.positions[i]! - 0.5, line.positions[i + 1]! - 0.5) - 0.3)).toBeLessThan(3e-6)
    }
    expect(Math.hypot(end(line)[0]! - 0.8, end(line)[1]! - 0.5)).toBeLessThan(1e-5)
    // one turn of unit angular speed
    expect(line.times[line.times.length - 1]).toBeCloseTo(2 * Math.PI, 5)
    expect(line.endings).toEqual(['reached the length limit'])
  })

  it('both ways start at the seed with times of both signs', () => {
    const line = tracer(turning).trace(0.8, 0.5, 0.4, { ...options, direction: 'both', maxLength: 0.3 })
    const seed = line.times.indexOf(0)
    expect(line.positions.slice(3 * seed, 3 * seed + 3)).toEqual([0.8, 0.5, 0.4])
    expect(line.times[0]).toBeCloseTo(-1, 5)
    expect(line.times[line.times.length - 1]).toBeCloseTo(1, 5)
    expect(line.times).toEqual([...line.times].sort((a, b) => a - b))
  })

  it('end at the wall they leave through', () => {
    const line = tracer(() => [1, 0.2, 0]).trace(0.1, 0.1, 0.5, options)
    expect(line.endings).toEqual(['left the domain'])
    expect(end(line)[0]).toBeCloseTo(1, 5)
    expect(end(line)[1]).toBeCloseTo(0.28, 5)
  })

  it.each([
    ['a seed outside', () => [1, 0, 0], [2, 2, 2], 'seed outside'],
    ['a field at rest', () => [0, 0, 0], [0.5, 0.5, 0.5], 'came to rest'],
    ['a field that is not a number', () => [NaN, 0, 0], [0.5, 0.5, 0.5], 'came to rest'],
  ] as const)('%s ends with its reason', (_, f, [x, y, z], ending) => {
    expect(tracer(() => [...f()]).trace(x, y, z, options).endings).toEqual([ending])
  })

  it('do not depend on the division into blocks', () => {
    const f = (x: number, y: number, z: number): number[] => [Math.cos(3 * y), 0.6 * Math.sin(2 * x + 1), 0.3 * Math.cos(4 * z)]
    const [one, many] = [tracer(f, 1024 * 64, 14), tracer(f, 1024, 14)].map((t) => t.trace(0.1, 0.2, 0.3, options))
    expect(many!.positions.length).toBe(one!.positions.length)
    end(one!).forEach((c, d) => expect(end(many!)[d]).toBeCloseTo(c, 9))
  })
})

it.each([
  ['chance', 0.5],
  ['flow', 2 / 3],
] as const)('seeds are placed by %s: their mean is that of what they stand for', (placing, mean) => {
  const mesh = boxMesh({ n: 12 })
  const data = testCase(mesh, { U: { values: atPoints(mesh, (x) => [0, 0, x]), components: 3 } })
  const traced = evaluatorFor(data, {
    cut: { kind: 'slice', inputs: { of: [{ part: 'Water' }] }, settings: { ...sliceAt, normal: [0, 0, 1], origin: [0, 0, 0.5] } },
    lines: {
      kind: 'trace',
      inputs: { of: [{ part: 'Water' }], seeds: [{ step: 'cut' }] },
      settings: { variable: 'U', count: 400, placing, direction: 'downstream', length: 0.1, tolerance: 1e-6 },
    },
  }).shape('lines')
  const x = [...traced.paths!].slice(0, -1).map((p) => traced.points[3 * p]!)
  expect(x).toHaveLength(400)
  // flow goes straight up, so that lines lie where they start
  expect(x.reduce((sum, one) => sum + one / x.length, 0)).toBeCloseTo(mean, 2)
})

it('lines start from several seed lines together, from each as many as it is long', () => {
  const data = testCase(boxMesh({ n: 4 }), { U: { values: atPoints(boxMesh({ n: 4 }), () => [0, 0, 1]), components: 3 } })
  const line = (x: number, y: number) => ({ kind: 'line', inputs: {}, settings: { start: [x, 0.1, 0.1], end: [x, y, 0.1] } })
  const traced = evaluatorFor(data, {
    short: line(0.2, 0.3),
    long: line(0.7, 0.7),
    lines: {
      kind: 'trace',
      inputs: { of: [{ part: 'Water' }], seeds: [{ step: 'short' }, { step: 'long' }] },
      settings: { variable: 'U', count: 8, placing: 'even', direction: 'downstream', length: 2, tolerance: 1e-6 },
    },
  }).shape('lines')
  const starts = [...traced.paths!].slice(0, -1).map((p) => Number(traced.points[3 * p]!.toFixed(6)))
  expect(starts).toEqual([0.2, 0.2, 0.7, 0.7, 0.7, 0.7, 0.7, 0.7])
})

it.each([
  ['a line', { kind: 'line', inputs: {}, settings: { start: [0, 0.5, 0.5], end: [1, 0.5, 0.5] } }, 10],
  ['a slice', { kind: 'slice', inputs: { of: [{ part: 'Water' }] }, settings: { ...sliceAt, normal: [0, 0, 1], origin: [0, 0, 0.5] } }, 61],
  ['cells', undefined, 1000],
] as const)('seeds on %s are as far apart as is said', (_, step, about) => {
  const mesh = boxMesh({ n: 4 })
  const data = testCase(mesh, { U: { values: atPoints(mesh, () => [0, 0, 1]), components: 3 } })
  const traced = (spacing: number) => {
    const lines = {
      kind: 'trace',
      inputs: { of: [{ part: 'Water' }], seeds: [step ? { step: 'from' } : { part: 'Water' }] },
      settings: { variable: 'U', count: 1, placing: 'spacing', spacing, direction: 'downstream', length: 0.01, tolerance: 1e-6 },
    }
    return evaluatorFor(data, (step ? { from: step, lines } : { lines }) as never).shape('lines')
  }
  const { points, paths } = traced(0.1)
  const starts = [...paths!].slice(0, -1).map((p) => [...points.slice(3 * p, 3 * p + 3)])
  const distance = (a: number[], b: number[]): number => Math.hypot(...a.map((c, d) => c - b[d]!))
  const nearest = Math.min(...starts.map((a, i) => starts.slice(i + 1).reduce((least, b) => Math.min(least, distance(a, b)), Infinity)))
  expect(nearest).toBeGreaterThan(0.1 - 1e-9)
  if (step?.kind === 'slice') expect(Math.abs(starts.length - about)).toBeLessThan(0.15 * about)
  else {
    expect(nearest).toBeCloseTo(0.1, 9)
    expect(starts).toHaveLength(about)
  }
  expect(() => traced(1e-4)).toThrow(/take a wider/)
})

it('lines know at their seeds where they end, of a time of travel too', () => {
  const mesh = boxMesh({ n: 4 })
  const data = testCase(mesh, { U: { values: atPoints(mesh, (x) => [0, 0, 1 + 4 * x]), components: 3, unit: 'm/s' } })
  const traced = evaluatorFor(data, {
    line: { kind: 'line', inputs: {}, settings: { start: [0.05, 0.5, 0.1], end: [0.95, 0.5, 0.1] } },
    lines: {
      kind: 'trace',
      inputs: { of: [{ part: 'Water' }], seeds: [{ step: 'line' }] },
      settings: { variable: 'U', count: 10, direction: 'downstream', upTo: 'time', time: 0.4, length: 2, tolerance: 1e-6 },
    },
  }).shape('lines')
  const { paths, points, table } = traced
  const { values } = traced.columns!.find(({ name }) => name === 'line-end')!
  const names = table!.rows.map(([where]) => where)
  expect(names).toContain('reached the time limit')
  for (let k = 0; k + 1 < paths!.length; k++) {
    const [first, last] = [paths![k]!, paths![k + 1]! - 1]
    const speed = 1 + 4 * points[3 * first]!
    const isLate = speed * 0.4 < 0.9
    for (const p of [first, last]) expect(names[values[p]! - 1] === 'reached the time limit').toBe(isLate)
    if (isLate) expect(points[3 * last + 2]).toBeCloseTo(0.1 + 0.4 * speed, 6)
  }
})

it('seeds are spaced evenly by length over lines of several pieces', () => {
  const mesh = boxMesh({ n: 1 })
  const line = evaluatorFor(testCase(mesh, {}), { l: { kind: 'line', inputs: {}, settings: { start: [0, 0, 0], end: [1, 0, 0] } } }).shape(
    'l',
  )
  const piece = pieceOf(line)
  expect(seedPoints(line, 4).map(([x]) => x)).toEqual([0.125, 0.375, 0.625, 0.875])
  expect(
    seedPoints(
      {
        ...line,
        columns: [],
        pieces: [
          {
            ...piece,
            points: Float64Array.of(0, 0, 0, 3, 0, 0, 3, 1, 0),
            elements: Uint32Array.of(0, 1, 1, 2),
            weightStarts: new Uint32Array(4),
          },
        ],
      },
      4,
    )[3],
  ).toEqual([3, 0.5, 0])
  expect(() =>
    seedPoints({ ...line, columns: [], pieces: [{ ...piece, elements: new Uint32Array(0), cells: new Uint32Array(0) }] }, 4),
  ).toThrow(/start from: a line/)
})
