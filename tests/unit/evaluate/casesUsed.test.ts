import { expect, it } from 'vitest'
import { casesUsed } from '../../../core/evaluate/casesUsed'
import type { Plan } from '../../../core/evaluate/plan'
import { CASE } from '../../support/evaluation'

const ids = ['slow', 'fast', 'late', 'sensors', 'other']
const carry = { variable: 'T', case: 'late', by: 'between', count: 8, outside: 'gap', value: 0 }
const plan: Plan = {
  cases: Object.fromEntries(ids.map((id) => [id, CASE])),
  caseNames: Object.fromEntries(ids.map((id) => [id, `The ${id}`])),
  parts: {
    water: { name: 'Water', binding: { slow: ['Water'], fast: ['Water'], late: ['Water'], other: ['Water'] } },
    points: { name: 'Points', binding: { sensors: ['points'] } },
  },
  variables: {},
  formulas: { gain: { name: 'gain', text: 'T - from( "The fast", T)' } },
  steps: {},
}
const step = (kind: string, settings: object, inputs: Plan['steps'][string]['inputs']) => ({ kind, settings: { ...settings }, inputs })

it('cases are those of the frames, those that formulas and steps name, and those that have what others lack', () => {
  expect(casesUsed({ ...plan, formulas: {} }, ['slow'])).toEqual(['slow'])
  expect(casesUsed(plan, ['slow'])).toEqual(['slow', 'fast'])
  const carried = { c: step('carry', carry, { onto: [{ part: 'points' }], from: [{ part: 'water' }] }) }
  expect(casesUsed({ ...plan, formulas: {}, steps: carried }, ['slow']).sort()).toEqual(['late', 'sensors', 'slow'])
  const where = { k: step('keep', { condition: 'from("The other", T) > 3' }, { of: [{ part: 'water' }] }) }
  expect(casesUsed({ ...plan, formulas: {}, steps: where }, ['slow'])).toEqual(['slow', 'other'])
  // one that is gone is answered for where it is asked for
  expect(casesUsed(plan, ['gone'])).toEqual(['gone', 'fast'])
})
