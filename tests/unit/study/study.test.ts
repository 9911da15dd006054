import { enablePatches, produceWithPatches } from 'immer'
import { describe, expect, it } from 'vitest'
import { checkStudy, inputsOf } from '../../../core/study/check'
import { attachCase } from '../../../core/study/defaults'
import { Graph } from '../../../core/evaluate/Graph'
import { planOf } from '../../../core/evaluate/plan'
import { nameOf } from '../../../core/fields/formula/expressions'
import { applyPatches, overlap } from '../../../core/study/patches'
import type { Patch } from '../../../core/study/patches'
import { freshId, rankBetween } from '../../../core/study/studyModel'
import type { Study } from '../../../core/study/studyModel'
import { lastOf } from '../../../server/db/studies'
import { CASE, catalogue, part, study, withSettings } from '../../support/studies'

enablePatches()

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
