/** Where values stand on scales: worked out by hand. */
import { describe, expect, it } from 'vitest'
import { colourAt, colourMaps, colourTable, keepMaps } from '../../../core/colour/maps'
import { beyond, colourPlace, fittingScale, levelsByStep, scaleTicks, shareOf, valueAt } from '../../../core/colour/scale'
import { difference, mistakenBy, seenBy } from '../../../core/colour/sight'
import { formatAs, roundBelow } from '../../../core/colour/ticks'
import { readMap } from '../../../core/study/readMap'

describe('a scale', () => {
  it('in bands gives every value of a band the colour of its middle', () => {
    const scale = { min: 0, max: 1, bands: 4 }
    expect([0, 0.1, 0.24, 1, 7].map((v) => colourPlace(v, scale))).toEqual([0.125, 0.125, 0.125, 0.875, 0.875])
    expect(colourPlace(3, { min: 3, max: 3, bands: 0 })).toBe(0.5)
  })

  it('that is logarithmic begins above 0, and goes back and forth', () => {
    const scale = { min: 0.01, max: 100, bands: 0, isLog: true }
    expect([0.01, 0.1, 1, 100].map((v) => shareOf(v, scale))).toEqual([0, 0.25, 0.5, 1].map((x) => expect.closeTo(x, 12)))
    for (const share of [0, 0.3, 1]) expect(shareOf(valueAt(share, scale), scale)).toBeCloseTo(share, 12)
    expect(fittingScale({ min: -3, max: 50, bands: 0, isLog: true }).min).toBeCloseTo(0.005, 12)
    expect(scaleTicks(scale, 5)).toEqual([0.01, 0.1, 1, 10, 100])
    expect(scaleTicks({ min: 2, max: 60, bands: 0, isLog: true }, 5)).toEqual([2, 5, 10, 20, 50])
  })

  it('between levels has one colour for each, sorted, and ends at them', () => {
    const scale = fittingScale({ min: -9, max: 9, bands: 12, levels: [5, 0, 1] })
    expect(scale).toMatchObject({ min: 0, max: 5, levels: [0, 1, 5] })
    expect([0, 0.99, 1, 4.9, 5].map((v) => colourPlace(v, scale))).toEqual([0.25, 0.25, 0.75, 0.75, 0.75])
    expect([-0.1, 0, 5, 5.1].map((v) => beyond(v, scale))).toEqual(['low', null, null, 'high'])
  })

  it('by step has levels at its multiples that hold the range', () => {
    expect(levelsByStep(0.2, 0.13, 0.71)).toEqual([0, 0.2, 0.4, 0.6, 0.8])
    expect(levelsByStep(0.2, 0.2, 0.6)).toEqual([0.2, 0.4, 0.6])
    expect(levelsByStep(1e-9, 0, 1)).toEqual([])
    expect(levelsByStep(-1, 0, 1)).toEqual([])
  })
})

describe('a map', () => {
  it('is reversed, and a study may bring its own', () => {
    for (const { id } of colourMaps) expect(colourAt(id, 0.2, true)).toEqual(colourAt(id, 0.8))
    expect([...colourTable('viridis', true).slice(-4)]).toEqual([0x44, 0x01, 0x54, 255])
    keepMaps([{ id: 'dusk', title: 'Dusk', kind: 'sequential', colours: ['#000000', '#ffffff'] }])
    expect(colourAt('dusk', 0.5)).toEqual([128, 128, 128])
    expect(readMap('{"title": "Dusk", "colours": ["#000000", "#ffffff"]}', 'd.json')).toEqual({
      title: 'Dusk',
      colours: ['#000000', '#ffffff'],
    })
    expect(readMap('no', 'd.json')).toMatch(/^d\.json is no JSON; write/)
    expect(readMap('{"title": "x", "colours": ["red"]}', 'd.json')).toMatch(/^d\.json is no colour map; write .*2 to 256 colours\.$/)
  })

  it('is told to be mistaken where it is: red and green of one lightness, not lightness alone', () => {
    // grey is grey to everyone, and white is white
    for (const sight of ['protanopia', 'deuteranopia', 'tritanopia'] as const)
      expect(difference(seenBy(sight, [128, 128, 128]), [128, 128, 128])).toBeLessThan(1)
    expect(difference([0, 0, 0], [255, 255, 255])).toBeCloseTo(100, 1)
    const redGreen = (t: number): [number, number, number] => [Math.round(200 * (1 - t)), Math.round(125 * t), 0]
    expect(mistakenBy(redGreen)).toContain('deuteranopia')
    for (const id of ['viridis', 'cividis', 'greys', 'blues'])
      expect(
        mistakenBy((t) => colourAt(id, t)),
        id,
      ).toEqual([])
    expect(mistakenBy((t) => colourAt('purple-green', t))).toContain('greys')
  })
})

it('numbers have the format that is chosen', () => {
  expect([formatAs(1234.5), formatAs(1234.5, 'fixed', 1), formatAs(1234.5, 'scientific', 2), formatAs(12345, 'engineering', 1)]).toEqual([
    '1235',
    '1234.5',
    '1.23e3',
    '12.3e3',
  ])
  expect([formatAs(-0.00012, 'engineering'), formatAs(0, 'scientific'), formatAs(-2, 'fixed', 0)]).toEqual(['−120.00e−6', '0.00e0', '−2'])
})

it.each([
  [45, 20],
  [61, 50],
  [100, 100],
  [99.999, 50],
  [0.2, 0.2],
  [0.0019, 0.001],
  [7e8, 5e8],
  [0, 0],
  [-3, 0],
  [NaN, 0],
  [Infinity, 0],
])('the round number below %d is %d', (x, round) => expect(roundBelow(x)).toBe(round))
