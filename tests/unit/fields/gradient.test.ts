import { describe, expect, it } from 'vitest'
import { cellGradients } from '../../../core/fields/gradient'
import { measureExpression } from '../../../core/measure/reductions'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import { quadraticNodeCount, QuadraticType } from '../../../core/mesh/quadraticCells'
import { hasQuadraticShape, nodePositions } from '../../../core/mesh/quadraticShape'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import { evaluatorFor } from '../../support/evaluation'
import type { Position } from '../../support/meshes'

const linear = (x: number, y: number, z: number): number => 3 + 2 * x - y + 4 * z

describe.each(boxKinds)('in %s cells', (kind) => {
  const mesh = boxMesh({ n: 4, kind, size: [2, 3, 4] })

  it('linear fields have their slopes in every cell, to the boundary', () => {
    const part = new MemoryPart('p', 3, mesh, 1024)
    part.setField('f', { values: atPoints(mesh, (x, y, z) => [linear(x, y, z), y]), components: 2, place: 'point' })
    const slopes = cellGradients(part.block(0), part.field('f', 0).values, 2)
    expect(slopes.length).toBe(6 * mesh.types.length)
    for (let c = 0; c < slopes.length; c += 6) [2, -1, 4, 0, 1, 0].forEach((exact, i) => expect(slopes[c + i]).toBeCloseTo(exact, 10))
  })

  it('grad, div and curl carry units and are those of a rotation about z', () => {
    const data = testCase(mesh, {
      T: { components: 1, place: 'point', unit: 'K', values: atPoints(mesh, linear) },
      U: { components: 3, place: 'point', unit: 'm/s', values: atPoints(mesh, (x, y) => [0.5 * x - 3 * y, 3 * x, 2]) },
    })
    const measured = (text: string) => measureExpression(text, evaluatorFor(data, {}, { heat: 'grad(T)' }).data, ['Water'])
    expect(measured('max(heat.x)')).toMatchObject({ value: expect.closeTo(2, 10) as number, unit: 'K/m' })
    expect(measured('mean(mag(heat))').value).toBeCloseTo(Math.sqrt(21), 10)
    expect(measured('mean(curl(U).z)')).toMatchObject({ value: expect.closeTo(6, 10) as number, unit: 's⁻¹' })
    expect(measured('mean(div(U)) - mean(div(U))').value).toBe(0)
    expect(measured('integral(div(U))').value).toBeCloseTo(0.5 * 24, 9)
    expect(measured('mean(grad(U).xy)').value).toBeCloseTo(-3, 10)
    expect(measured('mean(div(pos))').value).toBeCloseTo(3, 10)
    expect(measured('mean(strain(U).xx)')).toMatchObject({ value: expect.closeTo(0.5, 10) as number, unit: 's⁻¹' })
    // of the square of the gradient: -(0.25 - 18) / 2, and the middle one of 0, 0.25 - 9 and -9
    expect(measured('mean(qcriterion(U))')).toMatchObject({ value: expect.closeTo(8.875, 9) as number, unit: 's⁻²' })
    expect(measured('mean(lambda2(U))').value).toBeCloseTo(-8.75, 9)
  })
})

const map = ([x, y, z]: Position): Position => [2 * x + 0.3 * y + 1, 0.1 * x + 1.5 * y - 0.2 * z, 0.4 * y + z]
const volumeTypes = Object.entries(QuadraticType).filter(
  ([name, type]) => hasQuadraticShape(type) && quadraticNodeCount[type]! >= 10 && name !== 'quad9',
) as [string, number][]

it.each(volumeTypes)('quadratic fields have their slopes at the middle of each piece of %s', (_, type) => {
  const points = Float64Array.from(nodePositions(type).flatMap((at) => map(at as unknown as Position)))
  const n = points.length / 3
  const mesh = normaliseCells(
    { points, types: Uint8Array.of(type), offsets: Uint32Array.of(0, n), connectivity: Uint32Array.from({ length: n }, (_, i) => i) },
    'test',
  )
  const part = new MemoryPart('p', 3, mesh)
  part.setField('f', { values: atPoints(mesh, (x, y, z) => x * x + x * y - 2 * z * z), components: 1, place: 'point' })
  const block = part.block(0)
  const slopes = cellGradients(block, part.field('f', 0).values, 1)
  for (let c = 0; c < block.types.length; c++) {
    const nodes = Array.from(block.connectivity.subarray(block.offsets[c]!, block.offsets[c + 1]!))
    const [x, y, z] = [0, 1, 2].map((d) => nodes.reduce((sum, p) => sum + block.points[3 * p + d]! / nodes.length, 0)) as [
      number,
      number,
      number,
    ]
    ;[2 * x + y, x, -4 * z].forEach((exact, d) => expect(slopes[3 * c + d]).toBeCloseTo(exact, 9))
  }
})

describe('gradients in formulas', () => {
  const mesh = boxMesh({ n: 4, size: [1000, 1000, 1000] })
  const data = testCase(mesh, {
    T: { components: 1, place: 'point', unit: 'K', values: atPoints(mesh, linear) },
    c: { components: 1, place: 'cell', unit: 'K', values: new Float64Array(mesh.types.length) },
  })
  const inMillimetres = { ...data, catalogue: { ...data.catalogue, lengthUnit: 'mm' } }
  const steps = { s: { kind: 'slice', settings: { origin: [500, 500, 510], normal: [0, 0, 1] }, inputs: { of: [{ part: 'Water' }] } } }
  const evaluator = evaluatorFor(inMillimetres, steps)

  it('count in the unit of length of the case', () => {
    expect(measureExpression('mean(grad(T).z)', evaluator.data, ['Water'])).toMatchObject({
      value: expect.closeTo(4000, 6) as number,
      unit: 'K/m',
    })
  })

  it('are mapped onto slices, along the normal too', () => {
    const { values, place, unit } = evaluator.values('dot(grad(T), normal)', evaluator.shape('s'))
    expect([place, unit]).toEqual(['corner', 'K/m'])
    expect(values.every((x) => Math.abs(Math.abs(x) - 4000) < 1e-6)).toBe(true)
    expect(evaluator.values('grad(T)', evaluator.shape('s'))).toMatchObject({ place: 'element', components: 3 })
  })

  it.each([
    ['div(T)', 'div takes a vector, but this is a scalar.'],
    ['grad(dot(pos, normal))', 'grad is taken in the cells of a region, where there is no normal.'],
    ['grad(T).x * T', 'This mixes values on points with values on cells'],
  ])('%s is refused', (text, message) => {
    expect(() => measureExpression(`mean(${text})`, evaluator.data, ['Water'])).toThrow(message)
  })

  it('need a region', () => {
    expect(() => evaluator.values('grad(T)', evaluator.partShape('Water', true))).not.toThrow()
    const flat = boxMesh({ n: 2 })
    const face = new MemoryPart('Water', 2, {
      ...flat,
      types: Uint8Array.of(9),
      offsets: Uint32Array.of(0, 4),
      connectivity: Uint32Array.of(0, 1, 4, 3),
      cellNumbers: Uint32Array.of(0),
    })
    face.setField('T', { values: atPoints(flat, linear), components: 1, place: 'point' })
    const parts = data.catalogue.parts.map((part) => ({ ...part, dimension: 2 as const }))
    const alone = { catalogue: { ...data.catalogue, parts }, part: () => face }
    expect(() => measureExpression('mean(mag(grad(T)))', evaluatorFor(alone, {}).data, ['Water'])).toThrow(
      /grad is taken in the cells of a region/,
    )
  })

  it('a cell without volume has none', () => {
    const part = new MemoryPart('p', 3, boxMesh({ n: 1, size: [1, 1, 0], skew: 0 }))
    expect(cellGradients(part.block(0), new Float64Array(8), 1).every(Number.isNaN)).toBe(true)
  })
})
