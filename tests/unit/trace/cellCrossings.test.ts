import { describe, expect, it } from 'vitest'
import { wholeDomain } from '../../../core/mesh/Domain'
import { PartLocator } from '../../../core/mesh/locate'
import type { Vector } from '../../../core/mesh/vectors'
import { crossings } from '../../../core/trace/cellCrossings'
import { evaluatorFor } from '../../support/evaluation'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'

const free = (): void => undefined

describe.each(boxKinds)('a line through cells: %s', (kind) => {
  it('is sampled in every cell that fine steps find', () => {
    const domain = wholeDomain([testCase(boxMesh({ n: 6, kind }), {}).part('Water')])
    const start: Vector = [0.03, 0.11, 0.02]
    const end: Vector = [0.98, 0.72, 0.91]
    const cellsAt = (shares: readonly number[]): Set<number> => {
      const locator = new PartLocator(domain)
      const found = shares.flatMap((t) => {
        const [x, y, z] = [0, 1, 2].map((d) => start[d]! * (1 - t) + end[d]! * t) as Vector
        return locator.find(x, y, z) ? locator.cell : []
      })
      locator.close()
      return new Set(found)
    }
    const own = cellsAt(crossings(domain, start, end, free))
    const fine = cellsAt(Array.from({ length: 4001 }, (_, i) => i / 4000))
    for (const cell of fine) expect(own).toContain(cell)
  })
})

describe('crossings', () => {
  it('are where the faces are, with a sample in what lies outside', () => {
    const domain = wholeDomain([testCase(boxMesh({ n: 4, skew: 0 }), {}).part('Water')])
    const shares = crossings(domain, [-0.5, 0.3, 0.3], [1.5, 0.3, 0.3], free)
    const expected = [0, 0.125, 0.25, 0.3125, 0.375, 0.4375, 0.5, 0.5625, 0.625, 0.6875, 0.75, 0.875, 1]
    expect(shares).toHaveLength(expected.length)
    shares.forEach((share, i) => expect(share).toBeCloseTo(expected[i]!, 12))
  })

  it('are samples of a curve, on which what is linear is exact, with gaps outside', () => {
    const mesh = boxMesh({ n: 4 })
    const data = testCase(mesh, { f: { values: atPoints(mesh, (x, y, z) => 1 + x - 2 * y + z), components: 1 } })
    const steps = {
      line: { kind: 'line', inputs: {}, settings: { start: [-0.5, 0.3, 0.3], end: [0.9, 0.4, 0.3] } },
      plot: {
        kind: 'plot',
        inputs: { along: [{ step: 'line' }], in: [{ part: 'Water', isOuter: false }] },
        settings: { variable: 'f', against: 'length', abscissa: 'f', samples: 2, spacing: 'cells' },
      },
    }
    const { series, notes } = evaluatorFor(data, steps).curve('plot')
    const { y, places } = series[0]!
    expect(y.length).toBeGreaterThan(9)
    expect(Number.isNaN(y[0])).toBe(true)
    for (let i = 0; i < y.length; i++) {
      const [px, py, pz] = places!.subarray(3 * i, 3 * i + 3) as unknown as Vector
      if (px > 1e-9) expect(y[i]).toBeCloseTo(1 + px - 2 * py + pz, 10)
    }
    expect(notes[0]).toMatch(/^2 of \d+ samples lie outside/)
  })
})
