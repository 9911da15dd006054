import { describe, expect, it } from 'vitest'
import { checkFormula } from '../../../core/fields/formula/check'
import { scopeOn } from '../../../core/fields/formula/scope'
import { measureExpression } from '../../../core/measure/reductions'
import { mergeTotals, Sum, sumOf } from '../../../core/measure/sums'
import { integrateCells } from '../../../core/measure/integrateCells'
import { chainSegments } from '../../../core/shapes/chainSegments'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import { evaluatorFor, pieceOf } from '../../support/evaluation'
import type { Plan } from '../../../core/evaluate/plan'

const velocity = (x: number, y: number, z: number): number[] => [x + 2 * y, 3 * y - z, 0.5 * z + x]
const DIVERGENCE = 1 + 3 + 0.5

const water = [{ part: 'Water' }]
const steps: Plan['steps'] = {
  outer: { kind: 'show', inputs: { of: [{ outer: 'Water' }] }, settings: {} },
  slice: { kind: 'slice', inputs: { of: water }, settings: { origin: [0.3, 0, 0], normal: [1, 0, 0] } },
  volume: { kind: 'measure', inputs: { of: water }, settings: { quantity: 'size', variable: '' } },
  mean: { kind: 'measure', inputs: { of: water }, settings: { quantity: 'mean', variable: 'T' } },
  area: { kind: 'measure', inputs: { of: [{ step: 'slice' }] }, settings: { quantity: 'size', variable: '' } },
  flux: { kind: 'measure', inputs: { of: [{ step: 'slice' }] }, settings: { quantity: 'flux', variable: 'U' } },
  out: { kind: 'measure', inputs: { of: [{ outer: 'Water' }] }, settings: { quantity: 'flux', variable: 'U' } },
  bulk: { kind: 'measure', inputs: { of: water }, settings: { quantity: 'weighted', variable: 'T', weight: 'px' } },
  even: { kind: 'measure', inputs: { of: [{ step: 'slice' }] }, settings: { quantity: 'weighted', variable: 'T', weight: 'flat' } },
  spread: { kind: 'measure', inputs: { of: water }, settings: { quantity: 'std', variable: 'T' } },
  root: { kind: 'measure', inputs: { of: [{ outer: 'Water' }] }, settings: { quantity: 'rms', variable: 'px' } },
  heat: { kind: 'measure', inputs: { of: water }, settings: { quantity: 'integral', variable: 'T' } },
  wrong: { kind: 'measure', inputs: { of: water }, settings: { quantity: 'flux', variable: 'U' } },
  line: { kind: 'line', inputs: {}, settings: { start: [-0.5, 0.4, 0.6], end: [1.5, 0.4, 0.6] } },
  plot: { kind: 'plot', inputs: { along: [{ step: 'line' }], in: water }, settings: { variable: 'T', samples: 21 } },
  rim: { kind: 'slice', inputs: { of: [{ outer: 'Water' }] }, settings: { origin: [0, 0, 0.41], normal: [0, 0, 1] } },
  around: { kind: 'plot', inputs: { along: [{ step: 'rim' }], in: [] }, settings: { variable: 'T', samples: 21 } },
}

function boxEvaluator(kind: (typeof boxKinds)[number], n = 5) {
  const mesh = boxMesh({ n, kind })
  return evaluatorFor(
    testCase(mesh, {
      U: { values: atPoints(mesh, velocity), components: 3 },
      T: { values: atPoints(mesh, (x, y, z) => 280 + 4 * x - 2 * y + z), components: 1, unit: 'K' },
    }),
    steps,
    {
      px: 'pos.x',
      flat: "0 * pos.x + 2 'm'",
      hot: "T - 273.15 'K'",
      excess: 'T - mean(T)',
      share: "integral(if(pos.x > 0.5 'm', 1, 0)) / integral(1)",
      drift: 'U - mean(U)',
    },
  )
}

describe.each(boxKinds)('measuring on %s cells', (kind) => {
  const evaluator = boxEvaluator(kind)

  it.each([
    ['volume', 1, 'm³'],
    ['mean', 280 + 2 - 1 + 0.5, 'K'],
    ['area', 1, 'm²'],
    ['flux', 0.3 + 2 * 0.5, 'm³/s'],
    ['heat', 281.5, 'm³·K'],
    // what flows out of a closed surface is the divergence over its volume
    ['out', DIVERGENCE, 'm³/s'],
  ])('%s is exact with its unit', (id, value, unit) => {
    const reading = evaluator.reading(id)
    expect(Math.abs(reading.value - value)).toBeLessThan(1e-10 * Math.abs(value))
    expect(reading.unit).toBe(unit)
    expect(reading.madeOf.length).toBeGreaterThan(0)
  })

  it('samples along a line, gaps where it leaves the domain', () => {
    const { series, notes, x, y } = evaluator.curve('plot')
    const samples = series[0]!
    expect(samples.x.length).toBe(21)
    samples.y.forEach((value, i) => {
      const at = -0.5 + 0.1 * i
      if (at < -1e-9 || at > 1 + 1e-9) expect(value).toBeNaN()
      else expect(value).toBeCloseTo(280 + 4 * at - 0.8 + 0.6, 9)
    })
    expect(notes[0]).toMatch(/10 of 21 samples lie outside/)
    expect([x.unit, y.unit]).toEqual(['m', 'K'])
  })

  it('lines of a cut surface chain into one closed curve', () => {
    const { series } = evaluator.curve('around')
    expect(series).toHaveLength(1)
    expect(series[0]!.x[series[0]!.x.length - 1]).toBeCloseTo(4, 9)
    expect(series[0]!.y[0]).toBeCloseTo(series[0]!.y[series[0]!.y.length - 1]!, 9)
  })
})

it('integrals of a smooth field converge with second order', () => {
  const exact = (2 / Math.PI) ** 3
  const errors = [4, 8, 16].map((n) => {
    const mesh = boxMesh({ n, kind: 'hexahedron' })
    const part = new MemoryPart('b', 3, mesh)
    part.setField('f', {
      values: atPoints(mesh, (x, y, z) => Math.sin(Math.PI * x) * Math.sin(Math.PI * y) * Math.sin(Math.PI * z)),
      components: 1,
      place: 'point',
    })
    return Math.abs(mergeTotals(integrateCells(part.block(0), part.field('f', 0)), 1).integral[0]! - exact)
  })
  expect(errors[0]! / errors[1]!).toBeGreaterThan(3.5)
  expect(errors[1]! / errors[2]!).toBeGreaterThan(3.7)
})

it('a flux through a region is refused, saying what to choose', () => {
  expect(() => boxEvaluator('tetra').reading('wrong')).toThrow(/goes through a surface; choose a surface or a slice/)
})

describe('expressions of numbers', () => {
  const evaluator = boxEvaluator('mixed')
  it.each([
    ['mean(T)', 281.5, 'K'],
    ['integral(1)', 1, 'm³'],
    ['integral(T) / integral(1)', 281.5, 'K'],
    ['integral(dot(U, normal), on = "outer")', DIVERGENCE, 'm³/s'],
    ['max(T)', 285, 'K'],
    ['min(T) - max(T)', 278 - 285, 'K'],
    ['mean(pos.z)', 0.5, 'm'],
    ['integral(1, on = "outer") * 2', 12, 'm²'],
    ['mean(hot)', 281.5 - 273.15, 'K'],
    ['mean(U)', Math.hypot(1.5, 1, 0.75), 'm/s'],
  ])('%s', (text, value, unit) => {
    const result = measureExpression(text, evaluator.data, ['Water'])
    expect(result.value).toBeCloseTo(value, 9)
    expect(result.unit).toBe(unit)
  })

  it.each([
    ['T', /is a field, not a number; wrap it/],
    ['mean(T) + integral(1)', /cannot be added/],
    ['integral(T, by = U.x)', /takes the option on = "…", not “by”/],
    ['mean(T, by = mass)', /density/],
    ['mean(T, by = U)', /Only through a surface does “U” weigh by its flow; here take a component such as U.x/],
    ['mean(T, by = U.x - U.x)', /is 0, so it cannot weight a mean/],
    ['mean(T, by = U.x +)', /ends too early|not expected/],
  ])('%s is refused', (text, message) => {
    expect(() => measureExpression(text, evaluator.data, ['Water'])).toThrow(message)
  })

  it('means are weighted by what is said, and spreads are those of the field, to second order', () => {
    const measured = (n: number, text: string): number => measureExpression(text, boxEvaluator('hexahedron', n).data, ['Water']).value
    const exact = {
      'mean(T, by = pos.x)': 280 + 8 / 3 - 1 + 0.5,
      'std(T)': Math.sqrt(21 / 12),
      "rms(T - 280 'K')": Math.sqrt(21 / 12 + 2.25),
    }
    for (const [text, value] of Object.entries(exact)) {
      const [coarse, fine] = [5, 10].map((n) => Math.abs(measured(n, text) - value))
      expect(coarse! / fine!, text).toBeGreaterThan(3.4)
    }
    expect(measured(5, 'mean(T, by = pos.x)')).toBeCloseTo(measured(5, 'integral(T * pos.x) / integral(pos.x)'), 10)
    const written = 'integral(T * dot(U, normal), on = "outer") / integral(dot(U, normal), on = "outer")'
    expect(measured(5, 'mean(T, by = U, on = "outer")')).toBeCloseTo(measured(5, written), 9)
    expect(measured(5, 'mean(T, by = volume)')).toBe(measured(5, 'mean(T)'))
  })

  it('readings are the same numbers, with what they are made of', () => {
    const evaluation = boxEvaluator('mixed')
    const measured = (text: string): number => measureExpression(text, evaluation.data, ['Water']).value
    expect(evaluation.reading('bulk')).toMatchObject({ value: expect.closeTo(measured('mean(T, by = pos.x)'), 9) as number, unit: 'K' })
    expect(evaluation.reading('bulk').madeOf[0]).toBe('integral(T · px) / integral(px)')
    // the weight is the same everywhere
    expect(evaluation.reading('even').value).toBeCloseTo(280 + 1.2 - 1 + 0.5, 9)
    expect(evaluation.reading('spread')).toMatchObject({ value: expect.closeTo(measured('std(T)'), 9) as number, unit: 'K' })
    expect(evaluation.reading('spread').madeOf[0]).toBe('about the mean 281.5 K')
    expect(evaluation.reading('root')).toMatchObject({
      value: expect.closeTo(measured('rms(pos.x, on = "outer")'), 9) as number,
      unit: 'm',
    })
  })

  it('numbers of whole parts stand in formulas, on cuts as well', () => {
    const { data } = boxEvaluator('mixed')
    const measured = (text: string) => measureExpression(text, data, ['Water'])
    expect(measured('integral(excess)').value).toBeCloseTo(0, 9)
    expect(measured('max(excess)')).toMatchObject({ value: expect.closeTo(284 - 281.5 + 1, 9) as number, unit: 'K' })
    expect(measured('mean(drift.y)').value).toBeCloseTo(0, 10)
    expect(measured('mean(share)')).toMatchObject({ value: expect.closeTo(0.5, 1) as number, unit: '1' })
    // the slice is at x = 0.3: its own mean is not taken off, but that of the region
    const cut = evaluatorFor(
      data.data,
      { ...steps, own: { ...steps['mean']!, inputs: { of: [{ step: 'slice' }] } } },
      { T2: 'T - mean(T)' },
    )
    expect(cut.reading('own').value).toBeCloseTo(280 + 1.2 - 1 + 0.5, 9)
    expect(() => checkFormula('T - mean(T, on = "Moon")', scopeOn(data.expressions.names, 'Water'))).toThrow(/no part “Moon”/)
    const circle = { ...data.expressions.names, formulas: { a: 'mean(b)', b: '2 * a' } }
    expect(() => checkFormula('a', scopeOn(circle, 'Water'))).toThrow(/defined by itself/)
  })

  it('are calculated with in coherent units, whatever the unit of the file', () => {
    const mesh = boxMesh({ n: 3 })
    const P = { values: atPoints(mesh, (x) => 2 + x), components: 1, unit: 'kPa' }
    const C = { values: atPoints(mesh, () => 20), components: 1, unit: '°C' }
    const weighted = { kind: 'measure', inputs: { of: water }, settings: { quantity: 'weighted', variable: 'C', weight: 'P' } }
    const evaluation = evaluatorFor(testCase(mesh, { P, C }), { weighted })
    const { data } = evaluation
    // what is the same everywhere is its own mean, whatever it is weighted by
    expect(evaluation.reading('weighted')).toMatchObject({ value: expect.closeTo(293.15, 9) as number, unit: 'K' })
    expect(measureExpression('mean(P, by = C)', data, ['Water']).value).toBeCloseTo(2500, 8)
    const measured = (text: string) => measureExpression(text, data, ['Water'])
    expect(measured('mean(P)')).toMatchObject({ value: expect.closeTo(2.5, 10) as number, unit: 'kPa' })
    expect(measured("mean(P) - 500 'Pa'")).toMatchObject({ value: expect.closeTo(2000, 8) as number, unit: 'Pa' })
    expect(measured('max(P) - min(P)')).toMatchObject({ value: expect.closeTo(1000, 8) as number, unit: 'Pa' })
    expect(measured("mean(C) - 280 'K'").value).toBeCloseTo(13.15, 9)
    expect(measured('max(abs(P - mean(P)))')).toMatchObject({ value: expect.closeTo(500, 8) as number, unit: 'Pa' })
  })

  it('leaves out what is not finite, and counts it', () => {
    const mesh = boxMesh({ n: 4, skew: 0 })
    const values = atPoints(mesh, () => 2)
    values[0] = NaN
    const { value, nonFinite } = measureExpression('mean(T)', evaluatorFor(testCase(mesh, { T: { values, components: 1 } }), {}).data, [
      'Water',
    ])
    expect(value).toBeCloseTo(2, 12)
    expect(nonFinite).toBe(1)
  })
})

it('sums keep what plain addition loses', () => {
  expect(sumOf([1e16, 1, -1e16])).toBe(1)
  expect(sumOf([1, Infinity])).toBe(Infinity)
  const sum = new Sum()
  for (let i = 0; i < 1e5; i++) sum.add(0.1)
  expect(sum.value).toBe(1e4)
})

it('chains segments of several lines, open ones from an end', () => {
  const shape = evaluatorFor(testCase(boxMesh({ n: 1 }), {}), steps).shape('line')
  const points = Float64Array.of(0, 0, 0, 1, 0, 0, 1, 0, 0, 2, 0, 0, 5, 5, 5, 6, 5, 5, 6, 6, 5)
  const chained = chainSegments({ ...pieceOf(shape), points, elements: Uint32Array.of(2, 3, 0, 1, 4, 5, 5, 6, 6, 4) })
  expect(chained.map((line) => line.points.length)).toEqual([4, 3])
})
