/** Formulas that are one number, and how they are written with another. */
import { expect, it } from 'vitest'
import { readConstant, writeConstant } from '../../../core/fields/formula/constant'
import { parseFormula } from '../../../core/fields/formula/parse'

it.each([
  ["30 'deg'", 30, 'deg'],
  ["-2.5e-3 'kg/m^3'", -2.5e-3, 'kg/m^3'],
  [' 7 ', 7, null],
  ["(1 'm')", 1, 'm'],
])('%s is a constant', (text, value, unit) => {
  expect(readConstant(text)).toEqual({ value, unit })
  for (const other of [0, -12.5, 1e-30, 6.02e23]) {
    const written = writeConstant({ value: other, unit })
    expect(() => parseFormula(written)).not.toThrow()
    expect(readConstant(written)).toEqual({ value: other, unit })
  }
})

it.each(['T', '2 * 3', 'max(1, 2)', '', 'mag(', "--1 'm'"])('%j is none', (text) => expect(readConstant(text)).toBeUndefined())
