/** Results that are easily wrong: outside, across blocks and parts, in other units, of vectors. */
import { describe, expect, it } from 'vitest'
import type { Plan } from '../../../core/evaluate/plan'
import { keepVersions } from '../../../core/case/meshVersions'
import type { Catalogue } from '../../../core/case/catalogue'
import { neighbourGradients } from '../../../core/fields/neighbourGradient'
import { smoothedValues } from '../../../core/fields/smoothing'
import { chainSegments } from '../../../core/shapes/chainSegments'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { evaluatorFor, pieceOf } from '../../support/evaluation'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import type { BoxKind } from '../../support/meshes'

const water = [{ part: 'Water' }]
const line = (start: number[], end: number[]): Plan['steps'] => ({ l: { kind: 'line', inputs: {}, settings: { start, end } } })
const plotAlong = (variable: string, along = 'l', samples = 9): Plan['steps'] => ({
  p: { kind: 'plot', inputs: { along: [{ step: along }], in: water }, settings: { variable, samples } },
})
const trace = (change: object = {}): Plan['steps'] => ({
  t: {
    ...{ kind: 'trace', inputs: { of: water, seeds: [{ step: 'l' }] } },
    settings: { variable: 'U', count: 3, direction: 'downstream', length: 5, tolerance: 1e-7, ...change },
  },
})

describe('cell values along a line', () => {
  const mesh = boxMesh({ n: 4, skew: 0 })
  const data = testCase(mesh, {
    c: { components: 1, place: 'cell', unit: 'K', values: Float64Array.from(mesh.types, (_, c) => c % 4) },
    U: { components: 3, unit: 'm/s', values: atPoints(mesh, () => [1, 0, 0]) },
  })

  it('are those of the cells that the samples lie in, and gaps outside', () => {
    const { series, notes } = evaluatorFor(data, { ...line([-0.375, 0.1, 0.1], [1.625, 0.1, 0.1]), ...plotAlong('c') }).curve('p')
    expect([...series[0]!.y]).toEqual([NaN, NaN, 0, 1, 2, 3, NaN, NaN, NaN])
    expect(notes).toEqual([
      '5 of 9 samples lie outside the domain and are left as gaps',
      'values live on cells: each sample has that of its own',
    ])
  })

  it('along streamlines columns of the lines are drawn as well', () => {
    const steps = { ...line([0.05, 0.1, 0.1], [0.05, 0.9, 0.1]), ...trace(), ...plotAlong('travel-time', 't') }
    const { series, y } = evaluatorFor(data, steps).curve('p')
    expect(y).toMatchObject({ name: 'travel-time', unit: 's' })
    expect(series[0]!.y[0]).toBe(0)
  })

  it('along streamlines each line is a series of its own, counted from its own start', () => {
    const steps = { ...line([0.05, 0.1, 0.1], [0.05, 0.9, 0.1]), ...trace(), ...plotAlong('c', 't') }
    const { series } = evaluatorFor(data, steps).curve('p')
    expect(series).toHaveLength(3)
    for (const { x, y } of series) {
      expect(x[0]).toBe(0)
      expect(x[x.length - 1]).toBeCloseTo(0.95, 4)
      // a step may pass over a cell
      expect([y[0], y[y.length - 1]]).toEqual([0, 3])
      expect(y.every((value, i) => i === 0 || value >= y[i - 1]!)).toBe(true)
    }
  })
})

describe('time along streamlines', () => {
  const mesh = boxMesh({ n: 3 })
  const steps = { ...line([0.1, 0.3, 0.3], [0.1, 0.7, 0.3]), ...trace({ count: 1 }) }
  const column = (unit: string | null, lengthUnit: string | null, place: 'point' | 'cell' = 'point') => {
    const values =
      place === 'point' ? atPoints(mesh, () => [2, 0, 0]) : Float64Array.from({ length: 3 * mesh.types.length }, (_, i) => (i % 3 ? 0 : 2))
    const data = testCase(mesh, { U: { components: 3, place, unit, values } })
    const { columns } = evaluatorFor({ ...data, catalogue: { ...data.catalogue, lengthUnit } }, steps).shape('t')
    const [time, length] = columns
    return { unit: time!.unit, last: time!.values[time!.values.length - 1]!, name: time!.name, lengthUnit: length!.unit }
  }

  it.each<[string | null, string | null, string | null, number]>([
    ['m/s', 'm', 's', 0.45],
    ['mm/s', 'm', 's', 450],
    ['m/s', 'mm', 's', 0.45e-3],
    ['km/h', 'm', 's', 0.45 * 3.6],
    [null, 'm', null, 0.45],
    ['m/s', null, null, 0.45],
    ['1/s', 'm', 'm·s', 0.45],
  ])('of %s over lengths in %s is in %s', (unit, lengthUnit, expected, last) => {
    for (const place of ['point', 'cell'] as const) {
      const found = column(unit, lengthUnit, place)
      expect([found.name, found.unit]).toEqual(['travel-time', expected])
      expect(found.last / last).toBeCloseTo(1, 4)
    }
  })
})

describe('across the borders of blocks', () => {
  it.each(boxKinds)('a slice of a slice through %s cells is one line', (kind) => {
    const mesh = boxMesh({ n: kind === 'hexahedron' ? 14 : kind === 'wedge' ? 12 : 9, kind, skew: 0.3 })
    const values = atPoints(mesh, (x, y, z) => x + y * z)
    const data = testCase(mesh, { f: { components: 1, unit: 'K', values } }, 1024)
    const steps: Plan['steps'] = {
      a: { kind: 'slice', inputs: { of: water }, settings: { origin: [0.5, 0.5, 0.47], normal: [0.2, 0.1, 1] } },
      b: { kind: 'slice', inputs: { of: [{ step: 'a' }] }, settings: { origin: [0.5, 0.52, 0.5], normal: [0.3, 1, 0] } },
      c: { kind: 'isosurface', inputs: { of: [{ step: 'a' }] }, settings: { variable: 'f', value: 0.9 } },
    }
    const evaluator = evaluatorFor(data, steps)
    expect(evaluator.data.part('Water').nBlocks).toBeGreaterThan(2)
    for (const step of ['b', 'c']) expect(chainSegments(pieceOf(evaluator.shape(step)))).toHaveLength(1)
  })

  it.each<[BoxKind, number]>([
    ['hexahedron', 16],
    ['mixed', 14],
    ['tetra', 9],
  ])('gradients and smoothing of values on %s cells are the same bits', (kind, n) => {
    const mesh = boxMesh({ n, kind, skew: 0.3 })
    const values = Float64Array.from({ length: mesh.types.length }, (_, c) => Math.sin(c) * 1e3)
    const parts = [1024, 2048, 65536].map((size) => {
      const part = new MemoryPart('Water', 3, mesh, size)
      part.setField('f', { values, components: 1, place: 'cell' })
      return part
    })
    expect(parts[0]!.nBlocks).toBeGreaterThan(2)
    const found = parts.map((part) => {
      const smooth = new Map<number, number>()
      const slopes = new Map<number, string>()
      for (let k = 0; k < part.nBlocks; k++) {
        const { pointNumbers, cellNumbers } = part.block(k)
        const own = smoothedValues(part, k, (j) => part.field('f', j))
        pointNumbers.forEach((number, p) => {
          if (smooth.has(number)) expect(own[p]).toBe(smooth.get(number))
          smooth.set(number, own[p]!)
        })
        const gradients = neighbourGradients(part, k, (j) => part.field('f', j))
        cellNumbers.forEach((number, c) => slopes.set(number, gradients.slice(3 * c, 3 * c + 3).join()))
      }
      return { smooth: [...smooth].sort(([a], [b]) => a - b), slopes: [...slopes].sort(([a], [b]) => a - b) }
    })
    expect(found[1]).toEqual(found[0])
    expect(found[2]).toEqual(found[0])
  })

  it.each<[BoxKind, number]>([
    ['hexahedron', 16],
    ['mixed', 12],
    ['tetra', 12],
  ])('streamlines through %s cells are the same bits', (kind, n) => {
    const mesh = boxMesh({ n, kind, skew: 0.3 })
    const values = atPoints(mesh, (x, y) => [0.5 - y, x - 0.5, 0.05])
    const traced = { variable: 'U', count: 12, direction: 'both', length: 6, tolerance: 1e-6 }
    const steps: Plan['steps'] = {
      rake: { kind: 'line', inputs: {}, settings: { start: [0.6, 0.5, 0.3], end: [0.9, 0.5, 0.3] } },
      trace: { kind: 'trace', inputs: { of: water, seeds: [{ step: 'rake' }] }, settings: traced },
    }
    const found = [1024, 2048, 65536].map((size) => {
      const evaluator = evaluatorFor(testCase(mesh, { U: { components: 3, unit: 'm/s', values } }, size), steps)
      return [...evaluator.shape('trace').points]
    })
    expect(found[0]!.length).toBeGreaterThan(1000)
    expect(found[1]).toEqual(found[0])
    expect(found[2]).toEqual(found[0])
  })
})

describe('a field on points in one part and on cells in another', () => {
  const mesh = boxMesh({ n: 3 })
  const onPoints = { T: { components: 1, unit: 'K', values: atPoints(mesh, (x) => 280 + x) } }
  const whole = testCase(mesh, onPoints)
  const arm = new MemoryPart('Arm', 3, mesh)
  arm.setField('T', { values: Float64Array.from(mesh.types, () => 20), components: 1, place: 'cell' })
  const [field] = whole.catalogue.fields
  const armField = { ...field!, place: 'cell', unit: '°C', parts: ['Arm'] }
  const [entry] = whole.catalogue.parts
  const catalogue: Catalogue = { ...whole.catalogue, parts: [entry!, { ...entry!, name: 'Arm' }], fields: [field!, armField] }
  const water = whole.part('Water')
  const data = { catalogue, part: (name: string) => (name === 'Arm' ? arm : water) }
  const both = [{ part: 'Water' }, { part: 'Arm' }]
  const steps: Plan['steps'] = {
    s: { kind: 'slice', inputs: { of: both }, settings: { origin: [0, 0, 0.4], normal: [0, 0, 1] } },
    m: { kind: 'measure', inputs: { of: both }, settings: { quantity: 'mean', variable: 'T' } },
    i: { kind: 'isosurface', inputs: { of: both }, settings: { variable: 'T', value: 280.5 } },
  }

  it('keeps the place of each part on a shape, in one unit', () => {
    const evaluator = evaluatorFor(data, steps)
    const shape = evaluator.shape('s')
    const { pieces, unit } = evaluator.data.values({ kind: 'name', name: 'T', range: [0, 1] }, shape)
    expect([pieces.map(({ place }) => place), unit]).toEqual([['point', 'element'], 'K'])
    const [first, second] = pieces
    first!.values.forEach((value, p) => expect(value).toBeCloseTo(280 + shape.pieces[0]!.points[3 * p]!, 10))
    expect(new Set(second!.values)).toEqual(new Set([293.15]))
  })

  it('is measured by the values of each part, which the reading says', () => {
    const reading = evaluatorFor(data, steps).reading('m')
    expect(reading.value).toBeCloseTo((280.5 + 293.15) / 2, 9)
    expect(reading.unit).toBe('K')
    expect(reading.cautions).toContain('T lives on points of Water and on cells of Arm; each part is measured by its own values.')
  })

  it('has an isosurface in each, smoothed where it lives on cells', () => {
    const { ranges, notes } = evaluatorFor(data, steps).shape('i')
    expect(ranges.map(({ part }) => part)).toEqual(['Water'])
    expect(notes![0]).toMatch(/T lives on cells of Arm; it was smoothed to points/)
  })
})

describe('reductions', () => {
  const mesh = boxMesh({ n: 3 })
  const data = testCase(mesh, {
    p: { components: 1, unit: 'Pa', values: atPoints(mesh, (x) => x) },
    U: { components: 3, unit: 'm/s', values: atPoints(mesh, (x, y) => [x, 2 * y, -1]) },
  })
  const measure = (text: string) => evaluatorFor(data, {}).measure(text, ['Water'])

  it.each<[string, number]>([
    ['mean(2*(p+p))', 2],
    ['mean((p+p)*2)', 2],
    ['mean((p))', 0.5],
    ['-(mean((p + p)) / 2)', -0.5],
    ['integral((p*normal).x, on = "outer")', 1],
    ['mean(U).y', 1],
    ['mag(mean(U))', Math.hypot(0.5, 1, 1)],
    ['(mean(U) + mean(U)).x', 1],
    ['(2 * mean(U)).y', 2],
  ])('%s', (text, value) => {
    expect(measure(text).value).toBeCloseTo(value, 10)
    expect(measure(text).components).toBeUndefined()
  })

  it('a vector reduces to a vector, whose magnitude is named', () => {
    const mean = measure('mean(U)')
    expect(mean.components!['x']).toBeCloseTo(0.5, 12)
    expect([mean.components!['y'], mean.components!['z'], mean.value].map((x) => Number(x!.toFixed(12)))).toEqual([1, -1, 1.5])
    const force = measure('integral(p * normal, on = "outer")')
    expect(
      [force.components!['x'], force.components!['y'], force.unit].map((x) => (typeof x === 'number' ? Number(x.toFixed(9)) + 0 : x)),
    ).toEqual([1, 0, 'N'])
    expect(measure('max(U)')).toMatchObject({ of: 'magnitude' })
  })

  it.each<[string, RegExp, [number, number]]>([
    ['mean(2*(p+q))', /no field or formula “q”/, [10, 11]],
    ['mean(p) + mean(U)', /cannot be added/, [0, 17]],
    ['mean(U) * mean(U)', /are vectors/, [0, 17]],
    ['mean(U).q', /no component “q”/, [0, 9]],
    ['(p + p) * 2', /“p” is a field, not a number/, [1, 2]],
  ])('%s is refused at its place', (text, message, range) => {
    expect(() => measure(text)).toThrow(message)
    expect(() => measure(text)).toThrow(expect.objectContaining({ range }) as Error)
  })

  it('readings of vectors have components, too', () => {
    const steps: Plan['steps'] = { m: { kind: 'measure', inputs: { of: water }, settings: { quantity: 'integral', variable: 'U' } } }
    const reading = evaluatorFor(data, steps).reading('m')
    expect(Object.keys(reading.components!)).toEqual(['x', 'y', 'z'])
    expect(reading.value).toBeCloseTo(1.5, 12)
    expect(reading.madeOf.join()).toContain('magnitude of the integral vector')
  })
})

describe('moments that come to a case', () => {
  const moments = (topologies: number[]): Catalogue['moments'] =>
    topologies.map((topology, index) => ({
      index,
      kind: 'time',
      label: `${index}`,
      value: index,
      unit: 's',
      topology,
      coordinates: topology,
    }))
  const catalogue = (topologies: number[]): Catalogue => ({ ...testCase(boxMesh({ n: 1 }), {}).catalogue, moments: moments(topologies) })
  const versions = (fresh: number[], known: number[]): number[] =>
    keepVersions(catalogue(fresh), catalogue(known)).moments.map(({ topology }) => topology)

  it.each<[string, number[], number[], number[]]>([
    ['a fixed mesh stays one', [0, 0, 0, 0], [0, 0], [0, 0, 0, 0]],
    [
      'a mesh that a quick look takes for fixed keeps the versions that were found, and new moments have their own',
      [0, 0, 0, 0],
      [0, 5],
      [0, 5, 6, 7],
    ],
    ['a mesh written anew at a time', [0, 0, 1, 1], [0, 0], [0, 0, 1, 1]],
  ])('%s', (_, fresh, known, expected) => expect(versions(fresh, known)).toEqual(expected))
})
