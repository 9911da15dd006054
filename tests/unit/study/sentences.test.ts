/** Sentences that are typed in the palette. */
import { describe, expect, it } from 'vitest'
import { caseBox, plainSurroundings } from '../../../core/study/defaults'
import { stepKinds } from '../../../core/steps'
import type { InputClass } from '../../../core/steps/StepKind'
import { givenText, sentenceText } from '../../../core/study/sentenceText'
import { parseSentence } from '../../../core/study/parseSentence'
import type { InputRef } from '../../../core/study/studyModel'
import { catalogue, study, withSettings } from '../../support/studies'

const units = { length: 'm', of: (id: string) => (id === 't' ? 'K' : null), shown: (unit: string) => unit }

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
    ['trace 30 streamlines of U 90 s of travel', { settings: { count: 30, upTo: 'time', time: 90 }, unknown: [] }],
    ['streamlines T at a spacing of 25 cm', { settings: { placing: 'spacing', spacing: 0.25 }, colour: 't', unknown: [] }],
    ['slice cylinder radius 2 speed', { settings: { form: 'cylinder', radius: 2 }, colour: 'speed', unknown: [] }],
    ['sphere slice radius 50 cm about 0 0 1', { settings: { form: 'sphere', radius: 0.5, origin: [0, 0, 1] }, unknown: [] }],
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
    [
      'moment on Wall about 0 0 120 cm',
      { kind: 'force', settings: { quantity: 'moment', point: 'given', about: [0, 0, 1.2] }, unknown: [] },
    ],
    [
      'mean T in Water over Slice 1',
      { kind: 'measure', inputs: { of: [{ step: 'slice' }], in: [{ part: 'water' }] }, settings: { variable: 't' }, unknown: [] },
    ],
    ['volume in Water', { kind: 'measure', inputs: { of: [{ part: 'water' }] }, settings: { quantity: 'size' }, unknown: [] }],
    ['line from 0 0 1 to 2 0 1 m', { kind: 'line', settings: { start: [0, 0, 1], end: [2, 0, 1] }, unknown: [] }],
    [
      'keep Water where speed < 0.05 m/s and T > 900, whole cells, coloured by T',
      { kind: 'keep', settings: { condition: "speed < 0.05 m/s and T > 900 'K'", cells: 'whole' }, colour: 't', unknown: [] },
    ],
    ['clip by sphere radius 300 mm outside', { kind: 'clip', settings: { form: 'sphere', radius: 0.3, side: 'outside' }, unknown: [] }],
    ['clip x 0.4 behind', { kind: 'clip', settings: { normal: [1, 0, 0], origin: [0.4, 0, 0], side: 'outside' }, unknown: [] }],
  ])('%s', (text, parsed) => {
    expect(parseSentence(text, study(), units)).toMatchObject(parsed)
  })

  it.each([
    ['T > 900', "T > 900 'K'"],
    ['T > 900 and T<=1e3 or speed > 2', "T > 900 'K' and T<=1e3 'K' or speed > 2"],
    ["T > 900 'K' and T < 2 * 500", "T > 900 'K' and T < 2 * 500"],
    ['mean(T) > 900', 'mean(T) > 900'],
  ])('numbers that %s compares with have the unit of the variable', (typed, condition) => {
    expect(parseSentence(`keep where ${typed}`, study(), units)).toMatchObject({ settings: { condition }, unknown: [] })
  })

  it('puts what stands behind the name of an input there', () => {
    const inputs = { from: [{ step: 'slice' }], onto: [{ part: 'wall' }] }
    for (const text of ['carry T from Slice 1 onto Wall', 'carry T onto Wall from Slice 1', 'carry T Slice 1 onto Wall'])
      expect(parseSentence(text, study(), units), text).toMatchObject({ kind: 'carry', inputs, unknown: [] })
  })

  it('takes several things for an input that something is made of them for', () => {
    const known = study()
    for (const id of ['one', 'two']) known.steps[id] = { ...withSettings(known, 'line', {}), name: `Line ${id}` }
    const lines = [{ step: 'one' }, { step: 'two' }]
    expect(parseSentence('streaks from Line one Line two', known, units)).toMatchObject({ inputs: { of: lines }, unknown: [] })
  })

  it('what cannot stand there stands nowhere else, and a table that is a case of its own stands for its points', () => {
    const known = study()
    known.cases['gauges'] = { case: 'c9', name: 'gauges', rank: 9, colour: '#000000', isBase: false }
    known.parts['points'] = { ...known.parts['wall']!, name: 'points', dimension: 0, binding: { gauges: ['points'] } }
    const slice = { from: [{ part: 'points' }], onto: [{ step: 'slice' }] }
    expect(parseSentence('carry T from gauges onto Slice 1', known, units)).toMatchObject({
      settings: { variable: 't' },
      inputs: slice,
      unknown: [],
    })
    const found = parseSentence('carry T from gauges onto Water', known, units)
    expect(found).toMatchObject({ inputs: { from: [{ part: 'points' }] }, unknown: ['Water'] })
  })

  it('takes what stands behind “by” as a colour, unless the sentence of the kind has a “by” of its own', () => {
    const known = { ...units, components: (id: string) => (id === 'speed' ? 1 : undefined) }
    for (const text of ['streamlines by speed', 'streamlines coloured by speed', 'streamlines speed'])
      expect(parseSentence(text, study(), known), text).toMatchObject({ kind: 'trace', settings: {}, colour: 'speed', unknown: [] })
    expect(parseSentence('deform by U', study(), known)).toMatchObject({ settings: { displacement: 'u' }, colour: null, unknown: [] })
  })

  it.each([
    ['clip x 0', 'Clip at x = 0 m'],
    ['clip Water by sphere radius 2 outside', 'Clip Water by sphere radius 2 m keeping the outside'],
    ['keep Water where T > 3, whole cells', "Keep Water where T > 3 'K' in whole cells"],
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
