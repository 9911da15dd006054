import { describe, expect, it } from 'vitest'
import { integrateShape, sizeOfShape } from '../../../core/measure/integrateShape'
import { elementNormals } from '../../../core/shapes/normals'
import { cutPiece } from '../../../core/shapes/cutShape'
import { facesOfBlock, planeMeetsBox, skinOfBlock, wiresOfBlock } from '../../../core/shapes/blockShapes'
import { elementSize, joinPieces, mapPiece, NO_CELL, valueIndex } from '../../../core/shapes/Shape'
import type { Piece, PieceValues, ShapeKind } from '../../../core/shapes/Shape'
import type { FieldValues } from '../../../core/mesh/MeshBlock'
import { axisName, cross, direction } from '../../../core/mesh/vectors'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { boxKinds, boxMesh } from '../../support/meshes'

/** A square of two triangles at height z, its points those of block `block`. */
function square(z: number, block: number): Piece {
  return {
    points: Float64Array.of(0, 0, z, 1, 0, z, 1, 1, z, 0, 1, z),
    elements: Uint32Array.of(0, 1, 2, 0, 2, 3),
    cells: Uint32Array.of(0, 1),
    weightStarts: Uint32Array.of(0, 1, 3, 4, 5),
    sources: Uint32Array.of(0, 1, 2, 3, 4),
    weights: Float64Array.of(1, 0.25, 0.75, 1, 1),
    ranges: [{ part: 'Water', block, pointStart: 0, pointEnd: 4, elementStart: 0, elementEnd: 2 }],
  }
}

const mapValues = (piece: Piece, valuesOf: (part: string, block: number) => FieldValues): PieceValues =>
  mapPiece(piece, (part, block, use) => use(valuesOf(part, block)))
const measureOf = (kind: ShapeKind, piece: Piece): number => sizeOfShape({ kind, pieces: [piece] }).measure

describe('shapes', () => {
  it('are joined with all that belongs to them', () => {
    const both = joinPieces([square(0, 0), square(1, 1)])
    expect([...both.elements]).toEqual([0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7])
    expect([...both.weightStarts]).toEqual([0, 1, 3, 4, 5, 6, 8, 9, 10])
    expect(both.ranges[1]).toEqual({ part: 'Water', block: 1, pointStart: 4, pointEnd: 8, elementStart: 2, elementEnd: 4 })
    expect(joinPieces([]).cells).toHaveLength(0)
    expect(['surface', 'lines', 'points'].map((kind) => elementSize(kind as ShapeKind))).toEqual([3, 2, 1])
  })

  it('take values by weights, cell values by cell, each block once', () => {
    const both = joinPieces([square(0, 0), square(1, 1), square(2, 0)])
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
    expect(mapValues(joinPieces([]), () => ({ values: new Float64Array(0), components: 3, place: 'point' })).values).toHaveLength(0)
  })

  it('know where the value of a corner stands', () => {
    const shape = square(0, 0)
    expect(valueIndex('surface', shape, 'point', 1, 2)).toBe(3)
    expect(valueIndex('surface', shape, 'element', 1, 2)).toBe(1)
    expect(valueIndex('surface', shape, 'corner', 1, 2)).toBe(5)
  })

  it('points without weights have no value', () => {
    const shape = {
      ...square(0, 0),
      weightStarts: Uint32Array.of(0, 0, 2, 3, 4),
      sources: Uint32Array.of(1, 2, 3, 4),
      weights: Float64Array.of(0.25, 0.75, 1, 1),
    }
    const { values } = mapValues(shape, () => ({ values: Float64Array.of(0, 1, 2, 3, 4), components: 1, place: 'point' }))
    expect(values[0]).toBeNaN()
    // and the triangles there are left out of sums, which is counted
    const totals = integrateShape(
      { kind: 'surface', pieces: [shape] },
      { components: 1, pieces: [{ values, components: 1, place: 'point' }] },
    )
    expect([totals.nonFinite, totals.measure, totals.skipped]).toEqual([2, 0, 1])
  })
})

describe('fields that live on points in one part and on cells in another', () => {
  /** Two segments: the first in Water, the second in Arm. */
  const line: Piece = {
    points: Float64Array.of(0, 0, 0, 1, 0, 0, 2, 0, 0),
    elements: Uint32Array.of(0, 1, 1, 2),
    cells: Uint32Array.of(0, 3),
    weightStarts: Uint32Array.of(0, 1, 2, 3),
    sources: Uint32Array.of(0, 1, 2),
    weights: Float64Array.of(1, 1, 1),
    ranges: [
      { part: 'Water', block: 0, pointStart: 0, pointEnd: 2, elementStart: 0, elementEnd: 1 },
      { part: 'Arm', block: 0, pointStart: 2, pointEnd: 3, elementStart: 1, elementEnd: 2 },
    ],
    pointCells: Uint32Array.of(0, 0, 3),
  }
  const onPoints: FieldValues = { values: Float64Array.of(10, 11, 12), components: 1, place: 'point' }
  const onCells: FieldValues = { values: Float64Array.of(20, 21, 22, 23), components: 1, place: 'cell' }

  it.each<[string, string, number[]]>([
    ['points first', 'Water', [10, 11, 23]],
    ['cells first', 'Arm', [20, 20, 12]],
  ])('have the values of their own part along a line through both: %s', (_, pointed, values) => {
    const found = mapValues(line, (part) => (part === pointed ? onPoints : onCells))
    expect([found.place, [...found.values].slice(1)]).toEqual(['point', values.slice(1)])
  })

  it('and what lies in no cell has none', () => {
    const outside = { ...line, cells: Uint32Array.of(NO_CELL, 3) }
    expect([...mapValues(outside, () => onCells).values]).toEqual([NaN, 23])
  })
})

describe('surfaces cut to lines', () => {
  const shape = joinPieces([square(0, 0)])
  const lengthOf = (lines: Piece | undefined): number => (lines ? measureOf('lines', lines) : 0)
  const level = (f: (x: number, y: number) => number): Float64Array =>
    Float64Array.from({ length: 4 }, (_, p) => f(shape.points[3 * p]!, shape.points[3 * p + 1]!))

  it.each<[string, (x: number, y: number) => number, number]>([
    ['across', (x) => x - 0.3, 1],
    ['slanting', (x, y) => x + y - 1.5, Math.SQRT1_2],
    ['beside it', (x) => x - 2, 0],
    ['touching a corner', (x, y) => x + y - 2, 0],
    ['along an edge, from above', (x) => x, 0],
  ])('%s', (_, f, length) => {
    const lines = cutPiece(shape, level(f))
    expect(lengthOf(lines)).toBeCloseTo(length, 12)
    const points = lines?.points ?? []
    for (let p = 0; p < points.length; p += 3) expect(f(points[p]!, points[p + 1]!)).toBeCloseTo(0, 12)
  })

  it('keep weights over points of the case, composed', () => {
    const lines = cutPiece(
      shape,
      level((x) => x - 0.5),
    )!
    for (let p = 0; p + 1 < lines.weightStarts.length; p++) {
      let sum = 0
      for (let w = lines.weightStarts[p]!; w < lines.weightStarts[p + 1]!; w++) sum += lines.weights[w]!
      expect(sum).toBeCloseTo(1, 12)
    }
  })

  it('not-a-number leaves a triangle out', () => {
    const values = level((x) => x - 0.5)
    values[1] = NaN
    expect(lengthOf(cutPiece(shape, values))).toBeCloseTo(0.5, 12)
  })
})

describe('parts as shapes', () => {
  it.each(boxKinds)('the skin of %s cells closes and turns outwards', (kind) => {
    const part = new MemoryPart('Water', 3, boxMesh({ n: 4, kind, size: [2, 1, 1] }), 1024)
    const skin = joinPieces(Array.from({ length: part.nBlocks }, (_, k) => skinOfBlock(part.block(k), 'Water', k)))
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
    const source = (types: number[], offsets: number[], nodes: number[]) =>
      normaliseCells(
        { points, types: Uint8Array.from(types), offsets: Uint32Array.from(offsets), connectivity: Uint32Array.from(nodes) },
        'test',
      )
    const faces = facesOfBlock(new MemoryPart('p', 2, source([7], [0, 5], [0, 1, 2, 3, 4])).block(0), 'p', 0)
    expect(faces.cells).toHaveLength(3)
    expect(measureOf('surface', faces)).toBeCloseTo(5, 12)
    const lines = wiresOfBlock(new MemoryPart('l', 1, source([3, 3], [0, 2, 4], [0, 1, 1, 2])).block(0), 'l', 0)
    expect([lines.cells.length, lines.points.length]).toEqual([2, 9])
    const dots = wiresOfBlock(new MemoryPart('d', 0, source([1], [0, 1], [4])).block(0), 'd', 0)
    expect([...dots.points]).toEqual([0, 2, 0])
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
