import { describe, expect, it } from 'vitest'
import { newStudy } from '../../../core/study/defaults'
import {
  addWritten,
  expressionsIn,
  knownFormula,
  partsOfVariable,
  withMentioned,
  writtenFormula,
} from '../../../core/study/writtenVariables'

describe('variables that are written where one is chosen', () => {
  it.each([
    ['U.x', { name: 'U_x', text: 'U.x' }],
    ['dynamic = 0.5 * rho * mag(U)^2', { name: 'dynamic', text: '0.5 * rho * mag(U)^2' }],
    [' mag(U) / 2 ', { name: 'mag(U) / 2', text: 'mag(U) / 2' }],
    ['T == 3 K', { name: 'formula', text: 'T == 3 K' }],
    ['mean(T, over = times)', { name: 'formula', text: 'mean(T, over = times)' }],
  ])('%s', (text, written) => expect(writtenFormula(text)).toEqual(written))

  it('have the components of what they are part of, as they are written in formulas', () => {
    expect(partsOfVariable('U', 3).map(({ text }) => text)).toEqual(['U.x', 'U.y', 'U.z', 'mag(U)'])
    expect(partsOfVariable('wall stress', 6).at(-1)).toEqual({
      word: 'equivalent',
      name: 'equivalent of wall stress',
      text: 'equivalent(`wall stress`)',
    })
    expect(partsOfVariable('T', 1)).toEqual([])
  })

  it('are made once, under a name that is free', () => {
    const study = newStudy('Test')
    const id = addWritten(study, writtenFormula('U.x'))
    expect(knownFormula(study, 'U.x')).toBe(id)
    const other = addWritten(study, { name: 'U_x', text: 'abs(U.x)' })
    expect(study.formulas[other]).toEqual({ name: 'U_x 2', rank: 2, text: 'abs(U.x)' })
    expect(Object.keys(withMentioned(study, [{ name: 'U.y', text: 'U.y' }]).formulas)).toEqual([id, other, 'U.y'])
    expect(Object.keys(study.formulas)).toEqual([id, other])
  })

  it('expressions stand in sentences, with spaces inside parentheses', () => {
    expect(expressionsIn('plot distance("Outer wall") against mag(U - vec(1 m/s, 0, 0)) along Line 1, -0.2 m/s')).toEqual([
      'distance("Outer wall")',
      'mag(U - vec(1 m/s, 0, 0))',
    ])
    expect(expressionsIn('slice z 0.6 vort.z in 80 L/s by p/k')).toEqual(['vort.z', 'p/k'])
  })
})
