import { describe, expect, it } from 'vitest'
import type { CaseData } from '../../../core/case/CaseData'
import type { Vector } from '../../../core/mesh/vectors'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import { areaOf } from '../../../core/shapes/carryByFaces'
import type { Triangle } from '../../../core/shapes/TriangleGrid'
import { atPoints, boxMesh, testCase } from '../../support/meshes'
import { column, line, linear, settings, workbench } from '../../support/carrying'

describe('carried face by face', () => {
  /** A surface over the unit square, n × n squares of two triangles, with a value for each triangle. */
  function surface(n: number, name: string, height: (x: number, y: number) => number, value: (x: number, y: number) => number) {
    const at = (i: number): number => i / n
    const points = Array.from({ length: (n + 1) ** 2 }, (_, p) => [at(p % (n + 1)), at(Math.floor(p / (n + 1)))])
    const triangles = Array.from({ length: n * n }, (_, c) => {
      const p = Math.floor(c / n) * (n + 1) + (c % n)
      return [
        [p, p + 1, p + n + 2],
        [p, p + n + 2, p + n + 1],
      ]
    }).flat()
    const mesh = normaliseCells(
      {
        points: Float64Array.from(points.flatMap(([x, y]) => [x!, y!, height(x!, y!)])),
        types: new Uint8Array(triangles.length).fill(5),
        offsets: Uint32Array.from({ length: triangles.length + 1 }, (_, t) => 3 * t),
        connectivity: Uint32Array.from(triangles.flat()),
      },
      name,
    )
    const middle = (nodes: number[], d: number): number => nodes.reduce((sum, p) => sum + points[p]![d]! / 3, 0)
    const values = Float64Array.from(triangles, (nodes) => value(middle(nodes, 0), middle(nodes, 1)))
    return testCase(mesh, { q: { values, components: 1, place: 'cell' } }, 1024, { name, dimension: 2 })
  }
  const flat = (): number => 0.3
  const dome = (x: number, y: number): number => 0.4 * x * (1 - x) * y * (1 - y)

  function carried(source: CaseData, target: CaseData) {
    const c = {
      ...{ kind: 'carry', settings: { ...settings, variable: 'q', by: 'faces', case: 'hot' } },
      inputs: { onto: [{ part: 'Skin' }], from: [{ part: 'Plate' }] },
    }
    const found = workbench({ cold: target, hot: source }, { c }).shape('c', { case: 'cold', moment: 0 })
    const { values } = column(found, 'carried')
    const faces = Array.from({ length: found.elements.length / 3 }, (_, e) => {
      const corners = [0, 1, 2].map((i) => [...found.points.subarray(9 * e + 3 * i, 9 * e + 3 * i + 3)] as Vector) as Triangle
      return { area: areaOf(corners), value: values[3 * e]!, x: corners.reduce((sum, [x]) => sum + x / 3, 0) }
    })
    return { found, faces, total: faces.reduce((sum, { area, value }) => sum + area * value, 0) }
  }

  it('a constant stays what it is where both are one plane, and each face has one value', () => {
    const { faces, found } = carried(
      surface(7, 'Plate', flat, () => 3),
      surface(5, 'Skin', flat, () => 0),
    )
    for (const { value } of faces) expect(value).toBeCloseTo(3, 12)
    expect(found.points).toHaveLength(9 * faces.length)
    expect(found.notes).toEqual(expect.arrayContaining(['the total over the surface is that of the source']))
  })

  it.each([
    ['finer', 16, flat],
    ['coarser', 4, flat],
    ['bent', 9, dome],
  ])('the total is that of the source on a %s target, whose values come near', (_, n, height) => {
    const source = surface(11, 'Plate', height, (x) => 1 + 2 * x)
    const { total, faces } = carried(
      source,
      surface(n, 'Skin', height, () => 0),
    )
    const own = carried(
      source,
      surface(11, 'Skin', height, () => 0),
    )
    expect(total / own.total).toBeCloseTo(1, 12)
    if (height === flat) expect(total).toBeCloseTo(2, 12)
    for (const { value, x } of faces) expect(Math.abs(value - 1 - 2 * x)).toBeLessThan(0.25)
  })

  it('what lies beside goes to the nearest face and is said, and what gets nothing is counted', () => {
    const source = surface(10, 'Plate', flat, () => 1)
    const { total, found } = carried(
      source,
      surface(
        10,
        'Skin',
        () => 40,
        () => 0,
      ),
    )
    expect(total).toBeCloseTo(1, 12)
    expect(found.notes!.join()).toMatch(/100 % of the source lie beside and went to the nearest faces, at most 39.7 m away/)
  })

  it('is of surfaces alone', () => {
    const c = { kind: 'carry', settings: { ...settings, by: 'faces' }, inputs: { onto: [{ step: 'line' }], from: [{ part: 'Water' }] } }
    const water = testCase(boxMesh({ n: 3 }), { T: { values: atPoints(boxMesh({ n: 3 }), linear), components: 1, unit: 'K' } })
    expect(() => workbench({ water }, { line, c }).shape('c', { case: 'water', moment: 0 })).toThrow('from surfaces onto surfaces')
  })
})
