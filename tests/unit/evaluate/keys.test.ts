/** Keys hold all that a result depends on, and nothing else. */
import { describe, expect, it } from 'vitest'
import type { Catalogue } from '../../../core/case/catalogue'
import { Graph } from '../../../core/evaluate/Graph'
import type { Plan } from '../../../core/evaluate/plan'
import { nameOf } from '../../../core/fields/formula/expressions'
import { CASE } from '../../support/evaluation'

const moment = (index: number, topology = 0, coordinates = topology) => ({
  index,
  kind: 'time',
  label: `${index}`,
  value: index,
  unit: 's',
  topology,
  coordinates,
})
const part = (name: string) => ({ name, dimension: 3, cells: 8, points: 27, cellTypes: {}, bounds: [0, 0, 0, 1, 1, 1] })
const field = (name: string, components: number, unit: string | null, place = 'point') => ({
  ...{ name, place, kind: 'scalar', components, numberType: 'Float64', unit },
  ...{ parts: ['Water', 'Arm'], moments: [0, 1, 2, 3] },
})
const catalogue = (): Catalogue => ({
  ...{ format: 'test', lengthUnit: 'm', lengthUnitFrom: 'file', timeUnit: 's', sets: [], interfaces: [], cautions: [] },
  parts: [part('Water'), part('Arm')],
  fields: [field('U', 3, 'm/s'), field('velocity', 3, 'm/s'), field('T', 1, 'K'), field('temp', 1, 'K'), field('p', 1, 'kPa')],
  moments: [moment(0), moment(1), moment(2, 1), moment(3, 0, 1)],
})

interface Setting {
  plan: Plan
  catalogue: Catalogue
  generation: string
  moment: number
  tokens?: Record<string, unknown>
}

const bound = (name: string) => ({ name, binding: { case: { field: name } } })
const base = (): Setting => ({
  plan: {
    cases: { case: CASE },
    parts: { water: { name: 'Water', binding: { case: ['Water'] } }, arm: { name: 'Arm', binding: { case: ['Arm'] } } },
    variables: { u: bound('U'), t: bound('T'), p: bound('p'), flux: bound('T') },
    formulas: {
      ...{
        speed: { name: 'speed', text: 'mag(U)' },
        double: { name: 'double', text: 'speed * 2' },
        other: { name: 'other', text: 'T * 2' },
      },
      heavy: { name: 'heavy', text: 'density * speed' },
    },
    steps: {
      slice: { kind: 'slice', inputs: { of: [{ part: 'water' }] }, settings: { origin: [0, 0, 1], normal: [0, 0, 1] } },
      level: { kind: 'isosurface', inputs: { of: [{ part: 'water' }] }, settings: { variable: 'speed', value: 0.2 } },
      lines: { kind: 'isosurface', inputs: { of: [{ step: 'slice' }] }, settings: { variable: 't', value: 285 } },
      trace: {
        ...{ kind: 'trace', inputs: { of: [{ part: 'water' }], seeds: [{ step: 'rake' }] } },
        settings: { variable: 'u', count: 5, direction: 'both', length: 1, tolerance: 1e-6 },
      },
      rake: { kind: 'line', inputs: {}, settings: { start: [0, 0, 0], end: [1, 0, 0] } },
      mean: { kind: 'measure', inputs: { of: [{ step: 'slice' }] }, settings: { quantity: 'mean', variable: 'speed' } },
      area: { kind: 'measure', inputs: { of: [{ step: 'slice' }] }, settings: { quantity: 'size', variable: 'speed' } },
      show: { kind: 'show', inputs: { of: [{ part: 'water' }, { step: 'slice' }] }, settings: {} },
    },
  },
  catalogue: catalogue(),
  generation: 'first',
  moment: 0,
})

type Changed = (setting: Setting) => void

function keysOf(change: Changed = () => undefined) {
  const setting = structuredClone(base())
  change(setting)
  const snapshot = { key: 'snapshot', id: CASE, generation: setting.generation, catalogue: setting.catalogue }
  const graph = new Graph(setting.plan, new Map([['case', snapshot]]))
  const frame = { case: 'case', moment: setting.moment, ...(setting.tokens && { tokens: setting.tokens }) }
  return {
    shape: (step: string) => graph.shape(step, frame).key,
    values: (name: string) => graph.values('slice', frame, nameOf(name))[0]!.key,
    outcome: (step: string) => graph.outcome(step, frame).key,
    range: (name: string) => graph.range(frame, nameOf(name)).key,
  }
}

const before = keysOf()
const settings = (s: Setting, step: string) => s.plan.steps[step]!.settings
const unit =
  (name: string, to: string): Changed =>
  (s) =>
    void (s.catalogue.fields.find((f) => f.name === name)!.unit = to)
const bind =
  (id: string, to: string, factor?: number): Changed =>
  (s) =>
    void (s.plan.variables[id]!.binding['case'] = { field: to, ...(factor && { factor }) })

describe('shapes are computed anew', () => {
  it.each<[string, string, Changed, boolean]>([
    ['slice: another place', 'slice', (s) => void (settings(s, 'slice')['origin'] = [0, 0, 2]), true],
    ['slice: another place by a token of the frame', 'slice', (s) => void (s.tokens = { 'slice.origin': [0, 0, 2] }), true],
    ['slice: another part', 'slice', (s) => void (s.plan.steps['slice']!.inputs['of'] = [{ part: 'arm' }]), true],
    ['slice: the case read anew', 'slice', (s) => void (s.generation = 'second'), true],
    ['slice: another mesh', 'slice', (s) => void (s.moment = 2), true],
    ['slice: the same cells, moved', 'slice', (s) => void (s.moment = 3), true],
    ['slice: another moment of the same mesh', 'slice', (s) => void (s.moment = 1), false],
    ['slice: another formula', 'slice', (s) => void (s.plan.formulas['speed']!.text = 'U.x'), false],
    ['slice: the unit of a field', 'slice', unit('T', '°C'), false],
    [
      'slice: the same settings in another order',
      'slice',
      (s) => void (s.plan.steps['slice']!.settings = { normal: [0, 0, 1], origin: [0, 0, 1] }),
      false,
    ],
    ['isosurface: another moment', 'level', (s) => void (s.moment = 1), true],
    ['isosurface: its formula', 'level', (s) => void (s.plan.formulas['speed']!.text = 'U.x'), true],
    ['isosurface: a formula it does not use', 'level', (s) => void (s.plan.formulas['other']!.text = 'T'), false],
    ['isosurface: its field is bound to another', 'level', bind('u', 'velocity'), true],
    ['isosurface: a factor of its field', 'level', bind('u', 'U', 2), true],
    ['isosurface: the unit of its field', 'level', unit('U', 'mm/s'), true],
    [
      'isosurface: a material that its formula uses',
      'level',
      (s) => {
        settings(s, 'level')['variable'] = 'heavy'
        s.catalogue.parts[0]!.material = { name: 'brine', constants: { density: 1020 } }
      },
      true,
    ],
    ['lines on a slice: the step before it', 'lines', (s) => void (settings(s, 'slice')['origin'] = [0, 0, 2]), true],
    ['lines on a slice: a step beside it', 'lines', (s) => void (settings(s, 'level')['value'] = 0.3), false],
    ['lines on a slice: the unit of a field as it stands', 'lines', unit('T', '°C'), false],
    ['streamlines: the unit of length, by which time is told', 'trace', (s) => void (s.catalogue.lengthUnit = 'mm'), true],
    ['streamlines: the unit of velocity', 'trace', unit('U', 'mm/s'), true],
    ['show: what it shows', 'show', (s) => void (settings(s, 'slice')['origin'] = [0, 0, 2]), true],
    ['show: another moment of the same mesh', 'show', (s) => void (s.moment = 1), false],
  ])('%s: %s %s', (_, step, change, isNew) => expect(keysOf(change).shape(step) !== before.shape(step)).toBe(isNew))
})

describe('values and ranges are computed anew', () => {
  it.each<[string, Changed, boolean]>([
    ['another moment', (s) => void (s.moment = 1), true],
    ['the formula itself', (s) => void (s.plan.formulas['double']!.text = 'speed * 3'), true],
    ['a formula inside it', (s) => void (s.plan.formulas['speed']!.text = 'U.x'), true],
    ['a formula inside it, written otherwise', (s) => void (s.plan.formulas['speed']!.text = ' mag( (U) )'), false],
    ['a field inside it', bind('u', 'velocity'), true],
    ['its factor', bind('u', 'U', 0.5), true],
    ['its unit', unit('U', 'km/h'), true],
    ['the case read anew', (s) => void (s.generation = 'second'), true],
    ['a formula that is not used', (s) => void (s.plan.formulas['other']!.text = '1'), false],
    ['a field that is not used', bind('t', 'temp'), false],
    ['a formula that does not parse, and is not used', (s) => void (s.plan.formulas['broken'] = { name: 'broken', text: 'mag(' }), false],
  ])('for %s', (_, change, isNew) => {
    expect(keysOf(change).values('double') !== before.values('double')).toBe(isNew)
    expect(keysOf(change).range('double') !== before.range('double')).toBe(isNew)
  })

  it('a field as it stands keeps its values when its unit is put right', () => {
    expect(keysOf(unit('p', 'Pa')).values('p')).toBe(before.values('p'))
    expect(keysOf(bind('p', 'p', 2)).values('p')).not.toBe(before.values('p'))
  })

  it('readings follow what they are made of, and sizes no field', () => {
    const changed = (change: Changed): boolean[] => ['mean', 'area'].map((step) => keysOf(change).outcome(step) !== before.outcome(step))
    expect(changed((s) => void (s.plan.formulas['speed']!.text = 'U.x'))).toEqual([true, false])
    expect(changed((s) => void (s.moment = 1))).toEqual([true, false])
    expect(changed(unit('U', 'mm/s'))).toEqual([true, false])
    expect(changed((s) => void (s.catalogue.lengthUnit = 'mm'))).toEqual([true, true])
    expect(changed((s) => void (s.moment = 2))).toEqual([true, true])
  })

  it('formulas that go in circles still have a key', () => {
    const circle: Changed = (s) => Object.assign(s.plan.formulas, { a: { name: 'a', text: 'b + 1' }, b: { name: 'b', text: 'a + 1' } })
    expect(keysOf(circle).values('a')).toMatch(/^[0-9a-f]{32}$/)
  })

  it('what means the same has one key, whatever it is called', () => {
    const twice: Changed = (s) => void (s.plan.formulas['pace'] = { name: 'pace', text: 'mag(U)' })
    expect(keysOf(twice).values('pace')).toBe(keysOf(twice).values('speed'))
  })
})

it('a variable that is called like a value of a setting leaves the settings alone', () => {
  const named = keysOf((s) => {
    s.plan.variables['flux']!.name = 'both'
    settings(s, 'trace')['variable'] = 'u'
  })
  expect(named.shape('trace')).toBe(before.shape('trace'))
  const quantity = keysOf((s) => {
    Object.assign(s.plan.variables, { mean: { name: 'Flux', binding: { case: { field: 'T' } } } })
    s.plan.steps['mean']!.settings = { quantity: 'mean', variable: 'mean' }
  })
  expect(quantity.outcome('mean')).toMatch(/^[0-9a-f]{32}$/)
})

it('steps that go in a circle, and settings that do not fit, are said', () => {
  const circle: Changed = (s) => void (s.plan.steps['slice']!.inputs['of'] = [{ step: 'lines' }])
  expect(() => keysOf(circle).shape('slice')).toThrow(/go in a circle/)
  expect(() => keysOf((s) => void (settings(s, 'slice')['origin'] = 'here')).shape('lines')).toThrow(/A step does not fit at origin/)
})

it('ten thousand settings have ten thousand keys', () => {
  const keys = new Set<string>()
  for (let i = 0; i < 10_000; i++) keys.add(keysOf((s) => void (settings(s, 'slice')['origin'] = [0, 0, i / 1000])).shape('slice'))
  expect(keys.size).toBe(10_000)
})
