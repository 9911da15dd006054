import { describe, expect, it } from 'vitest'
import { inUnit, readNumber, readNumbers } from '../../../core/units/typedNumbers'

describe('one number', () => {
  it.each([
    ['1200 mm', 1200, 'mm'],
    ['-3,5', -3.5, undefined],
    ['−.5e-3kg/s', -5e-4, 'kg/s'],
    [' 20 °C ', 20, '°C'],
    ['2.', 2, undefined],
    ['4e3', 4000, undefined],
  ])('%s', (text, value, unit) => expect(readNumber(text)).toEqual({ value, unit }))
  it.each(['', 'mm', 'x 3', '.', '--3'])('“%s” is none', (text) => expect(readNumber(text)).toBeUndefined())
})

describe('three numbers', () => {
  it.each<[string, [number, string | undefined][]]>([
    [
      '1, 2, 3',
      [
        [1, undefined],
        [2, undefined],
        [3, undefined],
      ],
    ],
    [
      '-15 mm, 2 mm, 0',
      [
        [-15, 'mm'],
        [2, 'mm'],
        [0, 'mm'],
      ],
    ],
    [
      '1 2 3 cm',
      [
        [1, 'cm'],
        [2, 'cm'],
        [3, 'cm'],
      ],
    ],
    [
      '0.1m; 20 mm; −3e-2',
      [
        [0.1, 'm'],
        [20, 'mm'],
        [-0.03, 'mm'],
      ],
    ],
    [
      '1 -2 -3 ',
      [
        [1, undefined],
        [-2, undefined],
        [-3, undefined],
      ],
    ],
  ])('%s', (text, expected) => expect(readNumbers(text, 3)?.map(({ value, unit }) => [value, unit])).toEqual(expected))
  it.each(['1, 2', '1, 2, 3, 4', '1, two, 3', '', '1,,2,3'])('“%s” is none', (text) => expect(readNumbers(text, 3)).toBeUndefined())
})

it('numbers come into the unit that is wanted; without one they have the plain one', () => {
  expect(inUnit({ value: 1200, unit: 'mm' }, 'm')).toBeCloseTo(1.2, 12)
  expect(inUnit({ value: 20, unit: '°C' }, 'K')).toBeCloseTo(293.15, 9)
  expect(inUnit({ value: 7, unit: undefined }, 'anything')).toBe(7)
  expect(inUnit({ value: 900, unit: undefined }, 'm', 'mm')).toBeCloseTo(0.9, 12)
  expect(inUnit({ value: 3, unit: 'kg' }, 'm')).toBeNull()
  expect(inUnit({ value: 3, unit: 'flobs' }, 'm')).toBeNull()
})
