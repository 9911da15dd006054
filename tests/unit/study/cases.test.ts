import { describe, expect, it } from 'vitest'
import type { Catalogue } from '../../../core/case/catalogue'
import { FramePlan } from '../../../core/evaluate/FramePlan'
import { planOf } from '../../../core/evaluate/plan'
import { renameCase, replaceCase, setBase } from '../../../core/study/cases'
import { checkStudy } from '../../../core/study/check'
import { attachCase, detachCase, newStep, newStudy } from '../../../core/study/defaults'
import { changeSettingsIn, inCase, setOwnIn, settingsIn } from '../../../core/study/perCase'
import type { Study } from '../../../core/study/studyModel'
import { boxMesh, testCase } from '../../support/meshes'

const { catalogue } = testCase(boxMesh({ n: 2 }), { T: { values: new Float64Array(27), components: 1, unit: 'K' } })

/** The same with other names. */
function named(part: string, field: string): Catalogue {
  return {
    ...catalogue,
    parts: catalogue.parts.map((own) => ({ ...own, name: part })),
    fields: catalogue.fields.map((own) => ({ ...own, name: field, parts: [part] })),
  }
}

function twoCases(): Study {
  const study = newStudy('Two')
  attachCase(study, '00000000-0000-4000-8000-00000000000a', 'slow', catalogue)
  attachCase(study, '00000000-0000-4000-8000-00000000000b', 'fast', catalogue)
  study.formulas['gain'] = { name: 'gain', rank: 1, text: 'T - from( "slow", T) + 0 * from("slower", T)' }
  study.steps['cut'] = {
    ...newStep(study, 'slice', [{ part: 'water' }]),
    name: 'Cut',
    settings: { origin: [0, 0, 0.5], normal: [0, 0, 1], count: 1, spacing: 1 },
  }
  return study
}

describe('a case', () => {
  it('is renamed with the formulas that look at it, and with no others', () => {
    const study = twoCases()
    study.steps['kept'] = { ...study.steps['cut']!, kind: 'keep', settings: { condition: 'T > from("slow", T)' } }
    renameCase(study, 'slow', 'calm')
    expect(study.cases['slow']!.name).toBe('calm')
    expect(study.formulas['gain']!.text).toBe('T - from("calm", T) + 0 * from("slower", T)')
    expect(study.steps['kept']!.settings['condition']).toBe('T > from("calm", T)')
  })

  it('is replaced by a newer run: bindings that fit stay, others are found anew by name', () => {
    const study = twoCases()
    const old = structuredClone(study.cases['slow']!)
    replaceCase(study, 'slow', '00000000-0000-4000-8000-00000000000c', 'newest', named('WATER_1', 'T'))
    expect(study.cases['slow']).toEqual({ ...old, case: '00000000-0000-4000-8000-00000000000c', name: 'newest' })
    // another name stands for nothing until it is bound
    expect(study.parts['water']!.binding).toEqual({ fast: ['Water'] })
    expect(study.variables['t']!.binding['slow']).toEqual({ field: 'T' })
    replaceCase(study, 'slow', '00000000-0000-4000-8000-00000000000d', 'again', named('water', 't'))
    expect([study.parts['water']!.binding['slow'], study.variables['t']!.binding['slow']]).toEqual([['water'], { field: 't' }])
  })

  it('is the base alone', () => {
    const study = twoCases()
    setBase(study, 'fast')
    expect(Object.values(study.cases).map(({ isBase }) => isBase)).toEqual([false, true])
  })
})

describe('settings of one case', () => {
  it('differ in that case only, for the study and for what is computed; equal ones are not its own', () => {
    const study = twoCases()
    setOwnIn(study.steps['cut']!, 'fast', true)
    changeSettingsIn(study.steps['cut']!, 'fast', { origin: [0, 0, 0.7], count: 1 })
    changeSettingsIn(study.steps['cut']!, 'slow', { origin: [0, 0, 0.2] })
    expect(study.steps['cut']!.cases).toEqual({ fast: { origin: [0, 0, 0.7] } })
    expect(inCase(study, 'fast').steps['cut']!.settings['origin']).toEqual([0, 0, 0.7])
    expect(inCase(study, 'slow')).toBe(study)
    const plan = planOf(checkStudy(study))
    const at = (id: string) =>
      new FramePlan(plan, { case: id, moment: 0 }, { key: id, id, generation: '1', catalogue }, () => undefined).step('cut').settings
    expect([at('slow')['origin'], at('fast')['origin']]).toEqual([
      [0, 0, 0.2],
      [0, 0, 0.7],
    ])
  })

  it('go with the case, or when they are taken back; wrong ones are refused', () => {
    const study = twoCases()
    setOwnIn(study.steps['cut']!, 'fast', true)
    changeSettingsIn(study.steps['cut']!, 'fast', { count: 3 })
    const wrong = structuredClone(study)
    wrong.steps['cut']!.cases!['fast']!['count'] = 'many'
    expect(() => checkStudy(wrong)).toThrow(/“Cut” does not fit at count/)
    detachCase(study, 'fast')
    expect(study.steps['cut']).not.toHaveProperty('cases')
    setOwnIn(study.steps['cut']!, 'slow', true)
    setOwnIn(study.steps['cut']!, 'slow', false)
    expect(settingsIn(study.steps['cut']!, 'slow')).toBe(study.steps['cut']!.settings)
  })
})
