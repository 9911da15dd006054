import { describe, expect, it } from 'vitest'
import { outcomeKey, shapeKey, valueKey } from '../../../core/study/keys'
import type { Plan } from '../../../core/study/plan'
import type { Catalogue } from '../../../core/study/caseModel'

const moment = (index: number, topology = 0, coordinates = 0) => ({ index, kind: 'time', label: `${index}`, value: index, unit: 's', topology, coordinates })
const catalogue = (moments = [moment(0), moment(1), moment(2, 1, 1)]): Catalogue => ({
  format: 'test', lengthUnit: 'm', lengthUnitFrom: 'file', timeUnit: 's', parts: [], sets: [], interfaces: [], fields: [], moments, cautions: [],
})

const base: Plan = {
  case: 'c',
  moment: 0,
  steps: {
    slice: { kind: 'slice', inputs: { of: [{ part: 'Water' }] }, settings: { origin: [0, 0, 1], normal: [0, 0, 1] } },
    level: { kind: 'isosurface', inputs: { of: [{ part: 'Water' }] }, settings: { variable: 'speed', value: 0.2 } },
    lines: { kind: 'isosurface', inputs: { of: [{ step: 'slice' }] }, settings: { variable: 'T', value: 285 } },
    mean: { kind: 'measure', inputs: { of: [{ step: 'slice' }] }, settings: { quantity: 'mean', variable: 'speed' } },
    area: { kind: 'measure', inputs: { of: [{ step: 'slice' }] }, settings: { quantity: 'size', variable: 'speed' } },
  },
  formulas: { speed: 'mag(U)', double: 'speed * 2', other: 'T * 2' },
  fields: { U: 'U', T: 'T' },
  target: 'slice',
  variable: null,
}

/** A plan with one change, made in a deep copy. */
function changed(change: (plan: Plan) => void): Plan {
  const plan = structuredClone(base)
  change(plan)
  return plan
}

describe('shapes are computed anew', () => {
  it.each<[string, string, (plan: Plan) => void, boolean]>([
    ['slice: another place', 'slice', (p) => void (p.steps['slice']!.settings['origin'] = [0, 0, 2]), true],
    ['slice: another part', 'slice', (p) => void (p.steps['slice']!.inputs['of'] = [{ part: 'Arm' }]), true],
    ['slice: another case', 'slice', (p) => void (p.case = 'd'), true],
    ['slice: another mesh', 'slice', (p) => void (p.moment = 2), true],
    ['slice: another moment of the same mesh', 'slice', (p) => void (p.moment = 1), false],
    ['slice: another formula', 'slice', (p) => void (p.formulas['speed'] = 'U.x'), false],
    ['slice: another variable to show', 'slice', (p) => void (p.variable = 'T'), false],
    ['slice: the same settings in another order', 'slice', (p) => void (p.steps['slice']!.settings = { normal: [0, 0, 1], origin: [0, 0, 1] }), false],
    ['isosurface: another moment', 'level', (p) => void (p.moment = 1), true],
    ['isosurface: its formula', 'level', (p) => void (p.formulas['speed'] = 'U.x'), true],
    ['isosurface: a formula it does not use', 'level', (p) => void (p.formulas['other'] = 'T'), false],
    ['isosurface: its field is bound to another name', 'level', (p) => void (p.fields['U'] = 'velocity'), true],
    ['a chain: the step before it', 'lines', (p) => void (p.steps['slice']!.settings['origin'] = [0, 0, 2]), true],
    ['a chain: a step beside it', 'lines', (p) => void (p.steps['level']!.settings['value'] = 0.3), false],
  ])('%s: %s %s', (_, step, change, isNew) => {
    const [before, after] = [shapeKey(base, catalogue(), step), shapeKey(changed(change), catalogue(), step)]
    if (isNew) expect(after).not.toBe(before)
    else expect(after).toBe(before)
  })
})

describe('values are computed anew', () => {
  it.each<[string, (plan: Plan) => void, boolean]>([
    ['another moment', (p) => void (p.moment = 1), true],
    ['the formula itself', (p) => void (p.formulas['double'] = 'speed * 3'), true],
    ['a formula inside it', (p) => void (p.formulas['speed'] = 'U.x'), true],
    ['a field inside it', (p) => void (p.fields['U'] = 'velocity'), true],
    ['a formula that is not used', (p) => void (p.formulas['other'] = '1'), false],
    ['a field that is not used', (p) => void (p.fields['T'] = 'temp'), false],
    ['a formula that does not parse, and is not used', (p) => void (p.formulas['broken'] = 'mag('), false],
  ])('for %s', (_, change, isNew) => {
    const [before, after] = [valueKey(base, catalogue(), 'slice', 'double'), valueKey(changed(change), catalogue(), 'slice', 'double')]
    if (isNew) expect(after).not.toBe(before)
    else expect(after).toBe(before)
  })

  it('readings follow what they are made of, and sizes no field', () => {
    const other = changed((p) => void (p.formulas['speed'] = 'U.x'))
    expect(outcomeKey(other, catalogue(), 'mean')).not.toBe(outcomeKey(base, catalogue(), 'mean'))
    const later = changed((p) => void (p.moment = 1))
    expect(outcomeKey(later, catalogue(), 'mean')).not.toBe(outcomeKey(base, catalogue(), 'mean'))
    expect(outcomeKey(later, catalogue(), 'area')).toBe(outcomeKey(base, catalogue(), 'area'))
  })

  it('formulas that go in circles still have a key', () => {
    const circle = changed((p) => Object.assign(p.formulas, { a: 'b + 1', b: 'a + 1' }))
    expect(valueKey(circle, catalogue(), 'slice', 'a')).toMatch(/^[0-9a-z]{10,}$/)
  })
})

it('ten thousand settings have ten thousand keys', () => {
  const keys = new Set<string>()
  for (let i = 0; i < 10_000; i++) keys.add(shapeKey(changed((p) => void (p.steps['slice']!.settings['origin'] = [0, 0, i / 1000])), catalogue(), 'slice'))
  expect(keys.size).toBe(10_000)
})
