import { describe, expect, it, test } from 'vitest'
import { newStep, newStudy } from '../../../core/study/defaults'
import { renameVariable } from '../../../core/study/renameVariable'
import { stepKind } from '../../../core/steps'
import { groupSteps, trailRows, ungroup } from '../../../core/study/groups'
import { canStandOn, copyTree, fitsBefore, putUnder, repeatOn, standOn, takeOut } from '../../../core/study/rewire'
import { ranked, rankBetween, spreadRanks } from '../../../core/study/studyModel'
import type { InputRef, Step, Study } from '../../../core/study/studyModel'

/** Water is sliced, shown from outside and traced from a line; the slice is measured. */
function study(): Study {
  const made = newStudy('Test')
  made.parts['water'] = { name: 'Water', rank: 1, dimension: 3, binding: {} }
  made.parts['wall'] = { name: 'Wall', rank: 2, dimension: 2, binding: {} }
  const add = (id: string, kind: string, inputs: Record<string, InputRef[]>): void => {
    made.steps[id] = { ...newStep(made, kind), inputs, settings: {} }
  }
  add('bounds', 'show', { of: [{ part: 'wall' }] })
  add('slice', 'slice', { of: [{ part: 'water' }] })
  add('line', 'line', {})
  add('lines', 'trace', { of: [{ part: 'water' }], seeds: [{ step: 'line' }] })
  add('area', 'measure', { of: [{ step: 'slice' }], 'out of': [{ part: 'water' }] })
  add('clip', 'clip', { of: [{ part: 'water' }] })
  return made
}

describe('a clip', () => {
  it('is put under all that takes the water, and taken out again', () => {
    const made = study()
    expect(putUnder(made, 'clip').sort()).toEqual(['area', 'lines', 'slice'])
    expect(made.steps['slice']!.inputs['of']).toEqual([{ step: 'clip' }])
    expect(made.steps['lines']!.inputs).toEqual({ of: [{ step: 'clip' }], seeds: [{ step: 'line' }] })
    expect(made.steps['clip']!.inputs['of']).toEqual([{ part: 'water' }])
    takeOut(made, 'clip')
    delete made.steps['clip']
    const { clip: _clip, ...before } = study().steps
    expect(made.steps).toEqual(before)
  })

  it('goes under what is made of the same step, never under what it is made of', () => {
    const made = study()
    made.steps['clip']!.inputs['of'] = [{ step: 'slice' }]
    expect(putUnder(made, 'clip')).toEqual(['area'])
    expect(made.steps['slice']!.inputs['of']).toEqual([{ part: 'water' }])
    expect(made.steps['area']!.inputs['of']).toEqual([{ step: 'clip' }])
    // a step without inputs has nothing to be put in place of
    expect(putUnder(made, 'line')).toEqual([])
  })

  it('that is taken out from where its input does not fit leaves a gap to be filled', () => {
    const made = study()
    made.steps['carried'] = { ...newStep(made, 'carry'), inputs: { onto: [{ step: 'slice' }], from: [{ part: 'water' }] } }
    takeOut(made, 'slice')
    expect(made.steps['carried'].inputs['onto']).toEqual([{ step: 'slice' }])
    expect(made.steps['area']!.inputs['of']).toEqual([{ part: 'water' }])
  })
})

it('a variable that is renamed is so in formulas and conditions', () => {
  const made = study()
  made.formulas['slow'] = { name: 'slow', rank: 1, text: 'speed < 1' }
  made.steps['keep'] = { ...newStep(made, 'keep'), settings: { condition: 'speed < 2 and speedy > 1', cells: 'cut' } }
  renameVariable(made, 'speed', 'pace')
  expect(made.formulas['slow']!.text).toBe('pace < 1')
  expect(made.steps['keep']!.settings['condition']).toBe('pace < 2 and speedy > 1')
})

describe('a tree of steps', () => {
  it('is copied, with what is made of it made of the copy', () => {
    const made = study()
    const copies = copyTree(made, 'slice')
    expect([...copies.keys()]).toEqual(['slice', 'area'])
    expect(made.steps[copies.get('slice')!]).toMatchObject({ name: 'Slice 1 copy', inputs: { of: [{ part: 'water' }] } })
    expect(made.steps[copies.get('area')!]!.inputs['of']).toEqual([{ step: copies.get('slice') }])
    expect(made.steps['area']!.inputs['of']).toEqual([{ step: 'slice' }])
    const ranks = Object.values(made.steps).map(({ rank }) => rank)
    expect(new Set(ranks).size).toBe(ranks.length)
  })

  it('is repeated on another part, with looks; what that does not fit stays', () => {
    const made = study()
    made.parts['arm'] = { name: 'Arm', rank: 3, dimension: 3, binding: {} }
    made.steps['slice']!.look.bands = 12
    const copies = repeatOn(made, 'water', 'arm')
    expect([...copies.keys()].sort()).toEqual(['area', 'clip', 'lines', 'slice'])
    const copy = (id: string) => made.steps[copies.get(id)!]!
    expect(copy('slice')).toMatchObject({ name: 'Slice 1 on Arm', inputs: { of: [{ part: 'arm' }] }, look: { bands: 12 } })
    expect(copy('area').inputs).toEqual({ of: [{ step: copies.get('slice') }], 'out of': [{ part: 'arm' }], in: [] })
    expect(copy('lines').inputs['seeds']).toEqual([{ step: 'line' }])
  })

  it('is moved to another parent, if that fits and makes no circle', () => {
    const made = study()
    expect(canStandOn(made, 'area', 'clip')).toBe(true)
    expect(canStandOn(made, 'clip', 'area')).toBe(false)
    expect(canStandOn(made, 'slice', 'lines')).toBe(false)
    standOn(made, 'slice', 'clip')
    expect(made.steps['slice']!.inputs['of']).toEqual([{ step: 'clip' }])
    expect(canStandOn(made, 'clip', 'slice')).toBe(false)
  })
})

describe('a step put before another', () => {
  it('takes what that takes and yields what it accepts', () => {
    const made = study()
    const before = (kind: string, id: string): boolean => fitsBefore(made, stepKind(kind), id)
    expect(before('clip', 'slice')).toBe(true)
    expect(before('slice', 'slice')).toBe(true)
    expect(before('slice', 'bounds')).toBe(true)
    // streamlines take volumes, a measurement yields nothing, a line takes nothing
    expect(before('slice', 'lines')).toBe(false)
    expect(before('measure', 'slice')).toBe(false)
    expect(before('clip', 'line')).toBe(false)
  })
})

describe('a group', () => {
  it('stands at the place of its first step, under a name of its own, and is dissolved again', () => {
    const made = study()
    const order = (): string[] => ranked(made.steps).map(([id]) => id)
    expect(order()).toEqual(['bounds', 'slice', 'line', 'lines', 'area', 'clip'])
    expect(groupSteps(made, ['area', 'slice'])).toBe('Group 1')
    expect(order()).toEqual(['bounds', 'slice', 'area', 'line', 'lines', 'clip'])
    expect(trailRows(ranked(made.steps)).flatMap(({ group }) => group ?? [])).toEqual([{ name: 'Group 1', ids: ['slice', 'area'] }])
    expect(groupSteps(made, ['clip', 'lines'])).toBe('Group 2')
    ungroup(made, ['slice', 'area', 'lines', 'clip'])
    expect(trailRows(ranked(made.steps)).some(({ group }) => group)).toBe(false)
  })
})

test('steps put between two others again and again keep their order', () => {
  const made = study()
  for (let n = 0; n < 100; n++) {
    const [first, second] = ranked(made.steps) as [[string, Step], [string, Step]]
    made.steps[`new-${n}`] = { ...newStep(made, 'circle'), rank: rankBetween(first[1].rank, second[1].rank) }
    spreadRanks(made.steps)
  }
  const order = ranked(made.steps).map(([id]) => id)
  expect(order.slice(0, 3)).toEqual(['bounds', 'new-99', 'new-98'])
  expect(order.slice(100, 102)).toEqual(['new-0', 'slice'])
})
