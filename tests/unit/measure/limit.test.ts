import { describe, expect, it } from 'vitest'
import { verdictOf } from '../../../core/measure/limit'
import { percentileOf } from '../../../core/measure/percentile'

describe('limits', () => {
  it.each<[string, number, string | null, string]>([
    ['at most 500 Pa', 499, 'Pa', 'pass'],
    ['at most 500 Pa', 0.6, 'kPa', 'fail'],
    ['≤ 0.5 kPa', 500, 'Pa', 'pass'],
    ['at least 20 °C', 300, 'K', 'pass'],
    ['at least 20 °C', 290, 'K', 'fail'],
    ['1 to 2 m/s', 1.5, 'm/s', 'pass'],
    ['1 m/s to 2 m/s', 2.5, 'm/s', 'fail'],
    ['from -1 to 1', -1, '1', 'pass'],
    ['at most 500', 499, null, 'pass'],
    ['no limit', 3, 'm', ''],
    ['', 3, 'm', ''],
    ['at most 5 Pa', NaN, 'Pa', 'There is no number to compare with the limit.'],
    ['at most 5 Pa', 3, null, 'The unit of the reading is unknown, so its limit cannot have one.'],
    ['at most 5 kg', 3, 'Pa', 'kg cannot be compared with Pa; write the limit in Pa.'],
    ['at most five', 3, 'Pa', '“five” is no number; write one with its unit, such as 500 Pa.'],
    ['at most 5 bananas', 3, 'Pa', '“bananas” is no unit that is known here.'],
    ['5 Pa', 3, 'Pa', 'Write “at most 500 Pa”, “at least 0.2” or “1 to 2 m/s”.'],
  ])('%s for %d %s: %s', (limit, value, unit, verdict) => expect(verdictOf(limit, { value, unit })).toBe(verdict))
})

describe('percentiles', () => {
  const values = Float64Array.from(
    { length: 9999 },
    (_, i) => Math.sin(i * 12.9898) * 43758.5453 - Math.floor(Math.sin(i * 12.9898) * 43758.5453),
  )
  const each = (use: (value: number, size: number) => void) => values.forEach((x) => use(x, 2))
  const sorted = [...values].sort((a, b) => a - b)

  it.each([0, 10, 50, 95, 100])('of %d %% are the value in that place of the sorted list', (percent) => {
    const at = Math.max(0, Math.ceil((percent / 100) * values.length) - 1)
    expect(percentileOf(each, percent / 100)).toBeCloseTo(sorted[at]!, 8)
  })

  it('go by size, and leave out what is not finite', () => {
    const few = (use: (value: number, size: number) => void) =>
      [
        [1, 90],
        [5, 10],
        [NaN, 1000],
      ].forEach(([x, size]) => use(x!, size!))
    expect(percentileOf(few, 0.5)).toBeCloseTo(1, 8)
    expect(percentileOf(few, 0.95)).toBeCloseTo(5, 8)
    expect(percentileOf(() => undefined, 0.5)).toBeNaN()
    expect(percentileOf((use) => use(3, 1), 0.5)).toBe(3)
  })
})
