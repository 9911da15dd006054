/** Ready formulas: offered where their inputs are, each with a meaning and a unit. */
import { expect, it } from 'vitest'
import { checkFormula } from '../../../core/fields/formula/check'
import { readyFormulas } from '../../../core/fields/formula/shelf'
import type { FieldInfo, Scope } from '../../../core/fields/formula/typed'
import { parseUnit, unitName } from '../../../core/units/units'

const fields = [
  ['velocity', 3, 'm/s'],
  ['T', 1, '°C'],
  ['Total stress', 6, 'MPa'],
  ['d', 3, 'mm'],
  ['w_re', 3, 'mm'],
  ['w_im', 3, 'mm'],
  ['S amplitude', 6, 'MPa'],
  ['S phase', 6, 'deg'],
  ['phi', 1, 'deg'],
] as const

function scopeOf(names: readonly string[], density: number | undefined): Scope {
  const scope: Scope = {
    field(name) {
      const found = fields.find(([own]) => own === name && names.includes(own))
      const unit = found && parseUnit(found[2])!
      return found && ({ name, components: found[1], place: 'point', ...unit } as FieldInfo)
    },
    formula: () => undefined,
    length: parseUnit('mm'),
    constant: (name) => (name === 'density' && density ? { values: [density], dimensions: parseUnit('kg/m^3')!.dimensions } : undefined),
    on: () => ({ scope, parts: ['Water'], dimension: 3 }),
    names: () => [...names],
  }
  return scope
}

function offered(names: readonly string[], density?: number, taken: string[] = []) {
  const scope = scopeOf(names, density)
  const known = fields
    .filter(([name]) => names.includes(name))
    .map(([name, components, unit]) => ({ name, components, dimensions: parseUnit(unit)!.dimensions }))
  const found = readyFormulas(known, scope, new Set(taken))
  return Object.fromEntries(found.map(({ name, text }) => [name, { text, unit: unitName(checkFormula(text, scope).dimensions!) }]))
}

it('has those whose fields and constants are there, with their units', () => {
  const all = offered(['velocity', 'T', 'Total stress', 'd'], 1000)
  expect(all['speed']).toEqual({ text: 'mag(velocity)', unit: 'm/s' })
  expect(all['vortex Q']!.unit).toBe('s⁻²')
  expect(all['dynamic pressure']!.unit).toBe('Pa')
  expect(all['T over mean']).toEqual({ text: 'T - mean(T)', unit: 'K' })
  expect(all['equivalent it']).toEqual({ text: 'equivalent(`Total stress`)', unit: 'Pa' })
  expect(all['volume change']!.unit).toBe('1')
})

it('has no others, and none whose name is taken', () => {
  expect(Object.keys(offered([]))).toEqual(['radius', 'angle'])
  const without = offered(['velocity'], undefined, ['speed'])
  expect(without).not.toHaveProperty('speed')
  expect(without).not.toHaveProperty('dynamic pressure')
  expect(without).toHaveProperty('vorticity')
})

it('has those of what swings where both of its fields are there', () => {
  const parts = offered(['w_re', 'w_im'])
  expect(parts['w amplitude']).toEqual({ text: 'modulus(w_re, w_im)', unit: 'm' })
  expect(parts['phi']!.text).toBe("0 'deg'")
  expect(parts).not.toHaveProperty('w at phi')
  expect(offered(['w_re', 'w_im', 'phi'], undefined, ['phi'])['w at phi']!.text).toBe('atphase(w_re, w_im, phi)')
  const polar = offered(['S amplitude', 'S phase'])
  expect(polar['S peak']).toEqual({
    text: 'peak(real(`S amplitude`, `S phase`), imaginary(`S amplitude`, `S phase`))',
    unit: 'Pa',
  })
  expect(Object.keys(offered(['w_re', 'S phase'])).filter((name) => /peak|phi/.test(name))).toEqual([])
})

it('has differences to other cases, and what comes from points, of the fields that are there', () => {
  const scope = scopeOf(['velocity', 'T'], undefined)
  scope.others = {
    moment: 0,
    times: [0],
    atMoment: (moment) => ({ scope, place: { case: null, moment, part: null } }),
    inCase: (name) => (['Run, 2°', 'sensors', 'bare'].includes(name) ? { scope, place: { case: name, moment: 0, part: null } } : undefined),
    caseNames: ['Run, 2°', 'sensors'],
  }
  const known = fields.slice(0, 2).map(([name, components, unit]) => ({ name, components, dimensions: parseUnit(unit)!.dimensions }))
  const found = readyFormulas(known, scope, new Set(['T of sensors']), {
    meshes: [
      { name: 'Run, 2°', fields: new Set(['velocity', 'T']) },
      { name: 'gone', fields: new Set(['T']) },
    ],
    points: [
      { name: 'sensors', fields: new Set(['velocity', 'T']) },
      { name: 'bare', fields: new Set() },
    ],
  })
  expect(found.filter(({ from }) => from).map(({ name, text, from }) => [name, text, from])).toEqual([
    ['velocity of sensors', 'from("sensors", velocity)', 'sensors'],
    ['speed less Run 2', 'mag(velocity) - from("Run, 2°", mag(velocity))', 'Run, 2°'],
    ['T less Run 2', 'T - from("Run, 2°", T)', 'Run, 2°'],
  ])
})
