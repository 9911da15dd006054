import { describe, expect, it } from 'vitest'
import { integrateShape, sizeOfShape } from '../../../core/measure/integrateShape'
import { elementNormals } from '../../../core/shapes/normals'
import type { Shape } from '../../../core/shapes/Shape'
import type { Plan } from '../../../core/evaluate/plan'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import { evaluatorFor, pieceOf } from '../../support/evaluation'
import type { WholeShape } from '../../support/evaluation'
import type { BoxKind } from '../../support/meshes'

const linear = (x: number, y: number, z: number): number => 3 + 2 * x - y + 0.5 * z
const bowl = (x: number, y: number, z: number): number => Math.hypot(x - 0.5, y - 0.5, z - 0.5)

function boxEvaluator(kind: BoxKind, n = 6, blockCells = 1024) {
  const mesh = boxMesh({ n, kind })
  return evaluatorFor(
    testCase(
      mesh,
      {
        f: { values: atPoints(mesh, linear), components: 1, unit: 'K' },
        r: { values: atPoints(mesh, bowl), components: 1, unit: 'm' },
        U: { values: atPoints(mesh, (x, y, z) => [x + 2 * y, y - z, 3 * z + x]), components: 3 },
        c: { values: Float64Array.from(mesh.types, (_, i) => i), components: 1, place: 'cell', unit: 's' },
      },
      blockCells,
    ),
    steps,
    { speed: 'mag(U)', twice: '2 * f' },
  )
}

const steps: Plan['steps'] = {
  flat: { kind: 'slice', inputs: { of: [{ part: 'Water' }] }, settings: { origin: [0, 0, 0.41], normal: [0, 0, 1] } },
  onLattice: { kind: 'slice', inputs: { of: [{ part: 'Water' }] }, settings: { origin: [0, 0, 0.5], normal: [0, 0, 2] } },
  tilted: { kind: 'slice', inputs: { of: [{ part: 'Water' }] }, settings: { origin: [0.5, 0.5, 0.5], normal: [1, 0.7, 0.4] } },
  outside: { kind: 'slice', inputs: { of: [{ part: 'Water' }] }, settings: { origin: [0, 0, 7], normal: [0, 0, 1] } },
  level: { kind: 'isosurface', inputs: { of: [{ part: 'Water' }] }, settings: { variable: 'f', value: 3.9 } },
  ball: { kind: 'isosurface', inputs: { of: [{ part: 'Water' }] }, settings: { variable: 'r', value: 0.35 } },
  fast: { kind: 'isosurface', inputs: { of: [{ part: 'Water' }] }, settings: { variable: 'speed', value: 2 } },
  ring: { kind: 'slice', inputs: { of: [{ step: 'fast' }] }, settings: { origin: [0.5, 0.5, 0.52], normal: [0, 0, 1] } },
  rim: { kind: 'slice', inputs: { of: [{ outer: 'Water' }] }, settings: { origin: [0, 0, 0.41], normal: [0, 0, 1] } },
  isolines: { kind: 'isosurface', inputs: { of: [{ step: 'flat' }] }, settings: { variable: 'f', value: 3.9 } },
}

const area = (shape: Shape): number => sizeOfShape(shape).measure

/** Edges used once, points at the same place counted as one. */
function openEdges(shape: WholeShape): number {
  const id = (p: number): string => shape.points.slice(3 * p, 3 * p + 3).join()
  const counts = new Map<string, number>()
  for (let t = 0; t < shape.elements.length; t += 3) {
    for (let i = 0; i < 3; i++) {
      const [a, b] = [id(shape.elements[t + i]!), id(shape.elements[t + ((i + 1) % 3)]!)].sort()
      if (a === b) continue
      counts.set(`${a} ${b}`, (counts.get(`${a} ${b}`) ?? 0) + 1)
    }
  }
  return [...counts.values()].filter((n) => n % 2).length
}

describe.each(boxKinds)('cutting %s cells', (kind) => {
  const evaluator = boxEvaluator(kind)

  it('slices have the exact area, also on the planes of the lattice and tilted', () => {
    expect(area(evaluator.shape('flat'))).toBeCloseTo(1, 10)
    expect(area(evaluator.shape('onLattice'))).toBeCloseTo(1, 10)
    // the box cut by a plane through its centre whose normal leans most to x meets the four faces across y and z
    expect(area(evaluator.shape('tilted'))).toBeCloseTo(tiltedArea(), 10)
    expect(evaluator.shape('outside').cells.length).toBe(0)
  })

  it('maps linear fields exactly and in their units', () => {
    const shape = evaluator.shape('tilted')
    const { values, unit } = evaluator.values('f', shape)
    for (let i = 0; i < values.length; i++)
      expect(values[i]).toBeCloseTo(linear(shape.points[3 * i]!, shape.points[3 * i + 1]!, shape.points[3 * i + 2]!), 11)
    expect(unit).toBe('K')
    // exact integral of a linear field: the value at the centroid, which is the centre
    expect(integrateShape(shape, evaluator.shapeValues('f', shape)).mean[0]).toBeCloseTo(linear(0.5, 0.5, 0.5), 10)
  })

  it('triangles face along the normal, isosurfaces to larger values', () => {
    for (const [id, direction] of [
      ['flat', [0, 0, 1]],
      ['tilted', [1, 0.7, 0.4]],
      ['level', [2, -1, 0.5]],
    ] as const) {
      const shape = evaluator.shape(id)
      const normals = elementNormals(pieceOf(shape))
      for (let e = 0; e < shape.cells.length; e++) {
        const dot = direction.reduce<number>((sum, c, d) => sum + c * normals[3 * e + d]!, 0)
        expect(dot).toBeGreaterThanOrEqual(0)
      }
    }
  })

  it('a closed isosurface is watertight and its area converges', () => {
    expect(openEdges(evaluator.shape('ball'))).toBe(0)
    const exact = 4 * Math.PI * 0.35 ** 2
    const errors = [6, 12].map((n) => Math.abs(area(boxEvaluator(kind, n).shape('ball')) - exact))
    expect(errors[0]! / errors[1]!).toBeGreaterThan(2.5)
  })

  it('an isosurface of speed coloured by speed has one colour, also after a slice', () => {
    for (const id of ['fast', 'ring']) {
      const shape = evaluator.shape(id)
      const { values } = evaluator.values('speed', shape)
      expect(values.length).toBeGreaterThan(10)
      for (const v of values) expect(Math.abs(v - 2)).toBeLessThan(1e-12)
    }
  })

  it('surfaces cut to lines of the exact length', () => {
    const rim = evaluator.shape('rim')
    expect(rim.kind).toBe('lines')
    expect(area(rim)).toBeCloseTo(4, 10)
    const lines = evaluator.shape('isolines')
    // 2x - y = 3.9 - 3 - 0.205 at z = 0.41: a straight line from (0.3475, 0) to (0.8475, 1)
    expect(area(lines)).toBeCloseTo(Math.hypot(0.5, 1), 10)
  })

  it('cell values stay those of the cell', () => {
    const shape = evaluator.shape('flat')
    const { values, place } = evaluator.values('c', shape)
    expect(place).toBe('element')
    expect(values.every(Number.isInteger)).toBe(true)
  })
})

/**
 * Over the unit square in y and z the plane is x = 0.5 - 0.7 (y - 0.5) - 0.4 (z - 0.5): its area is that of the square
 * less the two corner triangles where x leaves [0, 1], times the lean of the plane.
 */
function tiltedArea(): number {
  const overhang = 0.35 + 0.2 - 0.5
  const corner = ((overhang / 0.7) * (overhang / 0.4)) / 2
  return (1 - 2 * corner) * Math.hypot(1, 0.7, 0.4)
}

it('does not depend on the division into blocks, to the last bit', () => {
  const [one, many] = [boxEvaluator('mixed', 14, 1024 * 64), boxEvaluator('mixed', 14, 1024)]
  expect(many.data.part('Water').nBlocks).toBeGreaterThan(3)
  for (const id of ['tilted', 'fast']) {
    const [a, b] = [one.shape(id), many.shape(id)]
    expect(a.cells.length).toBe(b.cells.length)
    for (const variable of ['f', 'speed', 'twice']) {
      expect(integrateShape(a, one.shapeValues(variable, a)).integral).toEqual(integrateShape(b, many.shapeValues(variable, b)).integral)
    }
  }
})

it.each([
  ['a vector', { variable: 'U', value: 3 }, /has 3 components/],
  ['an unknown name', { variable: 'nope', value: 3 }, /no field or formula “nope”/],
])('an isosurface of %s is refused with a sentence', (_, settings, message) => {
  const evaluator = boxEvaluator('tetra')
  const asked = evaluatorFor(evaluator.data.data, { i: { kind: 'isosurface', inputs: { of: [{ part: 'Water' }] }, settings } })
  expect(() => asked.shape('i')).toThrow(message)
})

it('not-a-number leaves its cells out and the rest whole', () => {
  const mesh = boxMesh({ n: 4, skew: 0 })
  const values = atPoints(mesh, (x) => x)
  values[62] = NaN
  const evaluator = evaluatorFor(testCase(mesh, { f: { values, components: 1 } }), {
    i: { kind: 'isosurface', inputs: { of: [{ part: 'Water' }] }, settings: { variable: 'f', value: 0.6 } },
  })
  const shape = evaluator.shape('i')
  // point 62 is the middle of the box: the four cells on its right of x = 0.5 are gone
  expect(area(shape)).toBeCloseTo(1 - 4 / 16, 10)
})
