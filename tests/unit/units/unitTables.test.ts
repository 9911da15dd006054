import { describe, expect, it } from 'vitest'
import { dimensionless, divide, multiply, parseUnit, power, requireUnit, sameDimensions, unitName } from '../../../core/units/units'

describe('units that are read', () => {
  it.each<[string, number, string]>([
    ['m', 1, 'm'],
    ['mm', 1e-3, 'm'],
    ['km/h', 1000 / 3600, 'm/s'],
    ['m s^-1', 1, 'm/s'],
    ['m·s⁻¹', 1, 'm/s'],
    ['m*s^-1', 1, 'm/s'],
    ['kg/m^3', 1, 'kg/m³'],
    ['kg/m³', 1, 'kg/m³'],
    ['kg m^-3', 1, 'kg/m³'],
    ['Pa', 1, 'Pa'],
    ['MPa', 1e6, 'Pa'],
    ['N/mm²', 1e6, 'Pa'],
    ['mbar', 100, 'Pa'],
    ['L/s', 1e-3, 'm³/s'],
    ['rpm', (2 * Math.PI) / 60, '1/s'],
    ['W/(m² K)', 1, 'kg/(s³·K)'],
    ['J/(kg K)', 1, 'm²/(s²·K)'],
    ['%', 0.01, '1'],
    ['1', 1, '1'],
    ['in', 0.0254, 'm'],
    ['psi', 6894.757293168361, 'Pa'],
  ])('%s', (text, factor, name) => {
    const unit = parseUnit(text)
    expect(unit).not.toBeNull()
    expect(unit!.factor).toBeCloseTo(factor, 12)
    expect(unitName(unit!.dimensions)).toBe(unitName(parseUnit(name)!.dimensions))
  })

  it.each(['', 'furlong', 'm/', 's·', 'm^^2', 'kg m)', 'm^x', '°', '...', 'constructor', '__proto__'])(
    '“%s” is none, or one that is known',
    (text) => {
      const unit = parseUnit(text)
      if (text === '°') expect(unit!.factor).toBeCloseTo(Math.PI / 180, 15)
      else expect(unit).toBeNull()
    },
  )

  it('a level of temperature has an offset', () => {
    const celsius = parseUnit('°C')!
    expect(celsius.factor * 25 + celsius.offset).toBeCloseTo(298.15, 12)
    expect(requireUnit('K')).toMatchObject({ factor: 1, offset: 0 })
    expect(() => requireUnit('hotness')).toThrow(/“hotness” is not a unit/)
  })
})

describe('dimensions', () => {
  const [length, time] = [parseUnit('m')!.dimensions, parseUnit('s')!.dimensions]

  it('multiply, divide and take powers', () => {
    const speed = divide(length, time)
    expect(unitName(speed)).toBe('m/s')
    expect(unitName(multiply(speed, length))).toBe('m²/s')
    expect(unitName(power(speed, 2))).toBe('m²/s²')
    expect(unitName(power(length, 0.5))).toMatch(/m/)
    expect(sameDimensions(multiply(speed, time), length)).toBe(true)
    expect(sameDimensions(speed, length)).toBe(false)
    expect(sameDimensions(divide(length, length), dimensionless)).toBe(true)
  })

  it.each(['N', 'Pa', 'J', 'W', 'm³/s', 'kg/s', 's⁻¹', 'm²/s²', 'Pa·s'])('%s keeps its name', (name) => {
    expect(unitName(parseUnit(name)!.dimensions)).toBe(name)
  })
})
