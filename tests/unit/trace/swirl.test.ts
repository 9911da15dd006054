import { wholeDomain } from '../../../core/mesh/Domain'
import { describe, expect, it } from 'vitest'
import { StreamlineTracer } from '../../../core/trace/streamlines'
import type { StreamlineOptions, TracedLine } from '../../../core/trace/streamlines'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { atPoints, boxKinds, boxMesh } from '../../support/meshes'
import type { BoxKind, Position } from '../../support/meshes'

function tracer(kind: BoxKind, field: (x: number, y: number, z: number) => number[], n = 8, size: Position = [1, 1, 1]): StreamlineTracer {
  const mesh = boxMesh({ n, kind, size, skew: 0.2 })
  const part = new MemoryPart('box', 3, mesh, 1024)
  part.setField('U', { values: atPoints(mesh, field), components: 3, place: 'point' })
  return new StreamlineTracer(wholeDomain([part]), (p, k) => p.field('U', k))
}

const options: StreamlineOptions = { direction: 'downstream', tolerance: 1e-8, maxLength: 10, maxSteps: 5000 }
const end = ({ positions }: TracedLine): number[] => positions.slice(-3)

describe.each(boxKinds)('through %s cells', (kind) => {
  it('a uniform flow runs straight to the wall, in its own time', () => {
    const line = tracer(kind, () => [2, 0, 0]).trace(0.1, 0.4, 0.6, options)
    expect(line.endings).toEqual(['left the domain'])
    const [x, y, z] = end(line)
    expect(x).toBeGreaterThan(1 - 1e-5)
    expect(y).toBeCloseTo(0.4, 9)
    expect(z).toBeCloseTo(0.6, 9)
    expect(line.times[line.times.length - 1]).toBeCloseTo((x! - 0.1) / 2, 9)
  })

  it('a stretching flow follows its hyperbola: linear fields are met exactly', () => {
    // dx/dt = x, dy/dt = -y: x y stays the same, x grows as exp t
    const line = tracer(kind, (x, y) => [x, -y, 0]).trace(0.1, 0.9, 0.5, options)
    const n = line.times.length
    for (let i = 0; i < n; i++) {
      const [x, y] = [line.positions[3 * i]!, line.positions[3 * i + 1]!]
      expect(x * y).toBeCloseTo(0.09, 6)
      expect(x).toBeCloseTo(0.1 * Math.exp(line.times[i]!), 5)
    }
  })

  it('a rotation closes its circles', () => {
    const line = tracer(kind, (x, y) => [0.5 - y, x - 0.5, 0]).trace(0.8, 0.5, 0.3, { ...options, maxLength: 2 * Math.PI * 0.3 })
    expect(line.endings).toEqual(['reached the length limit'])
    const [x, y, z] = end(line)
    expect(x).toBeCloseTo(0.8, 6)
    expect(y).toBeCloseTo(0.5, 5)
    expect(z).toBeCloseTo(0.3, 9)
    expect(line.times[line.times.length - 1]).toBeCloseTo(2 * Math.PI, 5)
  })

  it('a line of a given time ends where the flow is then, downstream and upstream', () => {
    const make = tracer(kind, (x, y) => [x, -y, 0])
    for (const [direction, sign] of [
      ['downstream', 1],
      ['upstream', -1],
    ] as const) {
      const line = make.trace(0.3, 0.3, 0.5, { ...options, direction, maxLength: Infinity, maxTime: 0.7 })
      expect(line.endings).toEqual(['reached the time limit'])
      const at = direction === 'downstream' ? line.times.length - 1 : 0
      expect(line.times[at]).toBeCloseTo(sign * 0.7, 8)
      expect(line.positions[3 * at]).toBeCloseTo(0.3 * Math.exp(sign * 0.7), 5)
    }
  })
})

describe('how a line ends', () => {
  it.each<[string, (x: number, y: number, z: number) => number[], Partial<StreamlineOptions>, Position, string]>([
    ['leaves', () => [1, 0, 0], {}, [0.5, 0.5, 0.5], 'left the domain'],
    ['is long enough', () => [1, 0, 0], { maxLength: 0.2 }, [0.5, 0.5, 0.5], 'reached the length limit'],
    ['has had its steps', (x, y) => [0.5 - y, x - 0.5, 0], { maxSteps: 3 }, [0.8, 0.5, 0.5], 'reached the step limit'],
    ['begins at rest', () => [0, 0, 0], {}, [0.5, 0.5, 0.5], 'came to rest'],
    ['begins outside', () => [1, 0, 0], {}, [1.5, 0.5, 0.5], 'seed outside'],
  ])('%s', (_, field, change, seed, ending) => {
    expect(tracer('hexahedron', field).trace(...seed, { ...options, ...change }).endings).toEqual([ending])
  })

  it('both ways is upstream and downstream from the seed', () => {
    const make = tracer('hexahedron', () => [1, 0, 0])
    const both = make.trace(0.3, 0.5, 0.5, { ...options, direction: 'both' })
    const up = make.trace(0.3, 0.5, 0.5, { ...options, direction: 'upstream' })
    expect(both.endings).toEqual(['left the domain', 'left the domain'])
    expect(both.positions[0]).toBeLessThan(1e-5)
    expect(end(both)[0]).toBeGreaterThan(1 - 1e-5)
    expect(both.times[0]).toBeCloseTo(-0.3, 5)
    expect(up.positions[0]).toBeCloseTo(both.positions[0]!, 9)
    for (let i = 1; i < both.times.length; i++) expect(both.times[i]!).toBeGreaterThan(both.times[i - 1]!)
  })

  it('can be cancelled while it runs', () => {
    let asked = 0
    const check = (): void => {
      if (++asked > 5) throw new Error('enough')
    }
    expect(() => tracer('hexahedron', (x, y) => [0.5 - y, x - 0.5, 0]).trace(0.8, 0.5, 0.5, { ...options, check })).toThrow('enough')
  })

  it('a tighter tolerance takes more steps and ends nearer', () => {
    const field = (x: number, y: number): number[] => [0.5 - y, x - 0.5, 0]
    const make = tracer('hexahedron', field, 2)
    const error = (tolerance: number): { steps: number; miss: number } => {
      const line = make.trace(0.8, 0.5, 0.5, { ...options, tolerance, maxLength: 2 * Math.PI * 0.3 })
      const [x, y] = end(line)
      return { steps: line.times.length, miss: Math.hypot(x! - 0.8, y! - 0.5) }
    }
    const [loose, tight] = [error(1e-4), error(1e-10)]
    expect(tight.steps).toBeGreaterThan(loose.steps)
    expect(tight.miss).toBeLessThan(loose.miss)
  })
})
