import { describe, expect, it } from 'vitest'
import type { Plan } from '../../../core/evaluate/plan'
import { evaluatorFor } from '../../support/evaluation'
import { areaOf, water } from '../../support/keptBox'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'

const levelOf = (variable: string, value: number): Plan['steps'][string] => ({
  ...{ kind: 'isosurface', inputs: water },
  settings: { variable, value },
})

describe.each(boxKinds)('surfaces where a formula has a value, in a box of %s cells', (kind) => {
  const mesh = boxMesh({ n: 12, kind, skew: 0.2 })
  const data = testCase(mesh, { f: { values: atPoints(mesh, (x, y, z) => 1 + 2 * x - y + 3 * z), components: 1 } })
  const formulas = { twice: '2 * f', root: "sqrt(f / 1 'm/s' - 1.2)", means: 'cells(f)' }

  it.each([2, 2.5, 3.1, 4])('are whole, also of values on cells and beside what is not a number (%d)', (value) => {
    const steps = {
      field: levelOf('f', value),
      formula: levelOf('twice', 2 * value),
      root: levelOf('root', Math.sqrt(value - 1.2)),
      means: levelOf('means', value),
    }
    const evaluation = evaluatorFor(data, steps, formulas)
    const area = areaOf(evaluation.shape('field'))
    expect(area).toBeGreaterThan(0.2)
    expect(areaOf(evaluation.shape('formula'))).toBeCloseTo(area, 12)
    expect(areaOf(evaluation.shape('root')) / area).toBeCloseTo(1, 2)
    expect(areaOf(evaluation.shape('means')) / area).toBeCloseTo(1, 1)
  })
})
