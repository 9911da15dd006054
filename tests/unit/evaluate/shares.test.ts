/** What threads share comes out the same as what one computes. */
import { describe, expect, it } from 'vitest'
import { Evaluation, planFor } from '../../support/evaluation'
import { water } from '../../support/keptBox'
import type { Steps } from '../../support/keptBox'
import { atPoints, boxMesh, testCase } from '../../support/meshes'

const steps: Steps = {
  slices: {
    kind: 'slice',
    inputs: water,
    settings: { form: 'plane', origin: [0.5, 0.5, 0.3], normal: [0.2, 0.1, 1], series: 'several', count: 2, spacing: 0.3 },
  },
  level: { kind: 'isosurface', inputs: water, settings: { variable: 'c', value: 900, series: 'one', count: 1, spacing: 1, list: [] } },
  area: { kind: 'measure', inputs: { of: [{ step: 'slices' }] }, settings: { quantity: 'mean', variable: 'f', around: 'none' } },
}

function evaluation(nCells?: number): Evaluation {
  const mesh = boxMesh({ n: 20, skew: 0.2 })
  const data = testCase(mesh, {
    f: { values: atPoints(mesh, (x, y, z) => x * y + z), components: 1 },
    c: { values: Float64Array.from(mesh.types, (_, c) => c % 1800), components: 1, place: 'cell' },
  })
  if (nCells !== undefined) data.catalogue.parts[0]!.cells = nCells
  return new Evaluation(data, planFor(data, steps))
}

describe('a step of a case of many cells', () => {
  const [one, shared] = [evaluation(), evaluation(5_000_000)]

  it.each(['slices', 'level'])('%s: is several nodes, and the same to the bit, in the same order', (step) => {
    const [whole, joined] = [one.shape(step), shared.shape(step)]
    expect(shared.graph.shape(step, { case: 'case', moment: 0 }).nodes).toHaveLength(8)
    expect(whole.cells.length).toBeGreaterThan(100)
    for (const own of ['points', 'elements', 'cells', 'sources', 'weights', 'ranges', 'notes', 'direction'] as const)
      expect(joined[own]).toEqual(whole[own])
  })

  it('is measured with the same result', () => {
    expect(shared.reading('area')).toEqual(one.reading('area'))
  })
})
