import { describe, expect, it } from 'vitest'
import { matchedMoment } from '../../../core/study/moments'
import {
  closePane,
  firstPane,
  isShownIn,
  layOut,
  leaveCase,
  moveDivider,
  numberedPanes,
  panePerCase,
  showIn,
  splitOf,
  splitPane,
  swapPanes,
} from '../../../core/study/panes'
import type { Split, WithPanes } from '../../../core/study/panes'
import { checkStudy } from '../../../core/study/check'
import { newStudy } from '../../../core/study/defaults'

function threePanes(): WithPanes & { steps: Record<string, { isShown: boolean }> } {
  const study: ReturnType<typeof threePanes> = { steps: { cut: { isShown: true }, line: { isShown: false } } }
  firstPane(study, 'a')
  const second = splitPane(study, 'pane-1', true, { case: 'b' })!
  splitPane(study, second, false, { case: 'c' })
  return study
}

describe('panes', () => {
  it('share the room as they are split', () => {
    const { panes, dividers } = layOut(splitOf(threePanes())!)
    expect(panes.get('pane-1')).toEqual({ x: 0, y: 0, width: 0.5, height: 1 })
    expect(panes.get('pane-2')).toEqual({ x: 0.5, y: 0, width: 0.5, height: 0.5 })
    expect(panes.get('pane-3')).toEqual({ x: 0.5, y: 0.5, width: 0.5, height: 0.5 })
    expect(dividers.map(({ isAcross, rect }) => [isAcross, rect.x, rect.y])).toEqual([
      [true, 0.5, 0],
      [false, 0.5, 0.5],
    ])
  })

  it('a pane beside one in a row takes half of its share, and the numbers follow', () => {
    const study = threePanes()
    splitPane(study, 'pane-1', true)
    const { panes } = layOut(splitOf(study)!)
    expect([panes.get('pane-1')!.width, panes.get('pane-4')!.x, panes.get('pane-2')!.x]).toEqual([0.25, 0.25, 0.5])
    expect(numberedPanes(study).map(({ id }) => id)).toEqual(['pane-1', 'pane-4', 'pane-2', 'pane-3'])
  })

  it('a divider moves within its own split, and never over a neighbour', () => {
    const study = threePanes()
    const lower = layOut(splitOf(study)!).dividers[1]!
    moveDivider(study, lower, 0.25)
    expect(layOut(splitOf(study)!).panes.get('pane-2')!.height).toBeCloseTo(0.75, 12)
    moveDivider(study, lower, 9)
    expect(layOut(splitOf(study)!).panes.get('pane-3')!.height).toBeCloseTo(0.1, 12)
    expect(layOut(splitOf(study)!).panes.get('pane-1')!.width).toBe(0.5)
  })

  it('closing gives the room to the neighbours; what is left alone is no pane', () => {
    const study = threePanes()
    expect(closePane(study, 'pane-1')).toBeUndefined()
    expect(layOut(splitOf(study)!).panes.get('pane-2')).toEqual({ x: 0, y: 0, width: 1, height: 0.5 })
    expect(closePane(study, 'pane-3')).toBe('b')
    expect(study).not.toHaveProperty('panes')
    expect(study).not.toHaveProperty('split')
  })

  it('swapping changes places and numbers', () => {
    const study = threePanes()
    swapPanes(study, 'pane-1', 'pane-3')
    expect(layOut(splitOf(study)!).panes.get('pane-3')).toEqual({ x: 0, y: 0, width: 0.5, height: 1 })
    expect(numberedPanes(study).map(({ id }) => id)).toEqual(['pane-3', 'pane-2', 'pane-1'])
  })

  it('there are nine at most, and splits within splits at most four', () => {
    const study = {}
    panePerCase(study, ['a', 'b', 'c', 'd', 'e', 'f', 'g', 'h', 'i', 'j'])
    const { panes } = layOut(splitOf(study)!)
    expect([...panes.values()].map(({ x, y }) => [Math.round(3 * x), Math.round(3 * y)])).toEqual(
      Array.from({ length: 9 }, (_, i) => [i % 3, Math.floor(i / 3)]),
    )
    expect(splitPane(study, 'pane-1', true)).toBeUndefined()
    const deep = {}
    let last = firstPane(deep, 'a')
    for (let i = 0; i < 4; i++) last = splitPane(deep, last, i % 2 === 0)!
    expect(splitPane(deep, last, true)).toBeUndefined()
    expect(checkStudy({ ...newStudy('Deep'), ...deep }).split).toEqual(splitOf(deep))
  })

  it('a damaged division still has a place for each pane', () => {
    const study = threePanes()
    study.split = { across: false, shares: [1], of: [{ pane: 'gone' }, { pane: 'pane-2' }, { pane: 'pane-2' }] } satisfies Split
    expect([...layOut(splitOf(study)!).panes.keys()].sort()).toEqual(['pane-1', 'pane-2', 'pane-3'])
    expect(splitOf({})).toBeUndefined()
  })

  it('a step is shown here and hidden there; hidden everywhere it is hidden, and shown in one pane it is in that alone', () => {
    const study = threePanes()
    showIn(study, 'pane-2', 'cut', false)
    expect(['pane-1', 'pane-2', 'pane-3'].map((pane) => isShownIn(study, pane, 'cut'))).toEqual([true, false, true])
    showIn(study, 'pane-1', 'cut', false)
    showIn(study, 'pane-3', 'cut', false)
    expect(study.steps['cut']!.isShown).toBe(false)
    expect(study.panes!['pane-1']).not.toHaveProperty('hides')
    showIn(study, 'pane-3', 'line', true)
    expect(['pane-1', 'pane-2', 'pane-3'].map((pane) => isShownIn(study, pane, 'line'))).toEqual([false, false, true])
  })

  it('a case that is taken out leaves no pane and no swipe without one', () => {
    const study = threePanes()
    study.panes!['pane-1']!.swipe = { case: 'b', at: 0.3 }
    leaveCase(study, 'b', 'a')
    expect(numberedPanes(study).map(({ pane }) => pane.case)).toEqual(['a', 'a', 'c'])
    expect(study.panes!['pane-1']).not.toHaveProperty('swipe')
  })
})

describe('moments of different cases', () => {
  const times = (...values: number[]) =>
    values.map((value, index) => ({ index, kind: 'time' as const, label: `${value} s`, value, unit: 's' }))
  const coarse = times(0, 10, 20)
  const fine = times(0, 4, 8, 12, 16, 20, 24)

  it('are matched by value, number or share of the span', () => {
    expect([0, 1, 2].map((i) => matchedMoment(coarse, i, fine, 'nearest'))).toEqual([0, 2, 5])
    expect([0, 1, 2].map((i) => matchedMoment(coarse, i, fine, 'value'))).toEqual([0, null, 5])
    expect([0, 6].map((i) => matchedMoment(fine, i, coarse, 'index'))).toEqual([0, null])
    expect([0, 1, 2].map((i) => matchedMoment(coarse, i, fine, 'phase'))).toEqual([0, 3, 6])
  })

  it('one moment stands for all; other kinds are known by their number', () => {
    expect(matchedMoment(fine, 5, times(3), 'value')).toBe(0)
    const modes = coarse.map((moment) => ({ ...moment, kind: 'mode' as const }))
    expect(matchedMoment(fine, 1, modes, 'nearest')).toBe(1)
    expect(matchedMoment(fine, 5, modes, 'nearest')).toBeNull()
    expect(matchedMoment(fine, 0, [], 'nearest')).toBeNull()
  })
})
