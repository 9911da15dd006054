/** What the browser gets: shapes and values as float32, probes and ranges, against the values that they come from. */
import { describe, expect, it } from 'vitest'
import { shapePicture, valuesPicture } from '../../../core/evaluate/pictures'
import { probe } from '../../../core/evaluate/probe'
import type { ProbeResult } from '../../../core/evaluate/probe'
import { variableRange } from '../../../core/evaluate/range'
import { parseFormula } from '../../../core/fields/formula/parse'
import { NO_CELL } from '../../../core/shapes/Shape'
import type { Piece, Shape } from '../../../core/shapes/Shape'
import { evaluatorFor } from '../../support/evaluation'
import type { Evaluation } from '../../support/evaluation'
import { water } from '../../support/keptBox'
import type { Steps } from '../../support/keptBox'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import type { BoxKind } from '../../support/meshes'

const linear = (x: number, y: number, z: number): number => 1 + 2 * x - y + 3 * z
const slice: Steps = { slice: { kind: 'slice', inputs: water, settings: { origin: [0.5, 0.5, 0.43], normal: [0, 0, 1] } } }

function evaluated(kind: BoxKind = 'hexahedron', steps: Steps = slice, formulas: Record<string, string> = {}): Evaluation {
  const mesh = boxMesh({ n: 11, kind, skew: 0.2 })
  const fields = {
    f: { values: atPoints(mesh, linear), components: 1, unit: 'K' },
    U: { values: atPoints(mesh, (x, y, z) => [x, 2 * y, -z]), components: 3, unit: 'm/s' },
    number: { values: Float64Array.from(mesh.types, (_, c) => c), components: 1, place: 'cell' as const, unit: '1' },
    gaps: { values: atPoints(mesh, (x) => (x > 0.5 ? NaN : x)), components: 1, unit: '1' },
    warm: { values: atPoints(mesh, (x) => 100_000 + x), components: 1, unit: 'Pa' },
  }
  return evaluatorFor(testCase(mesh, fields), steps, formulas)
}

/** A triangle of one block; its points lie beside the origin. */
function triangle(part: string, block: number, shift: number): Piece {
  return {
    points: Float64Array.of(shift, 0, 0, shift + 1, 0, 0, shift, 1, 0),
    elements: Uint32Array.of(0, 1, 2),
    cells: Uint32Array.of(7),
    weightStarts: Uint32Array.of(0, 0, 0, 0),
    sources: new Uint32Array(0),
    weights: new Float64Array(0),
    ranges: [{ part, block, pointStart: 0, pointEnd: 3, elementStart: 0, elementEnd: 1 }],
  }
}

describe('a shape for the browser', () => {
  it('has coordinates about the middle of its box, so that float32 keeps small parts far from the origin', () => {
    const far = 1e7
    const shape: Shape = { kind: 'surface', pieces: [triangle('A', 0, far), triangle('A', 1, far + 4)], direction: 'up' }
    const { meta, arrays } = shapePicture(shape)
    expect(meta.box).toEqual([far, 0, 0, far + 5, 1, 0])
    const points = arrays['points'] as Float32Array
    const back = Array.from(points, (c, i) => c + meta.origin[i % 3]!)
    expect(back).toEqual([...shape.pieces[0]!.points, ...shape.pieces[1]!.points])
    // points of the second piece count on from those of the first
    expect([...(arrays['elements'] as Uint32Array)]).toEqual([0, 1, 2, 3, 4, 5])
    expect([meta.nElements, meta.parts, meta.direction]).toEqual([2, ['A'], 'up'])
  })

  it('tells cells apart by part and block, where their numbers are equal', () => {
    const pieces = [triangle('A', 0, 0), triangle('A', 1, 0), triangle('B', 0, 0), triangle('A', 0, 0)]
    const keys = [...(shapePicture({ kind: 'surface', pieces }).arrays['cells'] as Uint32Array)]
    expect(new Set(keys).size).toBe(3)
    expect(keys[3]).toBe(keys[0])
  })

  it('that is empty has no box, and lines and points have no cells', () => {
    expect(shapePicture({ kind: 'surface', pieces: [] }).meta).toMatchObject({ box: null, origin: [0, 0, 0], nElements: 0, parts: [] })
    const lines: Piece = { ...triangle('A', 0, 0), elements: Uint32Array.of(0, 1), cells: Uint32Array.of(NO_CELL) }
    expect(shapePicture({ kind: 'lines', pieces: [lines] }).arrays).not.toHaveProperty('cells')
  })
})

describe('values for the browser', () => {
  const picture = (text: string, isWhole = false, kind: BoxKind = 'mixed') => {
    const evaluation = evaluated(kind)
    const shape = evaluation.shape('slice')
    const own = evaluation.data.values(parseFormula(text), shape)
    return { shape, ...valuesPicture(shape, own, isWhole) }
  }

  it.each(boxKinds)('are those of the places, with their ends (%s)', (kind) => {
    const { meta, arrays, shape } = picture('f', false, kind)
    const values = arrays['values'] as Float32Array
    expect([meta.unit, meta.place, meta.components, meta.nonFinite]).toEqual(['K', 'point', 1, 0])
    values.forEach((value, p) => {
      const [x, y, z] = shape.points.subarray(3 * p, 3 * p + 3) as unknown as [number, number, number]
      expect(value + meta.reference).toBeCloseTo(linear(x, y, z), 6)
    })
    expect(meta.range[0]).toBeCloseTo(linear(0, 1, 0.43), 10)
    expect(meta.range[1]).toBeCloseTo(linear(1, 0, 0.43), 10)
    expect(meta.middle[0]!).toBeGreaterThan(meta.range[0]!)
    expect(meta.middle[1]!).toBeLessThan(meta.range[1]!)
  })

  it('are sent for pieces that lie in no block of the case too', () => {
    const piece = { place: 'point' as const, components: 1, values: Float64Array.of(0, 1, 2) }
    const ages = { name: 'age', unit: 's', components: 1, pieces: [piece] }
    const { arrays } = valuesPicture({ kind: 'lines', pieces: [{ ...triangle('A', 0, 0), ranges: [] }] }, ages, false)
    expect([...(arrays['values'] as Float32Array)]).toEqual([0, 1, 2])
  })

  it('that are large against their spread are sent less their middle, and keep their digits', () => {
    const { meta, arrays, shape } = picture('warm')
    expect(meta.reference).toBeCloseTo(100_000.5, 6)
    const off = [...(arrays['values'] as Float32Array)].map((value, p) => value + meta.reference - 100_000 - shape.points[3 * p]!)
    expect(Math.max(...off.map(Math.abs))).toBeLessThan(1e-6)
  })

  it('of vectors are their sizes, unless they are asked for as such', () => {
    const sizes = picture('U')
    const { x, y, z } = { x: sizes.shape.points[0]!, y: sizes.shape.points[1]!, z: sizes.shape.points[2]! }
    expect((sizes.arrays['values'] as Float32Array)[0]! + sizes.meta.reference).toBeCloseTo(Math.hypot(x, 2 * y, z), 6)
    const whole = picture('U', true)
    expect(whole.meta.components).toBe(3)
    expect([...(whole.arrays['values'] as Float32Array).subarray(0, 3)]).toEqual([x, 2 * y, -z].map(Math.fround))
    // the range is that of the sizes in both
    expect(whole.meta.range).toEqual(sizes.meta.range)
  })

  it('that are not finite are counted and are in no range; where none is, there is no range', () => {
    const { meta, arrays } = picture('gaps')
    const lost = [...(arrays['values'] as Float32Array)].filter(Number.isNaN).length
    expect(meta.nonFinite).toBe(lost)
    expect(lost).toBeGreaterThan(10)
    expect(meta.range[1]).toBeLessThanOrEqual(0.5)
    expect(picture('f / 0').meta).toMatchObject({ range: [null, null], reference: 0 })
  })
})

describe('a probe', () => {
  const formulas = { twice: '2 * f', spin: 'curl(U).z', wrong: 'f + U' }
  const rowOf = ({ rows }: ProbeResult, name: string) => rows.find((row) => row.name === name)

  it.each(boxKinds)('finds the cell and what is linear exactly (%s)', (kind) => {
    const { data } = evaluated(kind, slice, formulas)
    for (const at of [
      [0.31, 0.47, 0.62],
      [0.5, 0.5, 0.5],
      [1, 1, 1],
      [0, 0.2, 0.9],
    ] as [number, number, number][]) {
      const found = probe(data, at, ['Water'])
      expect(found.part).toBe('Water')
      expect(rowOf(found, 'f')).toMatchObject({ unit: 'K', values: [expect.closeTo(linear(...at), 10)] })
      expect(rowOf(found, 'U')!.values).toEqual([at[0], 2 * at[1], -at[2]].map((x) => expect.closeTo(x, 10)))
      expect(rowOf(found, 'twice')!.values[0]).toBeCloseTo(2 * linear(...at), 9)
      expect(rowOf(found, 'spin')!.values[0]).toBeCloseTo(0, 9)
      // cells are numbered by their field
      expect(rowOf(found, 'number')!.values).toEqual([found.cell])
      // a formula without a meaning has no row
      expect(rowOf(found, 'wrong')).toBeUndefined()
    }
  })

  it('outside is nowhere, and looks into regions only', () => {
    const { data } = evaluated()
    expect(probe(data, [1.2, 0.5, 0.5], ['Water'])).toEqual({ part: null, cell: null, rows: [] })
    expect(probe(data, [0.5, 0.5, 0.5], [])).toEqual({ part: null, cell: null, rows: [] })
  })
})

describe('the range of a variable', () => {
  const range = (text: string) => variableRange(evaluated('tetra').data, parseFormula(text), ['Water'])

  it('is that of all its values: at points, in cells, of formulas, of vectors by their size', () => {
    expect(range('f')).toEqual({ min: 0, max: 6 })
    expect(range('number')).toEqual({ min: 0, max: 6 * 11 ** 3 - 1 })
    expect(range('2 * f')).toEqual({ min: 0, max: 12 })
    expect(range('U').max).toBeCloseTo(Math.sqrt(6), 12)
  })

  it('leaves out what is not finite; where nothing is, there is none', () => {
    expect(range('gaps').max).toBeLessThanOrEqual(0.5)
    expect(range('f / 0')).toEqual({ min: null, max: null })
  })
})
