/** What hangs together, against volumes and areas known beforehand. */
import { describe, expect, it } from 'vitest'
import { areaOf, enclosed, evaluated, kept, looseEdges, measured, on, water } from '../../support/keptBox'
import type { Steps } from '../../support/keptBox'
import { boxKinds } from '../../support/meshes'

const parted = (settings: object, of: Steps[string]['inputs'] = on('zone')): Steps[string] => ({
  kind: 'pieces',
  inputs: of,
  settings: { choice: 'largest', count: 1, share: 0.1, position: [0, 0, 0], ...settings },
})

describe('pieces', () => {
  const steps: Steps = {
    // 0.25, 0.2 and 0.15 of the box, apart from each other
    zone: kept("pos.x < 0.25 'm' or (pos.x > 0.4 'm' and pos.x < 0.6 'm') or pos.x > 0.85 'm'"),
    first: parted({}),
    two: parted({ count: 2 }),
    large: parted({ choice: 'above', share: 0.3 }),
    clicked: parted({ choice: 'at', position: [0.5, 0.1, 0.9] }),
    again: parted({ choice: 'at', position: [1, 1, 1] }, on('two')),
    ...Object.fromEntries(['first', 'two', 'large', 'clicked'].map((name) => [`v-${name}`, measured(name)])),
    section: { kind: 'slice', inputs: on('zone'), settings: { origin: [0, 0, 0.43], normal: [0, 0, 1] } },
    strip: parted({ choice: 'at', position: [0.9, 0.5, 0.43] }, on('section')),
  }

  it.each(boxKinds)('of a volume are told apart, sorted and measured, in one block and in many (%s)', (kind) => {
    for (const blockCells of [1024, 1 << 20]) {
      const evaluation = evaluated(steps, { kind, n: 12, skew: 0, blockCells })
      const volumes = ['first', 'two', 'large', 'clicked'].map((name) => evaluation.reading(`v-${name}`).value)
      for (const [i, volume] of [0.25, 0.45, 0.45, 0.2].entries()) expect(volumes[i]).toBeCloseTo(volume, 12)
      const shape = evaluation.shape('two')
      expect(shape.notes).toEqual([expect.stringMatching(/^3 pieces in all, 2 kept: 75\.?0* % of the volume$/)])
      expect(shape.table!.rows.map(([number]) => number)).toEqual([1, 2])
      expect(shape.table!.rows[1]![1]).toBeCloseTo(0.2, 12)
      expect(looseEdges(evaluation.shape('clicked'))).toBe(0)
      expect(enclosed(evaluation.shape('clicked')).volume).toBeCloseTo(0.2, 12)
    }
  })

  it('of pieces and of a cut are told apart in the same way', () => {
    const evaluation = evaluated(steps, { n: 8 })
    expect(evaluation.shape('again').notes![0]).toMatch(/^2 pieces in all, 1 kept/)
    expect(areaOf(evaluation.shape('strip'))).toBeCloseTo(0.15, 12)
  })

  it('of nothing are none', () => {
    const evaluation = evaluated({ zone: kept("pos.x > 9 'm'"), p: parted({}), v: measured('p'), w: parted({ choice: 'at' }, water) })
    expect(evaluation.shape('p').notes).toEqual(['0 pieces in all, 0 kept: 0 % of the volume'])
    expect(evaluation.reading('v').value).toBe(0)
    expect(evaluation.shape('w').notes).toEqual(['1 piece in all, 1 kept: 100 % of the volume'])
  })
})
