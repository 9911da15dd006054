import { enablePatches, produceWithPatches } from 'immer'
import { describe, expect, it } from 'vitest'
import { checkStudy, inputsOf } from '../../../core/study/check'
import { addFirstSteps, attachCase, caseBox, defaultSettings, newStep, newStudy, plainSurroundings } from '../../../core/study/defaults'
import { Graph } from '../../../core/evaluate/Graph'
import { planOf } from '../../../core/evaluate/plan'
import { nameOf } from '../../../core/fields/formula/expressions'
import { stepKinds } from '../../../core/steps'
import type { InputClass } from '../../../core/steps/StepKind'
import { givenText, sentenceText } from '../../../core/study/sentenceText'
import { parseSentence } from '../../../core/study/parseSentence'
import { applyPatches, overlap } from '../../../core/study/patches'
import type { Patch } from '../../../core/study/patches'
import type { Catalogue } from '../../../core/case/catalogue'
import { freshId, rankBetween } from '../../../core/study/studyModel'
import type { InputRef, Step, Study } from '../../../core/study/studyModel'
import { lastOf } from '../../../server/db/studies'

enablePatches()

const CASE = '11111111-1111-4111-8111-111111111111'
const part = (name: string, dimension: number) => ({ name, dimension, cells: 8, points: 27, cellTypes: {}, bounds: [-4, -4, 0, 4, 4, 2] })
const field = (name: string, components: number, parts: string[]) => ({
  name,
  place: 'point',
  kind: 'scalar',
  components,
  numberType: 'Float64',
  unit: 'm/s',
  parts,
  moments: [0],
})
const catalogue: Catalogue = {
  format: 'test',
  lengthUnit: 'm',
  lengthUnitFrom: 'file',
  timeUnit: 's',
  sets: [],
  interfaces: [],
  cautions: [],
  parts: [part('Water', 3), part('Arm', 3), part('Wall', 2), part('Arm skin', 2)],
  fields: [field('U', 3, ['Water', 'Wall']), field('T', 1, ['Water'])],
  moments: [0, 1].map((index) => ({ index, kind: 'time', label: `${index}`, value: index, unit: 's', topology: 0, coordinates: 0 })),
}

const units = { length: 'm', of: (id: string) => (id === 't' ? 'K' : null), shown: (unit: string) => unit }

function study(): Study {
  const made = newStudy('Test')
  attachCase(made, CASE, '40 L/s', catalogue)
  addFirstSteps(made)
  made.formulas['speed'] = { name: 'speed', rank: 1, text: 'mag(U)' }
  made.steps['slice'] = withSettings(made, 'slice', { of: [{ part: 'water' }] })
  made.steps['level'] = { ...withSettings(made, 'isosurface', { of: [{ step: 'slice' }] }), settings: { variable: 'speed', value: 0.2 } }
  made.steps['mean'] = { ...withSettings(made, 'measure', { of: [{ step: 'slice' }] }), settings: { quantity: 'mean', variable: 't' } }
  return made
}

function withSettings(made: Study, kind: string, inputs: Step['inputs']): Step {
  return { ...newStep(made, kind), inputs, settings: defaultSettings(kind, plainSurroundings(made, caseBox(catalogue))) }
}

const frame = (moment = 0, id = 'case-40-l-s') => ({ case: id, moment })
const graphOf = (made: Study): Graph => {
  const snapshot = { key: 'snapshot', id: CASE, generation: 'first', catalogue }
  return new Graph(planOf(made), new Map(Object.keys(made.cases).map((id) => [id, snapshot])))
}

describe('a study', () => {
  it('opens with boundaries translucent and solids solid, and fits its own schema', () => {
    const made = checkStudy(study())
    expect(made.steps['bounds']!.inputs['of']).toEqual([{ part: 'wall' }])
    expect(made.steps['bounds']!.look.opacity).toBeLessThan(0.5)
    expect(made.steps['solid']!.inputs['of']).toEqual([{ part: 'arm' }])
    expect(made.steps['slice']!.settings['origin']).toEqual([0, 0, 1])
  })

  it('binds a second case to the same parts and variables', () => {
    const made = study()
    const id = attachCase(made, CASE, '60 L/s', { ...catalogue, parts: [part('Water', 3), part('Lid', 2)] })
    expect(made.parts['water']!.binding).toEqual({ 'case-40-l-s': ['Water'], [id]: ['Water'] })
    expect(made.parts['lid']!.binding).toEqual({ [id]: ['Lid'] })
    expect(() => graphOf(made).shape('bounds', frame(0, id))).toThrow(/no part for “Wall”/)
  })

  it.each([
    ['an unknown kind', (s: Study) => (s.steps['slice']!.kind = 'teapot'), /unknown kind “teapot”/],
    [
      'settings that do not fit',
      (s: Study) => (s.steps['slice']!.settings = { origin: [0, 0], normal: [0, 0, 1] }),
      /“Slice 1” does not fit at origin/,
    ],
    ['a circle', (s: Study) => (s.steps['slice']!.inputs['of'] = [{ step: 'level' }]), /its own input/],
    ['a further property', (s: Study) => Object.assign(s, { extra: 1 }), /additional properties/],
    ['a wrong version', (s: Study) => Object.assign(s, { version: 99 }), /version/],
  ])('with %s is refused', (_, spoil, message) => {
    const made = study()
    spoil(made)
    expect(() => checkStudy(made)).toThrow(message)
  })

  it('a deleted input is said where it is missed', () => {
    const made = study()
    delete made.steps['slice']
    expect(() => graphOf(made).shape('level', frame())).toThrow(/input of this step was deleted/)
    expect([...inputsOf(made, 'level')]).toEqual(['slice'])
  })
})

/** The slice is made of the water deformed. */
function deformed(made: Study, cuts: string, factor: number): void {
  made.steps['deform'] = {
    ...withSettings(made, 'deform', { of: [{ part: 'water' }] }),
    settings: { displacement: 'u', factor, cuts, behind: 'outline' },
  }
  made.steps['slice']!.inputs['of'] = [{ step: 'deform' }]
}

describe('plans and keys', () => {
  it('hold names of the case, not ids', () => {
    const at = graphOf(study()).frame(frame())
    expect(at.inputs('slice', 'of')).toEqual([{ part: 'Water', isOuter: false }])
    expect(at.variable('level', 'variable')).toMatchObject({ kind: 'name', name: 'speed' })
    expect([at.expressionOf('t'), at.names.formulas]).toMatchObject([{ name: 'T' }, { speed: 'mag(U)' }])
    expect(at.names.fields).toEqual({ U: { field: 'U' }, T: { field: 'T' } })
  })

  const keys = (change: (s: Study) => void, moment = 0) => {
    const made = study()
    change(made)
    const graph = graphOf(made)
    const at = frame(moment)
    return {
      slice: graph.shape('slice', at).key,
      level: graph.shape('level', at).key,
      value: graph.values('slice', at, nameOf('speed'))[0]!.key,
      mean: graph.outcome('mean', at).key,
    }
  }
  const before = keys(() => undefined)
  const changed = (after: typeof before): string[] =>
    Object.keys(before).filter((k) => before[k as keyof typeof before] !== after[k as keyof typeof before])

  it('know a displacement only where cuts are made as deformed', () => {
    const [once, twice] = ['carried', 'deformed'].map((cuts) => [1, 2].map((factor) => keys((s) => deformed(s, cuts, factor)))) as [
      ReturnType<typeof keys>[],
      ReturnType<typeof keys>[],
    ]
    expect(once[0]).toEqual(once[1])
    for (const key of Object.keys(before) as (keyof typeof before)[]) expect(twice[0]![key]).not.toBe(twice[1]![key])
    // a muted one leaves things where they are
    const muted = keys((s) => {
      deformed(s, 'deformed', 2)
      s.steps['deform']!.isMuted = true
    })
    expect(muted).toEqual(once[0])
  })

  it.each<[string, (s: Study) => void, number, string[]]>([
    ['another look', (s) => (s.steps['slice']!.look.bands = 8), 0, []],
    ['carried by a displacement', (s) => deformed(s, 'carried', 3), 0, ['slice', 'level', 'value', 'mean']],
    ['another name', (s) => (s.steps['slice']!.name = 'Mine'), 0, []],
    ['another moment on the same mesh', () => undefined, 1, ['level', 'value', 'mean']],
    ['another formula', (s) => (s.formulas['speed']!.text = '2 * mag(U)'), 0, ['level', 'value']],
    ['a formula nobody uses', (s) => (s.formulas['more'] = { name: 'more', rank: 2, text: 'T' }), 0, []],
    ['a moved plane', (s) => (s.steps['slice']!.settings['origin'] = [0, 0, 2]), 0, ['slice', 'level', 'value', 'mean']],
    ['another value', (s) => (s.steps['level']!.settings['value'] = 0.3), 0, ['level']],
  ])('%s changes just what depends on it', (_, change, moment, expected) => {
    expect(changed(keys(change, moment))).toEqual(expected)
  })
})

describe('edits', () => {
  it('patches and their inverses undo each other', () => {
    const made = study()
    const [after, patches, inverse] = produceWithPatches(made, (draft) => {
      draft.steps['slice']!.settings['origin'] = [1, 2, 3]
      delete draft.steps['level']
      draft.steps['bounds']!.inputs['of']!.push({ part: 'arm-skin' })
    })
    expect(applyPatches(made, patches as Patch[])).toEqual(after)
    expect(applyPatches(after, inverse as Patch[])).toEqual(made)
  })

  it('clash when one path begins with the other', () => {
    const at = (...path: string[]): Patch[] => [{ op: 'replace', path, value: 1 }]
    expect(overlap(at('steps', 'a'), at('steps', 'a', 'name'))).toBe(true)
    expect(overlap(at('steps', 'a', 'name'), at('steps', 'a', 'look'))).toBe(false)
  })

  it.each([[['steps', 'nowhere', 'name']], [['__proto__', 'polluted']], [['steps', 'constructor', 'prototype', 'polluted']]])(
    'a patch to %j is refused',
    (path) => {
      expect(() => applyPatches(study(), [{ op: 'add', path, value: 'x' }])).toThrow(/no longer in the study/)
      expect(({} as Record<string, unknown>)['polluted']).toBeUndefined()
    },
  )

  it('undo and redo walk through one person’s own edits, in whatever tab', () => {
    const rows = (text: string) =>
      [...text].map((ch, i) => ({
        number: i + 1,
        author: ch === ch.toUpperCase() ? 'me.1' : 'you.1',
        kind: { e: 'edit', u: 'undo', r: 'redo' }[ch.toLowerCase()]!,
      }))
    const target = (text: string, kind: 'undo' | 'redo'): number | undefined => lastOf(rows(text), 'me.2', kind)?.number
    expect(target('EEe', 'undo')).toBe(2)
    expect(target('EEU', 'undo')).toBe(1)
    expect(target('EEUU', 'undo')).toBeUndefined()
    expect(target('EEUU', 'redo')).toBe(4)
    expect(target('EEUR', 'redo')).toBeUndefined()
    expect(target('EUE', 'redo')).toBeUndefined()
    expect(target('ee', 'undo')).toBeUndefined()
  })

  it('ids are readable and never taken twice, ranks fit between', () => {
    expect(freshId('40 L/s', {})).toBe('l-s')
    expect(freshId('Surface where', { 'surface-where': 1 })).toBe('surface-where-2')
    expect([rankBetween(undefined, undefined), rankBetween(1, undefined), rankBetween(1, 2), rankBetween(undefined, 1)]).toEqual([
      1, 2, 1.5, 0,
    ])
  })
})

describe('sentences in the palette', () => {
  it.each([
    ['slice z 1.2 speed', { kind: 'slice', settings: { normal: [0, 0, 1], origin: [0, 0, 1.2] }, inputs: {}, colour: 'speed' }],
    ['cut x -3', { kind: 'slice', settings: { normal: [1, 0, 0], origin: [-3, 0, 0] }, inputs: {}, colour: null }],
    [
      'isosurface speed = 0.25 Water',
      { kind: 'isosurface', settings: { variable: 'speed', value: 0.25 }, inputs: { of: [{ part: 'water' }] }, colour: null },
    ],
    ['streamlines', { kind: 'trace', settings: {}, inputs: {}, colour: null }],
    ['trace 30 U', { kind: 'trace', settings: { count: 30, variable: 'u' }, unknown: [] }],
    [
      'trace 30 streamlines of U upstream coloured by speed',
      { settings: { count: 30, direction: 'upstream' }, colour: 'speed', unknown: [] },
    ],
    ['mean T', { kind: 'measure', settings: { variable: 't', quantity: 'mean' }, inputs: {}, unknown: [] }],
    ['show arm skin T', { kind: 'show', settings: {}, inputs: { of: [{ part: 'arm-skin' }] }, colour: 't' }],
    [
      'calculate (measure 1 - 2 K) / Measure 1',
      { kind: 'calculate', settings: { text: '(a - 2 K) / a' }, inputs: { from: [{ step: 'mean' }] }, unknown: [] },
    ],
    [
      'flux U out of Water through Slice 1',
      { settings: { quantity: 'flux', variable: 'u' }, inputs: { of: [{ step: 'slice' }], 'out of': [{ part: 'water' }] }, unknown: [] },
    ],
    ['circle across z radius 390 cm about 0 0 1.2', { settings: { normal: [0, 0, 1], radius: 3.9, origin: [0, 0, 1.2] }, unknown: [] }],
    ['plot T 1', { kind: 'plot', settings: { variable: 't' }, unknown: ['1'] }],
    ['fit of Plot 1', { kind: 'curve', settings: { act: 'line' }, unknown: ['Plot 1'] }],
    ['mean T over Slice 1 around z', { settings: { variable: 't', around: 'z' }, inputs: { of: [{ step: 'slice' }] }, unknown: [] }],
    ['measure T', { kind: 'measure', settings: { variable: 't' }, unknown: [] }],
    ['measure area', { kind: 'measure', settings: { quantity: 'size' }, unknown: [] }],
    ['weighted mean T by speed', { kind: 'measure', settings: { quantity: 'weighted', variable: 't', weight: 'speed' }, unknown: [] }],
    ['plot T along line 300 samples', { kind: 'plot', settings: { variable: 't', samples: 300 }, unknown: ['line'] }],
    [
      'plot T at -200 mm, 30 cm, 0.5 over time',
      {
        ...{ kind: 'measure', settings: { quantity: 'mean', variable: 't' }, over: [{ is: 'moments' }], unknown: [] },
        places: { input: 'of', places: [[-0.2, 0.3, 0.005]] },
      },
    ],
    [
      'plot T from 0 0 1 to 2 0 1 300 samples in Water',
      {
        ...{ kind: 'plot', settings: { variable: 't', samples: 300 }, inputs: { in: [{ part: 'water' }] }, unknown: [] },
        places: {
          input: 'along',
          places: [
            [0, 0, 1],
            [2, 0, 1],
          ],
        },
      },
    ],
    ['line from 0 0 1 to 2 0 1 m', { kind: 'line', settings: { start: [0, 0, 1], end: [2, 0, 1] }, unknown: [] }],
    [
      'keep Water where speed < 0.05 m/s and T > 900, whole cells, coloured by T',
      { kind: 'keep', settings: { condition: 'speed < 0.05 m/s and T > 900', cells: 'whole' }, colour: 't', unknown: [] },
    ],
    ['clip by sphere radius 300 mm outside', { kind: 'clip', settings: { form: 'sphere', radius: 0.3, side: 'outside' }, unknown: [] }],
    ['clip x 0.4 behind', { kind: 'clip', settings: { normal: [1, 0, 0], origin: [0.4, 0, 0], side: 'outside' }, unknown: [] }],
  ])('%s', (text, parsed) => {
    expect(parseSentence(text, study(), units)).toMatchObject(parsed)
  })

  it.each([
    ['clip x 0', 'Clip at x = 0 m'],
    ['clip Water by sphere radius 2 outside', 'Clip Water by sphere radius 2 m keeping the outside'],
    ['keep Water where T > 3, whole cells', 'Keep Water where T > 3 in whole cells'],
    ['slice z', 'Slice across z'],
    ['surface T = 20', 'Surface where T = 20'],
  ])('%s is told back as %s', (text, told) => {
    const made = study()
    const { kind, settings, inputs } = parseSentence(text, made, units)!
    const words = {
      inputs: (name: string) => (inputs[name] ?? []).map((ref) => made.parts[(ref as { part: string }).part]!.name).join(),
      inputClass: undefined,
      case: (id: string) => id || 'this case',
      variable: (id: string) => made.variables[id]!.name,
      length: (value: number) => `${value} m`,
      inUnit: (value: number, unit: string) => `${value} ${unit}`,
      value: (_: string, value: number) => `${value}`,
    }
    expect(givenText(kind, made, settings, inputs, words)).toBe(told)
  })

  it('names of curves and readings with a sign between them are worked out', () => {
    const made = study()
    for (const name of ['Plot 1', 'Plot 2']) made.steps[name] = { ...withSettings(made, 'plot', {}), name }
    const of = [{ step: 'Plot 1' }, { step: 'Plot 2' }]
    expect(parseSentence('Plot 1 - Plot 2', made, units)).toMatchObject({
      kind: 'curve',
      settings: { act: 'difference' },
      inputs: { of },
      unknown: [],
    })
    expect(parseSentence('measure 1 / 2 K', made, units)).toMatchObject({ kind: 'calculate', settings: { text: 'a / 2 K' }, unknown: [] })
  })

  it.each(stepKinds.map((kind) => [kind.id, kind] as const))('what the sentence of %s shows can be typed', (id, kind) => {
    const made = study()
    const ofClass: Record<InputClass, InputRef> = {
      region: { part: 'water' },
      surface: { part: 'wall' },
      lines: { step: 'rake' },
      table: { part: 'wall' },
      reading: { step: 'size' },
      curve: { step: 'profile' },
    }
    made.steps['rake'] = { ...withSettings(made, 'line', {}), name: 'Rake' }
    made.steps['profile'] = { ...withSettings(made, 'plot', {}), name: 'Profile' }
    made.steps['size'] = { ...withSettings(made, 'measure', {}), name: 'Size' }
    const around = { ...plainSurroundings(made, caseBox(catalogue)), range: () => [1, 4] as const }
    const settings = kind.defaults(around, {})
    const inputs = Object.fromEntries(kind.inputs.map(({ name, accepts }) => [name, [ofClass[accepts[0]!]]]))
    const first = kind.inputs[0]
    const words = {
      inputs: (name: string) =>
        inputs[name]!.map((ref) => ('step' in ref ? made.steps[ref.step]!.name : made.parts[(ref as { part: string }).part]!.name)).join(),
      inputClass: first?.accepts[0],
      case: (id: string) => id || 'this case',
      variable: (variable: string) => made.variables[variable]!.name,
      length: (value: number) => `${value} m`,
      inUnit: (value: number, unit: string) => `${value} ${unit}`,
      value: (_: string, value: number) => `${value}`,
    }
    const text = sentenceText(id, settings, words)
    const parsed = parseSentence(text, made, { ...units, of: () => null })!
    expect(parsed).toMatchObject({ kind: id, unknown: [] })
    const read = { ...settings, ...parsed.settings }
    expect(sentenceText(id, read, words)).toBe(text)
    // what is shown was read, not filled in
    for (const piece of kind.sentence(settings, first?.accepts[0])) {
      if (typeof piece !== 'string' && piece.token === 'input') expect(parsed.inputs[piece.input]).toEqual(inputs[piece.input])
      else if (typeof piece !== 'string' && 'setting' in piece) expect(parsed.settings).toHaveProperty(piece.setting)
    }
  })

  it('values are listed, and several places', () => {
    const made = study()
    expect(parseSentence('surface where T = 283, 284.5, 290 K, each of these', made, units)).toMatchObject({
      ...{ kind: 'isosurface', unknown: [] },
      settings: { series: 'list', list: [283, 284.5, 290] },
    })
    expect(parseSentence('points 0 0 0; 1 2 3 m; 4 5 6, closed', made, units)).toMatchObject({
      ...{ kind: 'points', unknown: [] },
      settings: {
        places: [
          [0, 0, 0],
          [1, 2, 3],
          [4, 5, 6],
        ],
        joined: 'closed',
      },
    })
  })

  it('names may be of several words', () => {
    const made = study()
    made.formulas['stress-inside'] = { name: 'stress inside Water', rank: 2, text: 'T' }
    expect(parseSentence('show Arm skin stress inside water', made, units)).toMatchObject({
      inputs: { of: [{ part: 'arm-skin' }] },
      colour: 'stress-inside',
    })
    expect(parseSentence('slice z 1 Water', made, units)).toMatchObject({ inputs: { of: [{ part: 'water' }] }, colour: null })
  })

  it.each([
    ['slice z 1200 mm', { settings: { origin: [0, 0, 1.2] }, unknown: [] }],
    ['slice x -40cm speed', { settings: { origin: [-0.4, 0, 0] }, colour: 'speed', unknown: [] }],
    ['slice at z = 1,5 coloured by T', { settings: { origin: [0, 0, 1.5] }, colour: 't', unknown: [] }],
    ['isosurface T 20 °C', { settings: { variable: 't', value: 293.15 }, unknown: [] }],
    ['surface T = 20 °C', { kind: 'isosurface', settings: { variable: 't', value: 293.15 }, colour: null, unknown: [] }],
    ['surface Wall T', { kind: 'show', colour: 't', unknown: [] }],
    ['slice z 3 kg', { settings: { normal: [0, 0, 1] }, unknown: ['kg'] }],
    ['slice z 1 warmth', { settings: { origin: [0, 0, 1] }, colour: null, unknown: ['warmth'] }],
    ['slice z 1 2', { settings: { origin: [0, 0, 1] }, unknown: ['2'] }],
    ['trace 30 T', { kind: 'trace', settings: { count: 30 }, colour: 't', unknown: [] }],
    ['measure mean T over Water over every case', { settings: { quantity: 'mean' }, over: [{ is: 'cases' }], unknown: [] }],
    ['measure mean T over all cases and times', { over: [{ is: 'cases' }, { is: 'moments' }], unknown: [] }],
    ['slice z 1 over cases', { over: undefined, unknown: ['over', 'cases'] }],
    ['measure mass flow on Wall', { settings: { quantity: 'mass flow' }, inputs: { of: [{ part: 'wall' }] }, unknown: [] }],
  ])('units are understood, and what is not is named: %s', (text, parsed) => {
    const found = parseSentence(text, study(), units)!
    expect(found).toMatchObject(parsed)
    if (parsed.unknown[0] === 'kg') expect(found.settings['origin']).toBeUndefined()
  })

  it('numbers without a unit are in the one that is shown', () => {
    expect(parseSentence('slice z 900', study(), { ...units, shown: () => 'mm' })?.settings['origin']).toEqual([0, 0, 0.9])
  })

  it('anything else is no step', () => {
    expect(parseSentence('make tea', study(), units)).toBeNull()
  })
})
