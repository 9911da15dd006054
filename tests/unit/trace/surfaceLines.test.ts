import { describe, expect, it } from 'vitest'
import type { Vector } from '../../../core/mesh/vectors'
import { SurfaceTracer } from '../../../core/trace/surfaceLines'
import { evaluatorFor, pieceOf } from '../../support/evaluation'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'

/** The square from 0 to 1 in n × n pairs of triangles, bent to a slope where wished. */
function square(n: number, field: (x: number, y: number) => Vector, slope = 0) {
  const corners: number[] = []
  const vectors: number[] = []
  for (let i = 0; i < n; i++) {
    for (let j = 0; j < n; j++) {
      const at = (a: number, b: number): [number, number] => [(i + a) / n, (j + b) / n]
      for (const [x, y] of [at(0, 0), at(1, 0), at(1, 1), at(0, 0), at(1, 1), at(0, 1)]) {
        corners.push(x, y, slope * x)
        vectors.push(...field(x, y))
      }
    }
  }
  return new SurfaceTracer({ corners: Float64Array.from(corners), vectors: Float64Array.from(vectors) }, Math.SQRT2)
}

const options = { sign: 1, maxLength: 10, maxSteps: 50_000, check: () => undefined }

describe('lines along a surface', () => {
  it('of a uniform field are straight up to its border, in their own time', () => {
    const tracer = square(5, () => [2, 1, 0])
    const line = tracer.trace([0.1, 0.2, 0.3], options)
    expect(line.end).toBe('left the surface')
    const { triangle, s, t } = line.places[line.places.length - 1]!
    const [x, y] = tracer.position(triangle, s, t)
    expect(x).toBeCloseTo(1, 9)
    expect(y).toBeCloseTo(0.2 + 0.45, 9)
    expect(line.times[line.times.length - 1]).toBeCloseTo(0.45, 9)
  })

  it('leave out what points across it: on a slope less of it is left', () => {
    const tracer = square(4, () => [1, 0, 0], 1)
    const line = tracer.trace([0, 0.4, 0], options)
    const speeds = line.places.slice(1).map(({ triangle, s, t }, i) => {
      const before = line.places[i]!
      const [a, b] = [tracer.position(before.triangle, before.s, before.t), tracer.position(triangle, s, t)]
      return Math.hypot(b[0] - a[0], b[1] - a[1], b[2] - a[2]) / (line.times[i + 1]! - line.times[i]!)
    })
    for (const speed of speeds) expect(speed).toBeCloseTo(Math.SQRT1_2, 9)
  })

  it('close their circles with an error of second order', () => {
    const missOf = (n: number): number => {
      const tracer = square(n, (x, y) => [0.5 - y, x - 0.5, 0])
      const line = tracer.trace([0.8, 0.5, 0], { ...options, maxLength: 2 * Math.PI * 0.3 })
      expect(line.end).toBe('reached the length limit')
      const { triangle, s, t } = line.places[line.places.length - 1]!
      const [x, y] = tracer.position(triangle, s, t)
      return Math.abs(Math.hypot(x - 0.5, y - 0.5) - 0.3)
    }
    const [coarse, fine] = [missOf(10), missOf(20)]
    expect(coarse).toBeLessThan(1e-3)
    expect(coarse / fine).toBeGreaterThan(2.8)
  })

  it.each<[string, (x: number, y: number) => Vector, string]>([
    ['where nothing flows', () => [0, 0, 0], 'came to rest'],
    ['where the field points across the surface', () => [0, 0, 1], 'came to rest'],
    ['where two flows meet at an edge', (x) => [x < 0.5 ? 1 : -1, 0, 0], 'came to rest'],
  ])('end %s', (_, field, end) => {
    expect(square(4, field).trace([0.3, 0.3, 0], options).end).toBe(end)
  })

  it.each(boxKinds)('have the values of the surface that they lie on, in %s cells', (kind) => {
    const mesh = boxMesh({ n: 14, kind })
    const data = testCase(mesh, {
      // a turn about the middle, and away from it
      U: { values: atPoints(mesh, (x, y, z) => [-(y - 0.5) + x - 0.5, x - 0.5 + y - 0.5, z - 0.5]), components: 3 },
      T: { values: atPoints(mesh, (x, y, z) => [x + 2 * y + 3 * z]), components: 1, unit: 'K' },
      far: { values: atPoints(mesh, (x, y, z) => [(x - 0.5) ** 2 + (y - 0.5) ** 2 + (z - 0.5) ** 2]), components: 1, unit: 'm²' },
    })
    const evaluator = evaluatorFor(data, {
      ball: {
        kind: 'isosurface',
        inputs: { of: [{ part: 'Water' }] },
        settings: { variable: 'far', value: 0.1, series: 'one', count: 1, spacing: 1, list: [], labels: 'none' },
      },
      lines: {
        kind: 'trace-surface',
        inputs: { of: [{ step: 'ball' }], seeds: [] },
        settings: { variable: 'U', count: 20, direction: 'both', length: 0.5 },
      },
    })
    const lines = evaluator.shape('lines')
    expect(lines.paths!.length).toBeGreaterThan(10)
    const { values } = evaluator.values('T', { ...lines, columns: lines.columns, pieces: [pieceOf(lines)] })
    const p = lines.points
    values.forEach((T, i) => expect(T).toBeCloseTo(p[3 * i]! + 2 * p[3 * i + 1]! + 3 * p[3 * i + 2]!, 9))
    // turned about the axis, at one height
    for (let k = 0; k + 1 < lines.paths!.length; k++) {
      const [first, last] = [lines.paths![k]!, lines.paths![k + 1]! - 1]
      expect(Math.abs(p[3 * first + 2]! - p[3 * last + 2]!)).toBeLessThan(0.05)
    }
  })
})
