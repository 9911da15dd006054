import { describe, expect, it } from 'vitest'
import { evenAbscissae, fitted, integralAlong, movingMean, resampled, slopeAlong, valueAt } from '../../../core/measure/curveMaths'
import type { FitKind } from '../../../core/measure/curveMaths'
import { histogramOf } from '../../../core/measure/histogram'

const uneven = [0, 0.1, 0.35, 0.5, 1.2, 1.3, 2]
const of = (f: (x: number) => number, x = uneven) => ({ x, y: x.map(f) })
const near = (values: Iterable<number>, digits = 10) => [...values].map((v) => expect.closeTo(v, digits))

describe('between points', () => {
  it('a straight line is exact, beyond its ends there is nothing, at a jump there is the mean of both sides', () => {
    const line = { x: Float64Array.from(uneven), y: Float64Array.from(uneven, (x) => 3 * x - 1) }
    expect([0, 0.2, 1.9, 2].map((x) => valueAt(line, x))).toEqual(near([-1, -0.4, 4.7, 5]))
    expect([-0.01, 2.01].map((x) => valueAt(line, x))).toEqual([NaN, NaN])
    expect(valueAt({ x: Float64Array.of(0, 1, 1, 2), y: Float64Array.of(0, 2, 6, 6) }, 1)).toBe(4)
  })

  it('gaps stay gaps, and the order of the points does not matter', () => {
    const curve = { x: [4, 3, 2, 1, 0], y: [8, 6, NaN, 2, 0] }
    expect([...resampled(curve, [0.5, 1, 1.5, 2.5, 3.5])]).toEqual([1, 2, NaN, NaN, 7])
    expect([...evenAbscissae(curve, 5)]).toEqual([0, 1, 2, 3, 4])
  })
})

describe('along a curve', () => {
  it('the integral of a straight line is exact, of others second order', () => {
    expect(integralAlong(of((x) => 4 * x + 1)).y.at(-1)).toBeCloseTo(10, 12)
    const error = (n: number): number => {
      const x = Array.from({ length: n + 1 }, (_, i) => (Math.PI * i) / n)
      return Math.abs(integralAlong(of(Math.sin, x)).y.at(-1)! - 2)
    }
    expect(error(20) / error(40)).toBeGreaterThan(3.9)
  })

  it('the slope of a parabola is exact at uneven steps and at both ends, of others second order', () => {
    expect([...slopeAlong(of((x) => 3 * x * x - 2 * x + 5)).y]).toEqual(near(uneven.map((x) => 6 * x - 2)))
    const error = (n: number): number => {
      const x = Array.from({ length: n + 1 }, (_, i) => (i / n) ** 1.3)
      const { y } = slopeAlong(of(Math.exp, x))
      return Math.max(...x.map((at, i) => Math.abs(y[i]! - Math.exp(at))))
    }
    expect(error(40) / error(80)).toBeGreaterThan(3)
    expect(() => slopeAlong({ x: [1, 1], y: [2, 3] })).toThrow('at least two points')
  })

  it('the moving mean leaves a straight line as it is and takes noise out', () => {
    expect([
      ...movingMean(
        of((x) => 2 * x + 1),
        0.4,
      ).y,
    ]).toEqual(near(uneven.map((x) => 2 * x + 1)))
    const x = Array.from({ length: 401 }, (_, i) => i / 100)
    const { y } = movingMean(
      of((at) => 5 + Math.sin(2 * Math.PI * at * 10), x),
      0.4,
    )
    expect(Math.max(...y.slice(40, 360).map((v) => Math.abs(v - 5)))).toBeLessThan(1e-3)
  })
})

describe('fits', () => {
  const write = (x: number): string => String(Number(x.toPrecision(6)))
  it.each<[FitKind, (x: number) => number, string]>([
    ['line', (x) => 3 * x - 2, '3 x − 2'],
    ['parabola', (x) => 2 * x * x - x + 4, '2 x² − 1 x + 4'],
    ['cubic', (x) => -(x ** 3) + 0.5 * x, '−1 x³'],
    ['power', (x) => 2 * x ** 1.5, '2 x^1.5'],
    ['exponential', (x) => 4 * Math.exp(-3 * x), '4 exp(-3 x)'],
  ])('find a %s as it is', (kind, f, formula) => {
    const x = kind === 'power' ? uneven.slice(1) : uneven
    const found = fitted(of(f, x), kind, write)
    expect(found.formula).toContain(formula)
    expect(found.residual).toBeLessThan(1e-10)
    expect(found.determination).toBeCloseTo(1, 12)
    expect([...found.y]).toEqual(near(x.map(f)))
  })

  it('state how far they are off, keep their digits at high abscissae, and say what they cannot do', () => {
    // one up, one down about a line: worked out by hand
    const found = fitted({ x: [0, 1, 2, 3], y: [1, -1, -1, 1] }, 'line', write)
    expect(found.residual).toBeCloseTo(1, 12)
    expect(found.determination).toBeCloseTo(0, 12)
    const far = uneven.map((x) => 1e6 + x)
    const parabola = fitted(
      of((x) => (x - 1e6) ** 2, far),
      'parabola',
      write,
    )
    expect(parabola.residual).toBeLessThan(1e-8)
    expect(() => fitted({ x: [1, 1], y: [2, 3] }, 'line', write)).toThrow('needs at least 2 points')
    expect(() => fitted({ x: [1, 2], y: [-1, 3] }, 'power', write)).toThrow('above 0 only')
  })
})

describe('a histogram', () => {
  const each =
    (values: number[], sizes = values.map(() => 1)) =>
    (use: (value: number, size: number) => void) =>
      values.forEach((value, i) => use(value, sizes[i]!))

  it('puts every size into one bin, the largest value into the last one, and tells what has no value', () => {
    const found = histogramOf(each([0, 1, 2, 3, 4, NaN], [1, 2, 3, 4, 5, 6]), 4)
    expect([...found.edges]).toEqual([0, 1, 2, 3, 4])
    expect([...found.sizes]).toEqual([1, 2, 3, 9])
    expect(found).toMatchObject({ total: 21, lost: 6, outside: 0 })
    expect(histogramOf(each([0, 1, 5]), 2, [0, 2])).toMatchObject({ outside: 1 })
    expect([...histogramOf(each([7, 7]), 1).sizes]).toEqual([2])
  })
})
