import { describe, expect, it } from 'vitest'
import { elementNormals, integrateShape } from '../../../core/measure/integrateShape'
import { cutShape } from '../../../core/steps/kernels/cutShape'
import { facesOfBlock, planeMeetsBox, skinOfBlock, wiresOfBlock } from '../../../core/steps/kernels/blockShapes'
import { elementSize, emptyShape, joinShapes, mapValues, valueIndex } from '../../../core/steps/Shape'
import type { Shape } from '../../../core/steps/Shape'
import { axisName, cross, direction } from '../../../core/steps/vectors'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { boxKinds, boxMesh } from '../../support/meshes'

/** A square of two triangles at height z, its points those of block `block`. */
function square(z: number, block: number): Shape {
  return {
    kind: 'surface',
    points: Float64Array.of(0, 0, z, 1, 0, z, 1, 1, z, 0, 1, z),
    elements: Uint32Array.of(0, 1, 2, 0, 2, 3),
    cells: Uint32Array.of(0, 1),
    weightStarts: Uint32Array.of(0, 1, 3, 4, 5),
    sources: Uint32Array.of(0, 1, 2, 3, 4),
    weights: Float64Array.of(1, 0.25, 0.75, 1, 1),
    ranges: [{ part: 'Water', block, pointStart: 0, pointEnd: 4, elementStart: 0, elementEnd: 2 }],
  }
}

describe('shapes', () => {
  it('are joined with all that belongs to them', () => {
    const both = joinShapes('surface', [square(0, 0), square(1, 1)])
    expect([...both.elements]).toEqual([0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7])
    expect([...both.weightStarts]).toEqual([0, 1, 3, 4, 5, 6, 8, 9, 10])
    expect(both.ranges[1]).toEqual({ part: 'Water', block: 1, pointStart: 4, pointEnd: 8, elementStart: 2, elementEnd: 4 })
    expect(joinShapes('lines', []).cells).toHaveLength(0)
    expect(['surface', 'lines', 'points'].map((kind) => elementSize(kind as Shape['kind']))).toEqual([3, 2, 1])
  })

  it('take values by weights, cell values by cell, each block once', () => {
    const both = joinShapes('surface', [square(0, 0), square(1, 1), square(2, 0)])
    const asked: number[] = []
    const points = mapValues(both, (_, block) => {
      asked.push(block)
      return { values: Float64Array.of(0, 1, 2, 3, 4).map((x) => x + 10 * block), components: 1, place: 'point' }
    })
    expect([...points.values]).toEqual([0, 1.75, 3, 4, 10, 11.75, 13, 14, 0, 1.75, 3, 4])
    expect(asked).toEqual([0, 1])
    const cells = mapValues(both, () => ({ values: Float64Array.of(5, 6, 7, 8), components: 2, place: 'cell' }))
    expect(cells.place).toBe('element')
    expect([...cells.values.subarray(0, 4)]).toEqual([5, 6, 7, 8])
    expect(mapValues(emptyShape('surface'), () => ({ values: new Float64Array(0), components: 3, place: 'point' })).values).toHaveLength(0)
  })

  it('know where the value of a corner stands', () => {
    const shape = square(0, 0)
    expect(valueIndex(shape, 'point', 1, 2)).toBe(3)
    expect(valueIndex(shape, 'element', 1, 2)).toBe(1)
    expect(valueIndex(shape, 'corner', 1, 2)).toBe(5)
  })

  it('points without weights have no value', () => {
    const shape = { ...square(0, 0), weightStarts: Uint32Array.of(0, 0, 2, 3, 4), sources: Uint32Array.of(1, 2, 3, 4), weights: Float64Array.of(0.25, 0.75, 1, 1) }
    const { values } = mapValues(shape, () => ({ values: Float64Array.of(0, 1, 2, 3, 4), components: 1, place: 'point' }))
    expect(values[0]).toBeNaN()
    // and the triangles there are left out of sums, which is counted
    const totals = integrateShape(shape, { values, components: 1, place: 'point' })
    expect([totals.nonFinite, totals.measure, totals.skipped]).toEqual([2, 0, 1])
  })
})

describe('surfaces cut to lines', () => {
  const shape = joinShapes('surface', [square(0, 0)])
  const lengthOf = (lines: Shape): number => integrateShape(lines, { values: new Float64Array(lines.cells.length).fill(1), components: 1, place: 'element' }).measure
  const level = (f: (x: number, y: number) => number): Float64Array => Float64Array.from({ length: 4 }, (_, p) => f(shape.points[3 * p]!, shape.points[3 * p + 1]!))

  it.each<[string, (x: number, y: number) => number, number]>([
    ['across', (x) => x - 0.3, 1],
    ['slanting', (x, y) => x + y - 1.5, Math.SQRT1_2],
    ['beside it', (x) => x - 2, 0],
    ['touching a corner', (x, y) => x + y - 2, 0],
    ['along an edge, from above', (x) => x, 0],
  ])('%s', (_, f, length) => {
    const lines = cutShape(shape, level(f))
    expect(lines.kind).toBe('lines')
    expect(lengthOf(lines)).toBeCloseTo(length, 12)
    for (let p = 0; p < lines.points.length; p += 3) expect(f(lines.points[p]!, lines.points[p + 1]!)).toBeCloseTo(0, 12)
  })

  it('keep weights over points of the case, composed', () => {
    const lines = cutShape(shape, level((x) => x - 0.5))
    for (let p = 0; p + 1 < lines.weightStarts.length; p++) {
      let sum = 0
      for (let w = lines.weightStarts[p]!; w < lines.weightStarts[p + 1]!; w++) sum += lines.weights[w]!
      expect(sum).toBeCloseTo(1, 12)
    }
  })

  it('not-a-number leaves a triangle out', () => {
    const values = level((x) => x - 0.5)
    values[1] = NaN
    expect(lengthOf(cutShape(shape, values))).toBeCloseTo(0.5, 12)
  })
})

describe('parts as shapes', () => {
  it.each(boxKinds)('the skin of %s cells closes and turns outwards', (kind) => {
    const part = new MemoryPart('Water', 3, boxMesh({ n: 4, kind, size: [2, 1, 1] }), 1024)
    const skin = joinShapes('surface', Array.from({ length: part.nBlocks }, (_, k) => skinOfBlock(part.block(k), 'Water', k)))
    const normals = elementNormals(skin)
    const around = [0, 0, 0]
    let volume = 0
    for (let e = 0; e < skin.cells.length; e++) {
      const corners = [0, 1, 2].map((i) => 3 * skin.elements[3 * e + i]!)
      const at = (i: number, d: number): number => skin.points[corners[i]! + d]!
      const u = [0, 1, 2].map((d) => at(1, d) - at(0, d)) as [number, number, number]
      const v = [0, 1, 2].map((d) => at(2, d) - at(0, d)) as [number, number, number]
      const area = cross(u, v).map((x) => x / 2)
      area.forEach((x, d) => (around[d]! += x))
      volume += [0, 1, 2].reduce((sum, d) => sum + (area[d]! * at(0, d)) / 3, 0)
      expect(Math.hypot(normals[3 * e]!, normals[3 * e + 1]!, normals[3 * e + 2]!)).toBeCloseTo(1, 12)
    }
    around.forEach((x) => expect(x).toBeCloseTo(0, 12))
    expect(volume).toBeCloseTo(2, 12)
  })

  it('polygons are fanned, lines and points kept', () => {
    const points = Float64Array.from([0, 0, 0, 2, 0, 0, 3, 1, 0, 2, 2, 0, 0, 2, 0])
    const source = (types: number[], offsets: number[], nodes: number[]) => normaliseCells({ points, types: Uint8Array.from(types), offsets: Uint32Array.from(offsets), connectivity: Uint32Array.from(nodes) }, 'test')
    const faces = facesOfBlock(new MemoryPart('p', 2, source([7], [0, 5], [0, 1, 2, 3, 4])).block(0), 'p', 0)
    expect(faces.cells).toHaveLength(3)
    expect(integrateShape(faces, { values: new Float64Array(3).fill(1), components: 1, place: 'element' }).measure).toBeCloseTo(5, 12)
    const lines = wiresOfBlock(new MemoryPart('l', 1, source([3, 3], [0, 2, 4], [0, 1, 1, 2])).block(0), 'l', 0)
    expect([lines.kind, lines.cells.length, lines.points.length]).toEqual(['lines', 2, 9])
    const dots = wiresOfBlock(new MemoryPart('d', 0, source([1], [0, 1], [4])).block(0), 'd', 0)
    expect([dots.kind, [...dots.points]]).toEqual(['points', [0, 2, 0]])
  })
})

describe('planes and boxes', () => {
  it.each<[readonly number[], number, boolean]>([
    [[1, 0, 0], 0.5, true],
    [[1, 0, 0], 1, true],
    [[1, 0, 0], 1.0001, false],
    [[-1, 0, 0], -0.5, true],
    [[0.6, 0.8, 0], 1.4, true],
    [[0.6, 0.8, 0], 1.41, false],
    [[0, 0, 1], -0.001, false],
  ])('normal %o at %d', (normal, offset, meets) => expect(planeMeetsBox([0, 1, 0, 1, 0, 1], 0, normal, offset)).toBe(meets))

  it('directions have names along the axes, and a zero one a default', () => {
    expect([axisName([0, 0, 5]), axisName([-2, 0, 0]), axisName([1, 1, 0])]).toEqual(['z', '-x', null])
    expect(direction([0, 0, 0])).toEqual([0, 0, 1])
    expect(direction([0, 3, 4])).toEqual([0, 0.6, 0.8])
    expect(cross([1, 0, 0], [0, 1, 0])).toEqual([0, 0, 1])
  })
})
