import { describe, expect, it } from 'vitest'
import { FormulaError } from '../../../core/errors'
import { checkFormula } from '../../../core/fields/formula/check'
import type { FieldInfo, Scope } from '../../../core/fields/formula/typed'
import { compileFormula } from '../../../core/fields/formula/compile'
import { namesIn, parseFormula } from '../../../core/fields/formula/parse'
import { parseUnit, unitName } from '../../../core/units/units'

const field = (name: string, components: number, unit: string | null, place: 'point' | 'cell' = 'point'): FieldInfo => {
  const parsed = unit === null ? null : parseUnit(unit)!
  return { name, components, place, dimensions: parsed?.dimensions ?? null, factor: parsed?.factor ?? 1, offset: parsed?.offset ?? 0 }
}
const fields: Record<string, FieldInfo> = {
  U: field('U', 3, 'm/s'),
  V: field('V', 3, 'm/s'),
  T: field('T', 1, 'K'),
  p: field('p', 1, 'kPa', 'cell'),
  q: field('q', 1, null),
  C: field('C', 1, '°C'),
  S: field('S', 6, 'Pa'),
  G: field('G', 9, '1/s'),
  'Wall shear': field('Wall shear', 1, 'Pa'),
}
const formulas: Record<string, string> = { speed: 'mag(U)', a: 'b + T', b: 'a * 2', broken: 'mag(' }
const scope: Scope = {
  field: (name) => fields[name],
  formula: (name) => formulas[name],
  length: parseUnit('m')!,
  names: () => [...Object.keys(fields), ...Object.keys(formulas)],
}
const data: Record<string, Float64Array> = {
  U: Float64Array.of(3, 4, 0, 1, 2, 2),
  V: Float64Array.of(1, 0, 0, 0, 1, 0),
  T: Float64Array.of(280, 290),
  p: Float64Array.of(1, 2),
  q: Float64Array.of(5, 6),
  C: Float64Array.of(10, 20),
  S: Float64Array.of(1, 2, 3, 4, 5, 6, 0, 0, 0, 1, 0, 0),
  // a turn about z, and a stretch along x with a shear
  G: Float64Array.of(0, -2, 0, 2, 0, 0, 0, 0, 0, 3, 1, 0, 0, -1, 0, 0, 0, -2),
  'Wall shear': Float64Array.of(7, 8),
}
const pos = Float64Array.of(1, 2, 3, 4, 5, 6)

function evaluate(text: string): { values: number[]; unit: string | null } {
  const typed = checkFormula(text, scope)
  const formula = compileFormula(typed)
  const out = new Float64Array(2 * formula.components)
  formula.run(
    2,
    formula.fields.map((f) => data[f.name]!),
    pos,
    pos,
    out,
  )
  return { values: [...out], unit: typed.dimensions && unitName(typed.dimensions) }
}

it('takes positions in the length unit of the case', () => {
  const typed = checkFormula('pos.z', { ...scope, length: parseUnit('mm')! })
  const out = new Float64Array(2)
  compileFormula(typed).run(2, [], Float64Array.of(1, 2, 1200, 4, 5, 500), pos, out)
  expect([...out]).toEqual([1.2, 0.5])
  expect(unitName(typed.dimensions!)).toBe('m')
})

describe('values and units', () => {
  it.each([
    ['mag(U)', [5, 3], 'm/s'],
    ['speed^2', [25, 9], 'm²/s²'],
    ['U.x + U.y', [7, 3], 'm/s'],
    ['dot(U, V)', [3, 2], 'm²/s²'],
    ['cross(U, V).z', [-4, 1], 'm²/s²'],
    ['unit(U).x', [0.6, 1 / 3], '1'],
    ['vec(T, T, T).y', [280, 290], 'K'],
    ["max(T - 285 'K', 0 'K')", [0, 5], 'K'],
    ['min(U.x, V.x)', [1, 0], 'm/s'],
    ['abs(-T)', [280, 290], 'K'],
    ['sqrt(dot(U, U))', [5, 3], 'm/s'],
    ['-2^2', [-4, -4], '1'],
    ['2^3^2', [512, 512], '1'],
    ['2 * 3 - 4 / 2', [4, 4], '1'],
    ['8 / 2 / 2', [2, 2], '1'],
    ['(1 + 2) * 3', [9, 9], '1'],
    ["T / 10 's'", [28, 29], 'K/s'],
    ['pos.z', [3, 6], 'm'],
    ['2 * U - U', [3, 4, 0, 1, 2, 2], 'm/s'],
    // units of the file are folded in: kPa to Pa, °C to K
    ["atphase(U, V, 0 'deg')", [3, 4, 0, 1, 2, 2], 'm/s'],
    ["atphase(U, V, 90 'deg') + V", [0, 0, 0, 0, 0, 0], 'm/s'],
    ["atphase(U, V, 60 'deg').x", [1.5 - Math.sqrt(0.75), 0.5], 'm/s'],
    ['modulus(U, V).x', [Math.sqrt(10), 1], 'm/s'],
    ['argument(U.x, V.x)', [Math.atan2(1, 3), 0], '1'],
    ["real(T, 60 'deg')", [140, 145], 'K'],
    ["imaginary(T, 30 'deg')", [140, 145], 'K'],
    ['real(modulus(U, V), argument(U, V)) - U', [0, 0, 0, 0, 0, 0], 'm/s'],
    // along one line, and on a circle of radius 3 where it does not matter when one looks
    ['peak(U, 2 * U)', [5 * Math.sqrt(5), 3 * Math.sqrt(5)], 'm/s'],
    ["peak(vec(T, T, T) / 100 'K', vec(1, -1, 0) * T * sqrt(1.5) / 100 'K')", [2.8 * Math.sqrt(3), 2.9 * Math.sqrt(3)], '1'],
    ['known(T)', [1, 1], '1'],
    ['known(U / (V.y))', [0, 1], '1'],
    ['peak(T, 0 * T)', [280, 290], 'K'],
    ['peak(S, S) / equivalent(S)', [Math.SQRT2, Math.SQRT2], '1'],
    ['p * 2', [2000, 4000], 'Pa'],
    ["C + 0 'K'", [283.15, 293.15], 'K'],
    ['mag(S)', [Math.sqrt(1 + 4 + 9 + 2 * (16 + 25 + 36)), Math.sqrt(2)], 'Pa'],
    ['S.yx', [4, 1], 'Pa'],
    ['`Wall shear` / 2', [3.5, 4], 'Pa'],
    ["0.5 * 1025 'kg/m^3' * mag(U)^2", [12812.5, 4612.5], 'Pa'],
    ['1e-3 * T', [0.28, 0.29], 'K'],
    // units behind numbers without quotes: as long as they can be
    ['U.x / 2 m/s', [1.5, 0.5], '1'],
    ['5 kJ/kg*T / 1 kJ/kg', [1400, 1450], 'K'],
    ['V.x * 2 Pa s / 1 m', [2, 0], 'Pa'],
    ['T - 9.8 °C', [-2.95, 7.05], 'K'],
    ['2 m^-2 * pos.z*1 m', [6, 12], '1'],
    ['if(T > 285 K and 3 > 2 or 1 < 0, 1, 0)', [0, 1], '1'],
    ['exp(log(U.x / V.x))', [3, Infinity], '1'],
    ['sin(2) ^ 2 + cos(2) ^ 2', [1, 1], '1'],
    ['atan2(U.y, U.x)', [Math.atan2(4, 3), Math.atan2(2, 1)], '1'],
    ['tan(atan(0.3)) + log10(100) + asin(sin(0.2)) + acos(cos(0.1))', [2.6, 2.6], '1'],
    ['cosh(0.4)^2 - sinh(0.4)^2 + tanh(0)', [1, 1], '1'],
    ['floor(-1.5) + ceil(1.2) + round(2.6) + sign(-T)', [2, 2], '1'],
    ['hypot(U.x, U.y, U.z)', [5, 3], 'm/s'],
    ["mod(T, 30 'K')", [10, 20], 'K'],
    ['max(U.x, U.y, U.z) - min(U.x, U.y, U.z)', [4, 1], 'm/s'],
    ["clamp(T, 284 'K', 286 'K')", [284, 286], 'K'],
    ['trace(S)', [6, 0], 'Pa'],
    ['det(S)', [101, 0], 'kg³/m³/s⁶'],
    ['equivalent(S)', [Math.sqrt(234), Math.sqrt(3)], 'Pa'],
    ['trace(deviator(S))', [0, 0], 'Pa'],
    ['principal(S).x + principal(S).y + principal(S).z', [6, 0], 'Pa'],
    ['principal(S).x * principal(S).y * principal(S).z', [101, 0], 'kg³/m³/s⁶'],
    ['principal(sym(G))', [...[0, 0, 0], ...[1 + Math.sqrt(4.25), 1 - Math.sqrt(4.25), -2]], 's⁻¹'],
    ['mag(dot(S, direction1(S)) - principal(S).x * direction1(S))', [0, 0], 'Pa'],
    ['mag(dot(S, direction3(S)) - principal(S).z * direction3(S))', [0, 0], 'Pa'],
    ['dot(direction1(S), cross(direction2(S), direction3(S)))^2', [1, 1], '1'],
    ['dot(S, V)', [...[1, 4, 6], ...[1, 0, 0]], 'W/m²'],
    ['dot(G, V)', [...[0, 2, 0], ...[1, -1, 0]], 'm/s²'],
    ['dot(V, G)', [...[0, -2, 0], ...[0, -1, 0]], 'm/s²'],
    ['trace(dot(G, G)) - inner(G, transpose(G))', [0, 0], 's⁻²'],
    ['inner(S, S) - mag(S)^2', [0, 0], 'kg²/m²/s⁴'],
    ['outer(U, V).yx', [4, 0], 'm²/s²'],
    ['sym(G).xy', [0, 0.5], 's⁻¹'],
    ['skew(G).xy', [-2, 0.5], 's⁻¹'],
    ['mag(sym(G))^2 + mag(skew(G))^2 - mag(G)^2', [0, 0], 's⁻²'],
    ['transpose(G).xy', [2, 0], 's⁻¹'],
  ])('%s', (text, values, unit) => {
    const result = evaluate(text)
    result.values.forEach((v, i) => expect(v).toBeCloseTo(values[i]!, 10))
    expect(result.unit).toBe(unit)
  })

  it('an unknown unit stays unknown and is never an error', () => {
    expect(evaluate('q * T').unit).toBeNull()
    expect(evaluate('q + T')).toEqual({ values: [285, 296], unit: null })
  })

  it('lists the names a formula uses', () => {
    expect([...namesIn(parseFormula('max(a.x, `b c`) + mag(d)^2'))]).toEqual(['a', 'b c', 'd'])
    expect([...namesIn(parseFormula('mean(a, by = b * mag(c), on = "d")'))]).toEqual(['a', 'b', 'c'])
  })
})

describe('errors point at the place', () => {
  it.each([
    ['U + T', 'T', /vector/],
    ['U.x + T', 'T', /K cannot be added to m\/s/],
    ['T + 1', '1', /write|unit: 1 'K'/],
    ['U * V', 'U * V', /dot\(a, b\) or cross/],
    ['T / U', 'U', /Dividing by a vector/],
    ['U^2', 'U^2', /Only scalars/],
    ['2^T', 'T', /exponent has no unit/],
    ['nothing + 1', 'nothing', /no field or formula “nothing”; known are U/],
    ['sin(T)', 'T', /sin takes a number without a unit, but this is in K/],
    ['sine(T)', 'sine', /no function “sine”; did you mean sign or sin or sinh\?/],
    ['wobble(T)', 'wobble', /known are mag/],
    ['max()', 'max()', /takes 2 or more arguments, not 0/],
    ['hypot(U.x, T)', 'T', /K cannot be joined with m\/s/],
    ['skew(S)', 'S', /skew takes a tensor, but this is a symmetric tensor/],
    ['strain(T)', 'T', /strain takes a vector, but this is a scalar/],
    ['mag(U, V)', 'mag(U, V)', /takes 1 argument/],
    ['dot(U, T)', 'T', /takes a vector or a symmetric tensor or a tensor, but this is a scalar/],
    ['U.w', 'U.w', /no component “w”; it has x, y, z/],
    ['T.x', 'T.x', /a scalar has no component/],
    ['T + p', 'T + p', /K|Pa/],
    ['q * p', 'q * p', /points with values on cells/],
    ['T - (U.x', '', /closing parenthesis/],
    ['T * * 2', '*', /not expected/],
    ['T 2', '2', /operator is missing/],
    ["3 'furlong'", "3 'furlong'", /not a unit/],
    ['T # 2', '#', /cannot stand here/],
    ['a', 'a', /a → b → a|defined by itself/],
    ['broken + 1', 'broken', /In “broken”/],
    ['', '', /empty/],
  ])('%s', (text, place, message) => {
    let error: unknown
    try {
      checkFormula(text, scope)
    } catch (caught) {
      error = caught
    }
    expect(error).toBeInstanceOf(FormulaError)
    const { range, message: said } = error as FormulaError
    expect(said).toMatch(message)
    if (text !== 'T + p') expect(text.slice(...range!)).toBe(place)
  })

  it('hostile input is refused, not run', () => {
    expect(() => parseFormula('('.repeat(5000))).toThrow(/nested too deeply/)
    expect(() => parseFormula('1+'.repeat(6000))).toThrow(/more than 10000/)
    expect(() => checkFormula('constructor', scope)).toThrow(/no field/)
    expect(() => parseFormula('a; process.exit()')).toThrow(/cannot stand here/)
  })
})
