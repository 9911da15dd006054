/** Gradients of values on cells, and values at points, from the cells around them. */
import { describe, expect, it, test } from 'vitest'
import { neighbourGradients } from '../../../core/fields/neighbourGradient'
import { smoothedValues } from '../../../core/fields/smoothing'
import { inverseOfSymmetric, principalOf } from '../../../core/fields/symmetric'
import { measureExpression } from '../../../core/measure/reductions'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import type { NormalMesh } from '../../../core/mesh/normaliseCells'
import { tetrahedraOf } from '../../../core/mesh/tetrahedra'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import { evaluatorFor } from '../../support/evaluation'
import { rowOfCubes } from '../../support/writers/quadratic'

type Linear = (x: number, y: number, z: number) => number
const linear: Linear = (x, y, z) => 3 + 2 * x - y + 4 * z

/** A part with the mean of functions over each cell of the source: their values at the points, linear on each tetrahedron. */
function partWithMeans(mesh: NormalMesh, functions: readonly Linear[], blockCells?: number): { part: MemoryPart; means: Float64Array } {
  const { points, types, offsets, connectivity, cellNumbers } = mesh
  const size = functions.length
  const at = (f: Linear, p: number): number => f(points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!)
  const numbers = Uint32Array.from({ length: points.length / 3 }, (_, p) => p)
  const n = Math.max(...cellNumbers) + 1
  const sums = new Float64Array(size * n)
  const sizes = new Float64Array(n)
  for (let c = 0; c < types.length; c++) {
    const tets = tetrahedraOf(types[c]!, connectivity, offsets[c]!, numbers)
    for (let t = 0; t < tets.length; t += 4) {
      const nodes = [0, 1, 2, 3].map((i) => connectivity[offsets[c]! + tets[t + i]!]!)
      const [a, b, d] = [1, 2, 3].map((i) => [0, 1, 2].map((k) => points[3 * nodes[i]! + k]! - points[3 * nodes[0]! + k]!)) as [
        number[],
        number[],
        number[],
      ]
      const volume =
        a[0]! * (b[1]! * d[2]! - b[2]! * d[1]!) + a[1]! * (b[2]! * d[0]! - b[0]! * d[2]!) + a[2]! * (b[0]! * d[1]! - b[1]! * d[0]!)
      functions.forEach((f, i) => (sums[size * cellNumbers[c]! + i]! += (volume * nodes.reduce((sum, p) => sum + at(f, p), 0)) / 4))
      sizes[cellNumbers[c]!]! += volume
    }
  }
  const means = sums.map((sum, i) => sum / sizes[Math.floor(i / size)]!)
  const part = new MemoryPart('Water', 3, mesh, blockCells)
  part.setField('f', { values: means, components: size, place: 'cell' })
  return { part, means }
}

describe.each(boxKinds)('of %s cells', (kind) => {
  it('linear fields have their slopes in every cell, across blocks and to the boundary', () => {
    const { part } = partWithMeans(
      boxMesh({ n: kind === 'hexahedron' ? 11 : kind === 'tetra' || kind === 'pyramid' ? 6 : 9, kind, size: [2, 3, 4] }),
      [linear, (_, y) => y],
      1024,
    )
    expect(part.nBlocks).toBeGreaterThan(1)
    for (let k = 0; k < part.nBlocks; k++) {
      const slopes = neighbourGradients(part, k, (j) => part.field('f', j))
      expect(slopes.length).toBe(6 * part.block(k).types.length)
      for (let c = 0; c < slopes.length; c += 6) [2, -1, 4, 0, 1, 0].forEach((exact, i) => expect(slopes[c + i]).toBeCloseTo(exact, 8))
    }
  })
})

test('quadratic fields have their slopes inside a regular mesh', () => {
  const { part } = partWithMeans(boxMesh({ n: 8, skew: 0 }), [(x) => x * x])
  const { types, points, offsets, connectivity } = part.block(0)
  const slopes = neighbourGradients(part, 0, (j) => part.field('f', j))
  let inside = 0
  for (let c = 0; c < types.length; c++) {
    const nodes = Array.from(connectivity.subarray(offsets[c]!, offsets[c + 1]!))
    const [x, y, z] = [0, 1, 2].map((d) => nodes.reduce((sum, p) => sum + points[3 * p + d]! / 8, 0)) as [number, number, number]
    // at the boundary there are neighbours on one side alone
    if ([x, y, z].some((w) => w < 0.125 || w > 0.875)) continue
    inside++
    expect(slopes[3 * c]).toBeCloseTo(2 * x, 9)
  }
  expect(inside).toBe(6 ** 3)
})

test('a mesh of one layer has slopes in its plane, and none across', () => {
  const row = boxMesh({ n: 6, skew: 0 })
  const layer = {
    ...row,
    types: row.types.subarray(0, 36),
    offsets: row.offsets.subarray(0, 37),
    connectivity: row.connectivity.subarray(0, 36 * 8),
    cellNumbers: row.cellNumbers.subarray(0, 36),
  }
  const { part } = partWithMeans(layer, [linear])
  const slopes = neighbourGradients(part, 0, (j) => part.field('f', j))
  for (let c = 0; c < slopes.length; c += 3) [2, -1, 0].forEach((exact, d) => expect(slopes[c + d]).toBeCloseTo(exact, 9))
})

test('pieces of a cell count as one', () => {
  const { along, ...source } = rowOfCubes()
  const mesh = normaliseCells(source, 'test')
  const part = new MemoryPart('row', 3, mesh)
  // along the row alone is known: the slope of it
  part.setField('f', { values: Float64Array.of(1, 3, 5), components: 1, place: 'cell' })
  const slopes = neighbourGradients(part, 0, (j) => part.field('f', j))
  for (let c = 0; c < slopes.length; c += 3) along.forEach((step, d) => expect(slopes[c + d]).toBeCloseTo((2 * step) / 4.25, 9))
})

test('in formulas: gradients of gradients, and curls, of fields on cells', () => {
  const mesh = boxMesh({ n: 5, skew: 0 })
  const { means } = partWithMeans(mesh, [(x, y) => -y + x, (x) => x, () => 2])
  const data = testCase(mesh, { U: { components: 3, place: 'cell', unit: 'm/s', values: means } })
  const measured = (text: string) => measureExpression(text, evaluatorFor(data, {}).data, ['Water'])
  expect(measured('mean(curl(U).z)')).toMatchObject({ value: expect.closeTo(2, 9) as number, unit: 's⁻¹' })
  expect(measured('integral(div(U))').value).toBeCloseTo(1, 9)
  expect(measured('max(mag(grad(div(U))))').value).toBeCloseTo(0, 8)
})

describe.each(boxKinds)('smoothed to the points of %s cells', (kind) => {
  const mesh = boxMesh({ n: kind === 'hexahedron' ? 11 : 6, kind })
  const { part } = partWithMeans(mesh, [linear, () => 7], 1024)

  it('linear fields are themselves inside, and nowhere beyond the values of the cells', () => {
    const all = Array.from({ length: part.nBlocks }, (_, k) => Array.from(part.field('f', k).values).filter((_, i) => i % 2 === 0)).flat()
    const [low, high] = [Math.min(...all), Math.max(...all)]
    for (let k = 0; k < part.nBlocks; k++) {
      const { points } = part.block(k)
      const values = smoothedValues(part, k, (j) => part.field('f', j))
      expect(values.length).toBe((2 * points.length) / 3)
      for (let p = 0; p < points.length / 3; p++) {
        const [x, y, z] = [points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!]
        if ([x, y, z].every((w) => w > 1e-9 && w < 1 - 1e-9)) expect(values[2 * p]).toBeCloseTo(linear(x, y, z), 8)
        expect(values[2 * p]! >= low - 1e-9 && values[2 * p]! <= high + 1e-9).toBe(true)
        expect(values[2 * p + 1]).toBeCloseTo(7, 10)
      }
    }
  })
})

describe.each(boxKinds)('brought from points to %s cells and back', (kind) => {
  const mesh = boxMesh({ n: kind === 'hexahedron' ? 9 : 5, kind })
  const f = { components: 1, unit: '1', values: atPoints(mesh, linear) }
  const measured = (text: string) => measureExpression(text, evaluatorFor(testCase(mesh, { f }), {}).data, ['Water']).value
  // f of the middle of cells, and of points
  const own = '3 + 2 * X - Y + 4 * Z'
  const at = (place: (axis: string) => string): string => own.replace(/[XYZ]/g, (axis) => `${place(axis.toLowerCase())} / 1 'm'`)

  it('linear fields are themselves in the middle of cells, and smoothed at the points inside', () => {
    expect(measured(`max(abs(cells(f) - (${at((axis) => `cells(pos.${axis})`)})))`)).toBeCloseTo(0, 10)
    const depth = ['x', 'y', 'z'].map((axis) => `min(pos.${axis}, 1 'm' - pos.${axis})`).reduce((a, b) => `min(${a}, ${b})`)
    const inside = `if(${depth} > 0.01 'm', 1, 0)`
    expect(measured('integral(cells(f))')).toBeCloseTo(measured('integral(f)'), 12)
    expect(measured(`max(abs(smooth(f) - (${at((axis) => `pos.${axis}`)})) * ${inside})`)).toBeCloseTo(0, 7)
  })
})

describe('steps on values of cells', () => {
  const mesh = boxMesh({ n: 6 })
  const { means } = partWithMeans(mesh, [() => 2, () => 0, () => 0])
  const { means: heat } = partWithMeans(mesh, [(_, __, z) => 10 * z])
  const data = testCase(mesh, {
    U: { components: 3, place: 'cell', unit: 'm/s', values: means },
    T: { components: 1, place: 'cell', unit: 'K', values: heat },
  })
  const water = [{ part: 'Water' }]
  const steps = {
    l: { kind: 'line', inputs: {}, settings: { start: [0.1, 0.4, 0.5], end: [0.1, 0.6, 0.5] } },
    t: {
      kind: 'trace',
      inputs: { of: water, seeds: [{ step: 'l' }] },
      settings: { variable: 'U', count: 3, direction: 'downstream', length: 5, tolerance: 1e-6 },
    },
    i: { kind: 'isosurface', inputs: { of: water }, settings: { variable: 'T', value: 5 } },
  }
  const evaluator = evaluatorFor(data, steps)

  it('streamlines go through them smoothed, and say so', () => {
    const { points, paths, notes } = evaluator.shape('t')
    expect(paths!.length - 1).toBe(3)
    for (let k = 0; k < 3; k++) {
      const [first, last] = [paths![k]!, paths![k + 1]! - 1]
      expect(points[3 * last]).toBeCloseTo(1, 4)
      for (let p = first; p <= last; p++)
        expect([points[3 * p + 1], points[3 * p + 2]].map((x) => Number(x!.toFixed(9)))).toEqual([
          Number(points[3 * first + 1]!.toFixed(9)),
          0.5,
        ])
    }
    expect(notes).toContain('U lives on cells; it was smoothed to points, with the values of the boundary where it has some')
  })

  it('isosurfaces as well', () => {
    const { points, cells, notes } = evaluator.shape('i')
    expect(cells.length).toBeGreaterThan(6 * 6)
    // inside the field is linear: the surface lies where it should
    for (let p = 0; p < points.length; p += 3)
      if ([points[p]!, points[p + 1]!].every((w) => w > 0.2 && w < 0.8)) expect(points[p + 2]).toBeCloseTo(0.5, 6)
    expect(notes).toContain('T lives on cells; it was smoothed to points, with the values of the boundary where it has some')
  })

  it('smooth is a word of formulas', () => {
    const values = evaluator.blockValues('smooth(T)', data.part('Water'), 0)
    expect([values.place, values.components]).toEqual(['point', 1])
    expect(evaluator.blockValues('grad(smooth(T))', data.part('Water'), 0).place).toBe('cell')
    expect(() => evaluator.values('smooth(dot(U, normal))', evaluator.partShape('Water', true))).toThrow(
      'smooth is taken in the cells of a region',
    )
  })
})

describe('symmetric matrices', () => {
  const product = (a: ArrayLike<number>, b: ArrayLike<number>): number[][] => {
    const full = (m: ArrayLike<number>): number[][] => [
      [m[0]!, m[3]!, m[5]!],
      [m[3]!, m[1]!, m[4]!],
      [m[5]!, m[4]!, m[2]!],
    ]
    const [x, y] = [full(a), full(b)]
    return [0, 1, 2].map((i) => [0, 1, 2].map((j) => [0, 1, 2].reduce((sum, k) => sum + x[i]![k]! * y[k]![j]!, 0)))
  }

  it.each([
    ['well conditioned', [3, 2, 4, 0.5, -0.25, 1]],
    ['nearly flat', [1, 1, 1e-6, 0.2, 0, 0]],
  ])('%s: the inverse is one', (_, matrix) => {
    const inverse = new Float64Array(6)
    inverseOfSymmetric(Float64Array.from(matrix), inverse)
    product(matrix, inverse).forEach((row, i) => row.forEach((x, j) => expect(x).toBeCloseTo(Number(i === j), 9)))
  })

  it('without rank: A A⁺ A = A', () => {
    const matrix = [1, 4, 9, 2, 6, 3]
    const inverse = new Float64Array(6)
    inverseOfSymmetric(Float64Array.from(matrix), inverse)
    const projector = product(matrix, inverse)
    const again = projector.map((row) => [0, 1, 2].map((j) => row[0]! * [1, 2, 3][j]! + row[1]! * [2, 4, 6][j]! + row[2]! * [3, 6, 9][j]!))
    ;[
      [1, 2, 3],
      [2, 4, 6],
      [3, 6, 9],
    ].forEach((row, i) => row.forEach((x, j) => expect(again[i]![j]).toBeCloseTo(x, 9)))
    inverseOfSymmetric(new Float64Array(6), inverse)
    expect([...inverse]).toEqual([0, 0, 0, 0, 0, 0])
  })

  it('eigenvalues of a known one', () => {
    expect([...principalOf(2, 2, 5, 1, 0, 0).slice(0, 3)].sort((a, b) => a - b).map((x) => Number(x.toFixed(12)))).toEqual([1, 3, 5])
  })
})
