/** Beads on streamlines whose times are known: in a flow that is even, and in one that grows along its way. */
import { describe, expect, it } from 'vitest'
import { evaluatorFor } from '../../support/evaluation'
import type { WholeShape } from '../../support/evaluation'
import { water } from '../../support/keptBox'
import type { Steps } from '../../support/keptBox'
import { atPoints, boxMesh, testCase } from '../../support/meshes'

/** Through a box of a metre, from its side at x = 0. */
function beadsIn(speed: (x: number) => number, settings: object): { beads: WholeShape; x: number[]; values: number[] } {
  const mesh = boxMesh({ n: 16, skew: 0 })
  const fields = {
    U: { values: atPoints(mesh, (x) => [speed(x), 0, 0]), components: 3, unit: 'm/s' },
    T: { values: atPoints(mesh, (x, y, z) => 280 + x + y + z), components: 1, unit: 'K' },
  }
  const steps: Steps = {
    start: { kind: 'points', inputs: {}, settings: { places: [[0.01, 0.3, 0.6]], joined: 'single' } },
    lines: {
      kind: 'trace',
      inputs: { of: [{ part: 'Water' }], seeds: [{ step: 'start' }] },
      settings: { variable: 'U', count: 1, placing: 'even', direction: 'downstream', length: 5, tolerance: 1e-9 },
    },
    beads: { kind: 'beads', inputs: { of: [{ step: 'lines' }], in: water.of }, settings: { shift: 0, ...settings } },
  }
  const evaluation = evaluatorFor(testCase(mesh, fields), steps)
  const beads = evaluation.shape('beads')
  const x = Array.from({ length: beads.points.length / 3 }, (_, p) => beads.points[3 * p]!).sort((a, b) => a - b)
  return { beads, x, values: [...evaluation.values('T', beads).values] }
}

describe('beads', () => {
  it('are evenly apart where the flow is even, moved on together, with the values of the region', () => {
    const { x, values, beads } = beadsIn(() => 2, { spacing: 0.1 })
    expect(x.map((at) => Number(at.toFixed(6)))).toEqual([0.01, 0.21, 0.41, 0.61, 0.81])
    expect(values.sort((a, b) => a - b).map((T) => Number(T.toFixed(6)))).toEqual([280.91, 281.11, 281.31, 281.51, 281.71])
    expect(beads.kind).toBe('points')
    expect(beads.notes).toEqual(['5 beads, 0.1 s from one to the next'])
    // by a whole spacing nothing changes: there is always one at the start
    const moved = beadsIn(() => 2, { spacing: 0.1, shift: 0.025 }).x
    expect(moved.map((at) => Number(at.toFixed(6)))).toEqual([0.06, 0.26, 0.46, 0.66, 0.86])
    expect(beadsIn(() => 2, { spacing: 0.1, shift: 0.1 }).x.at(-1)).toBeCloseTo(x.at(-1)!, 9)
  })

  it('are as far apart as the flow is fast', () => {
    const { x, beads } = beadsIn((at) => 1 + at, { spacing: 0.2 })
    const expected = [0, 0.2, 0.4, 0.6].map((t) => 1.01 * Math.exp(t) - 1)
    expect(x).toHaveLength(4)
    // straight between the points of a streamline, which stand about a cell apart
    x.forEach((at, i) => expect(at).toBeCloseTo(expected[i]!, 2))
    expect([...beads.columns[0]!.values].sort().map((t) => Number(t.toFixed(9)))).toEqual([0, 0.2, 0.4, 0.6])
  })

  it('need lines with travel times, and are not without number', () => {
    const line = { kind: 'line', inputs: {}, settings: { start: [0, 0.5, 0.5], end: [1, 0.5, 0.5] } }
    const steps: Steps = {
      line,
      beads: { kind: 'beads', inputs: { of: [{ step: 'line' }], in: water.of }, settings: { spacing: 1, shift: 0 } },
    }
    const mesh = boxMesh({ n: 3 })
    expect(() => evaluatorFor(testCase(mesh, {}), steps).shape('beads')).toThrow('These lines have no travel times')
    expect(() => beadsIn(() => 2, { spacing: 1e-7 })).toThrow('more than 200,000 beads')
  })
})
