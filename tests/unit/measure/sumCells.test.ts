import { describe, expect, it } from 'vitest'
import { sumCells } from '../../../core/measure/sumCells'
import { measureExpression } from '../../../core/measure/reductions'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import { nodePositions } from '../../../core/mesh/quadraticShape'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { boxMesh, testCase } from '../../support/meshes'
import { evaluatorFor } from '../../support/evaluation'

function sumOf(part: MemoryPart, field: string) {
  return sumCells(
    part,
    (k) => part.field(field, k),
    () => undefined,
  )
}

describe('sums over cells', () => {
  it('do not depend on where blocks end, and leave out what is not finite', () => {
    const mesh = boxMesh({ n: 12 })
    const n = mesh.types.length
    const values = Float64Array.from({ length: 2 * n }, (_, i) => (i === 6 ? NaN : i % 2 ? 1 : 0.1 * Math.floor(i / 2)))
    const [small, large] = [1024, 65536].map((size) => {
      const part = new MemoryPart('p', 3, mesh, size)
      part.setField('f', { values, components: 2, place: 'cell' })
      return sumOf(part, 'f')
    })
    expect(small).toEqual(large)
    expect(small).toMatchObject({ cells: n - 1, nonFinite: 1 })
    expect(small!.sums[1]).toBe(n - 1)
    expect(small!.sums[0]).toBeCloseTo(0.05 * n * (n - 1) - 0.3, 6)
  })

  it('count a cell once, however many pieces it has, across blocks too', () => {
    const count = 300
    const one = nodePositions(25)
    const points = Float64Array.from(Array.from({ length: count }, (_, c) => one.flatMap(([r, s, t]) => [r + 2 * c, s, t])).flat())
    const mesh = normaliseCells(
      {
        points,
        types: new Uint8Array(count).fill(25),
        offsets: Uint32Array.from({ length: count + 1 }, (_, c) => 20 * c),
        connectivity: Uint32Array.from({ length: 20 * count }, (_, i) => i),
      },
      'test',
    )
    const part = new MemoryPart('p', 3, mesh, 1024)
    part.setField('f', { values: new Float64Array(count).fill(2), components: 1, place: 'cell' })
    expect(part.nBlocks).toBeGreaterThan(1)
    expect(sumOf(part, 'f')).toEqual({ sums: [2 * count], positive: [2 * count], cells: count, nonFinite: 0 })
  })

  it('of vectors are vectors', () => {
    const mesh = boxMesh({ n: 2 })
    const values = Float64Array.from({ length: 3 * mesh.types.length }, (_, i) => [3, 4, 0][i % 3]!)
    const n = mesh.types.length
    const data = testCase(mesh, { F: { components: 3, place: 'cell', unit: 'N', values } })
    expect(measureExpression('sum(F)', evaluatorFor(data, {}).data, ['Water'])).toEqual({
      value: 5 * n,
      components: { x: 3 * n, y: 4 * n, z: 0 },
      unit: 'N',
      nonFinite: 0,
    })
    expect(measureExpression("sum(F.x) / 2 '1'", evaluatorFor(data, {}).data, ['Water']).value).toBe(1.5 * mesh.types.length)
  })
})
