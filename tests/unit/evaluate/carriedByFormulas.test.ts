/** Values of points without a mesh in formulas on a region: of a table, and of another part of the same case. */
import { describe, expect, it } from 'vitest'
import type { CaseData } from '../../../core/case/CaseData'
import { nameOf } from '../../../core/fields/formula/expressions'
import { measureExpression } from '../../../core/measure/reductions'
import { gridPoints, linear, workbench } from '../../support/carrying'
import { atPoints, boxKinds, boxMesh, pointMesh, testCase } from '../../support/meshes'

type Place = [number, number, number]

/** Points in the box from 0 to `size` metres with a linear temperature. @param unit  of their places in the file */
function sensors(size: number, unit: 'm' | 'mm'): CaseData {
  const places = gridPoints(5).map((x) => size * x)
  const T = Float64Array.from({ length: places.length / 3 }, (_, p) => linear(...([...places.subarray(3 * p, 3 * p + 3)] as Place)))
  const mesh = pointMesh(unit === 'mm' ? places.map((x) => 1000 * x) : places)
  const made = testCase(mesh, { T: { values: T, components: 1, unit: 'K' } }, 1024, { name: 'Sensors', dimension: 0 })
  return { ...made, catalogue: { ...made.catalogue, lengthUnit: unit } }
}

/** Parts of several cases as parts of one. */
function together(first: CaseData, second: CaseData): CaseData {
  const parts = [...first.catalogue.parts, ...second.catalogue.parts]
  const fields = first.catalogue.fields.map((field) => ({ ...field, parts: parts.map(({ name }) => name) }))
  return {
    catalogue: { ...first.catalogue, parts, fields },
    part: (name) => (first.catalogue.parts.some((own) => own.name === name) ? first : second).part(name),
  }
}

describe.each(boxKinds)('values of points on %s cells', (kind) => {
  const mesh = boxMesh({ n: 4, kind, skew: 0.2 })
  const water = testCase(mesh, { T: { values: atPoints(mesh, () => 0), components: 1, unit: 'K' } })

  it.each([
    ['of a table in another unit of length', { water, table: sensors(1, 'mm') }, 'from("table", T)'],
    ['of another part', { water: together(water, sensors(1, 'm')) }, 'from("Sensors", T)'],
  ])('%s are those between them', (_, cases, text) => {
    const data = workbench(cases, {}, { own: text }).data('water')
    const part = data.part('Water')
    for (let k = 0; k < part.nBlocks; k++) {
      const { values } = data.blockValues(nameOf('own'), ['Water'], part, k)
      const { points } = part.block(k)
      for (let p = 0; p < values.length; p++)
        expect(values[p]).toBeCloseTo(linear(...(points.subarray(3 * p, 3 * p + 3) as unknown as Place)), 6)
    }
  })

  it('are gaps outside of them, and have the unit of the points', () => {
    const data = workbench({ water, table: sensors(0.5, 'mm') }, {}, { own: 'from("table", T)' }).data('water')
    const { values } = data.blockValues(nameOf('own'), ['Water'], data.part('Water'), 0)
    const { points } = data.part('Water').block(0)
    for (let p = 0; p < values.length; p++) if (Math.max(...points.subarray(3 * p, 3 * p + 3)) > 0.501) expect(values[p]).toBeNaN()
    expect(measureExpression('min(own)', data, ['Water']).unit).toBe('K')
  })
})

it('of a part that looks at itself through another is refused', () => {
  const mesh = boxMesh({ n: 2, kind: 'hexahedron', skew: 0 })
  const water = testCase(mesh, { T: { values: atPoints(mesh, () => 0), components: 1, unit: 'K' } })
  const data = workbench({ water: together(water, sensors(1, 'm')) }, {}, { own: 'from("Sensors", own)' }).data('water')
  expect(() => data.blockValues(nameOf('own'), ['Water'], data.part('Water'), 0)).toThrow(/own/)
})
