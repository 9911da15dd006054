import { describe, expect, it } from 'vitest'
import type { Catalogue } from '../../../core/case/catalogue'
import { framesOf } from '../../../core/evaluate/frames'
import type { Plan } from '../../../core/evaluate/plan'
import { caseOfStep, partsLeftOut } from '../../../core/study/bindings'
import { curvesOf } from '../../../core/study/chart'
import { attachCase, newStep, newStudy } from '../../../core/study/defaults'
import { exhibit, exhibitCopy, takeOutOfExhibits } from '../../../core/study/exhibits'
import type { Study } from '../../../core/study/studyModel'

const part = (name: string, dimension: number, more: object = {}) => ({
  name,
  dimension,
  cells: 8,
  points: 27,
  cellTypes: {},
  bounds: [],
  ...more,
})
const caseOf = (...parts: object[]): Catalogue =>
  ({
    parts,
    fields: [],
    moments: [{ index: 0, value: null }],
    lengthUnit: 'm',
    cautions: [],
    sets: [],
    interfaces: [],
  }) as unknown as Catalogue
const tank = caseOf(part('Water', 3))
const table = { ...caseOf(part('table', 0, { abscissa: { name: 'r', unit: 'm' } })), format: 'Table' }

function tankWithMeasurements(): Study {
  const study = newStudy('Compare')
  attachCase(study, 'a', 'Tank', tank)
  attachCase(study, 'b', 'Last year', table)
  attachCase(study, 'c', 'This year', table)
  study.steps['plot'] = newStep(study, 'plot')
  study.steps['old'] = newStep(study, 'plot', [{ part: 'last-year' }])
  study.steps['mean'] = newStep(study, 'measure')
  for (const id of ['plot', 'old', 'mean']) exhibit(study, id)
  return study
}

describe('measurements beside a simulation', () => {
  it('are tables by themselves, called after their case, and computed on it whatever case is shown', () => {
    const study = tankWithMeasurements()
    expect(Object.values(study.parts).map(({ name, isTable }) => [name, !!isTable])).toEqual([
      ['Water', false],
      ['Last year', true],
      ['This year', true],
    ])
    const [tankId, lastId] = Object.keys(study.cases) as [string, string]
    expect(caseOfStep(study, 'old', tankId)).toBe(lastId)
    expect(caseOfStep(study, 'plot', tankId)).toBe(tankId)
    // points with places, too, where a step is made of nothing else
    attachCase(study, 'd', 'Sensors', caseOf(part('points', 0)))
    const sensors = Object.keys(study.cases)[3]!
    study.steps['shown'] = newStep(study, 'show', [{ part: 'points' }])
    study.steps['labelled'] = newStep(study, 'clip', [{ step: 'shown' }])
    study.steps['carried'] = newStep(study, 'carry', [{ part: 'water' }, { part: 'points' }])
    expect(['shown', 'labelled', 'carried'].map((id) => caseOfStep(study, id, tankId))).toEqual([sensors, sensors, tankId])
    // what is only drawn is drawn as far as it is there
    study.steps['both'] = newStep(study, 'show', [{ outer: 'water' }, { part: 'points' }])
    expect(['both', 'shown', 'labelled'].map((id) => partsLeftOut(study, id, tankId))).toEqual([['points'], [], []])
    study.steps['worked'] = newStep(study, 'curve', [{ step: 'old' }])
    // which takes the curve from where it is
    expect(caseOfStep(study, 'worked', tankId)).toBe(tankId)
  })

  it('are no cases to take a reading over', () => {
    const cases = new Map(Object.entries({ a: { catalogue: tank }, b: { catalogue: table }, c: { catalogue: tank } }))
    const over = (of: typeof cases) => framesOf({ steps: {} } as unknown as Plan, [{ is: 'cases' }], { case: 'a', moment: 0 }, of)
    expect(over(cases).map(({ frame, at }) => [frame.case, at])).toEqual([
      ['a', [0]],
      ['c', [2]],
    ])
    expect(over(new Map([['b', { catalogue: table }]]))).toHaveLength(1)
  })
})

describe('exhibits', () => {
  it('of new steps are readings or charts; a copy of a curve stands in the charts of what it was copied from', () => {
    const study = tankWithMeasurements()
    expect(Object.values(study.exhibits).map(({ kind, step, rank }) => [kind, step, rank])).toEqual([
      ['chart', 'plot', 1],
      ['chart', 'old', 2],
      ['reading', 'mean', 3],
    ])
    study.steps['copy'] = newStep(study, 'plot')
    study.exhibits['plot']!.curves = [{ step: 'plot', colour: '#112233', yOver: '2 m/s' }]
    exhibitCopy(study, 'plot', 'copy')
    expect(study.exhibits['plot']!.curves).toEqual([
      { step: 'plot', colour: '#112233', yOver: '2 m/s' },
      { step: 'copy', yOver: '2 m/s' },
    ])
    study.steps['other'] = newStep(study, 'measure')
    exhibitCopy(study, 'mean', 'other')
    expect(Object.values(study.exhibits)).toHaveLength(4)
  })

  it('lose the curves of deleted steps, and go with the last of them', () => {
    const study = tankWithMeasurements()
    study.exhibits['plot']!.curves = [{ step: 'plot' }, { step: 'old', isRight: true }]
    takeOutOfExhibits(study, 'plot')
    expect(study.exhibits['plot']).toMatchObject({ step: 'old', curves: [{ step: 'old', isRight: true }] })
    takeOutOfExhibits(study, 'old')
    expect(Object.keys(study.exhibits)).toEqual(['mean'])
    expect(curvesOf({ step: null })).toEqual([])
  })
})
