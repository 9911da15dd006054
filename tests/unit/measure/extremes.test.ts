import { describe, expect, it } from 'vitest'
import { extremesOf } from '../../../core/measure/extremes'
import { quantiles } from '../../../core/measure/quantiles'

describe('extremes', () => {
  it.each([
    ['scalars', [3, -1, 2], 1, { min: -1, max: 3, nonFinite: 0 }],
    ['vectors by magnitude', [3, 4, 0, 0, 0, -2, 1, 2, 2], 3, { min: 2, max: 5, nonFinite: 0 }],
    ['symmetric tensors by norm: shear counts twice', [1, 0, 0, 0, 0, 0, 0, 0, 0, 2, 0, 0], 6, { min: 1, max: Math.sqrt(8), nonFinite: 0 }],
    ['what is not finite is counted', [NaN, 1, Infinity, -Infinity, 5], 1, { min: 1, max: 5, nonFinite: 3 }],
    ['one bad component spoils its vector alone', [NaN, 0, 0, 0, 3, 4], 3, { min: 5, max: 5, nonFinite: 1 }],
    ['nothing finite', [NaN], 1, { min: Infinity, max: -Infinity, nonFinite: 1 }],
    ['nothing at all', [], 3, { min: Infinity, max: -Infinity, nonFinite: 0 }],
  ])('of %s', (_, values, components, expected) => {
    expect(extremesOf(Float64Array.from(values), components)).toEqual(expected)
    if (values.every((x) => Number.isInteger(x) || !Number.isFinite(x)) && components !== 6)
      expect(extremesOf(Float32Array.from(values), components)).toEqual(expected)
  })
})

describe('quantiles', () => {
  const shares = [0, 0.01, 0.25, 0.5, 0.99, 1]
  const sorted = (list: Float64Array): number[] => {
    const all = list.slice().sort()
    return shares.map((share) => all[Math.min(all.length - 1, Math.floor(share * all.length))]!)
  }

  it.each([
    ['rising', (i: number) => i],
    ['falling', (i: number) => -i],
    ['all equal', () => 7],
    ['two values', (i: number) => i % 2],
    ['scattered', (i: number) => (i * 7919) % 1009],
    ['organ pipe', (i: number) => Math.min(i, 1000 - i)],
  ])('of %s values are those of the sorted list', (_, f) => {
    for (const n of [1, 2, 3, 10, 1000]) {
      const list = Float64Array.from({ length: n }, (_, i) => f(i))
      expect(quantiles(list.slice(), shares)).toEqual(sorted(list))
    }
  })

  it('of nothing are none', () => expect(quantiles(new Float64Array(0), [0.5])).toEqual([]))
})
