import { describe, expect, it } from 'vitest'
import { openNamed } from '../../../core/formats/series'
import { eachDomainBlock } from '../../../core/mesh/Domain'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import type { NormalMesh } from '../../../core/mesh/normaliseCells'
import { quadraticDimension, QuadraticType } from '../../../core/mesh/quadraticCells'
import { hasQuadraticShape, nodePositions } from '../../../core/mesh/quadraticShape'
import { positionKeys } from '../../../core/shapes/positionKeys'
import { readCase } from '../../../core/store/memoryCase'
import { evaluatorFor } from '../../support/evaluation'
import type { Evaluation } from '../../support/evaluation'
import { areaOf, clipped, enclosed, evaluated, kept, looseEdges, measured, on, water } from '../../support/keptBox'
import type { Steps } from '../../support/keptBox'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import { MemoryFolder } from '../../support/vtkFiles'

describe.each(Object.entries(QuadraticType).filter(([, type]) => quadraticDimension(type) === 3 && hasQuadraticShape(type)))(
  'a clip of cells of type %s',
  (_, type) => {
    /** A row of cells, each moved aside. */
    const row = (map: (p: readonly [number, number, number]) => number[]): NormalMesh => {
      const n = 5
      const one = nodePositions(type)
      const points = Float64Array.from(Array.from({ length: n }, (_unused, c) => one.flatMap(([r, s, t]) => map([r + c, s, t]))).flat())
      const size = one.length
      const offsets = Uint32Array.from({ length: n + 1 }, (_unused, c) => size * c)
      const connectivity = Uint32Array.from({ length: size * n }, (_unused, i) => i)
      return normaliseCells({ points, types: new Uint8Array(n).fill(type), offsets, connectivity }, 'row')
    }
    const linear = (x: number, y: number, z: number): number => 1 + x - 2 * y + z
    const steps = {
      ...{
        a: clipped({ origin: [2.3, 0, 0], normal: [1, 0.2, 0.3] }),
        b: clipped({ origin: [2.3, 0, 0], normal: [1, 0.2, 0.3], side: 'outside' }),
      },
      ...{ va: measured('a'), vb: measured('b'), fa: measured('a', 'f'), fb: measured('b', 'f') },
      whole: { kind: 'measure', inputs: water, settings: { quantity: 'size', variable: '' } },
      all: { kind: 'measure', inputs: water, settings: { quantity: 'integral', variable: 'f' } },
    }
    const of = (mesh: NormalMesh): Evaluation =>
      evaluatorFor(testCase(mesh, { f: { values: atPoints(mesh, linear), components: 1 } }), steps)

    it('with straight sides adds up, and whole cells stay quadratic', () => {
      const evaluation = of(row(([r, s, t]) => [r + 0.2 * s, s - 0.1 * t, t]))
      const value = (step: string): number => evaluation.reading(step).value
      expect(value('va') + value('vb')).toBeCloseTo(value('whole'), 12)
      expect(value('fa') + value('fb')).toBeCloseTo(value('all'), 11)
      let nWhole = 0
      eachDomainBlock(
        evaluation.domain('a'),
        () => undefined,
        (mesh) => void (nWhole += mesh.wholeTypes?.length ?? 0),
      )
      expect(nWhole).toBeGreaterThan(0)
      expect(evaluation.reading('va').madeOf[0]).toMatch(/quadratic cells that are cut count by their linear pieces/)
    })

    it('with curved sides differs by its subdivision only', () => {
      const evaluation = of(row(([r, s, t]) => [r, s + 0.06 * Math.sin(r), t + 0.05 * r * s]))
      const value = (step: string): number => evaluation.reading(step).value
      const share = Math.abs((value('va') + value('vb')) / value('whole') - 1)
      expect(share).toBeLessThan(0.01)
    })
  },
)

/** Prisms over hexagons on top of each other, by their faces. */
function prisms(n: number): NormalMesh {
  const ring = Array.from({ length: 6 }, (_, i) => [Math.cos((i * Math.PI) / 3), Math.sin((i * Math.PI) / 3)] as const)
  const points = Array.from({ length: n + 1 }, (_, k) => ring.map(([x, y]) => [x + 0.1 * k, y, k])).flat(2)
  const stream: number[] = []
  const starts: number[] = []
  for (let c = 0; c < n; c++) {
    const low = 6 * c
    const sides = ring.map((_, i) => [low + i, low + ((i + 1) % 6), low + 6 + ((i + 1) % 6), low + 6 + i])
    const faces = [[5, 4, 3, 2, 1, 0].map((i) => low + i), [6, 7, 8, 9, 10, 11].map((i) => low + i), ...sides]
    starts.push(stream.length)
    stream.push(faces.length, ...faces.flatMap((face) => [face.length, ...face]))
  }
  const none = { types: new Uint8Array(n).fill(42), offsets: new Uint32Array(n + 1), connectivity: new Uint32Array(0) }
  return normaliseCells({ points: Float64Array.from(points), ...none, polyhedra: { starts, stream: Uint32Array.from(stream) } }, 'prisms')
}

describe.each([
  ['polyhedra', prisms(5), (3 * Math.sqrt(3)) / 2],
  ['cells with corners of their own', { ...boxMesh({ n: 5, kind: 'mixed', skew: 0 }), hasOwnCorners: true }, 0],
])('what is left of %s', (_, mesh, size) => {
  it('adds up and is closed, cut through and in whole cells', () => {
    const nCells = mesh.cellNumbers.reduce((most, c) => Math.max(most, c), 0) + 1
    const cut = { origin: [0.3, 0.2, 0.6], normal: [0.2, 0.1, 1] }
    const steps = {
      ...{
        a: clipped(cut),
        b: clipped({ ...cut, side: 'outside' }),
        some: kept('number > 1.5 and number < 3.5'),
        both: clipped(cut, on('some')),
      },
      ...{ va: measured('a'), vb: measured('b'), vs: measured('some'), vc: measured('both') },
      whole: { kind: 'measure', inputs: water, settings: { quantity: 'size', variable: '' } },
    }
    const values = Float64Array.from({ length: nCells }, (_unused, c) => c)
    const evaluation = evaluatorFor(testCase(mesh, { number: { values, components: 1, place: 'cell', unit: '1' } }), steps)
    const value = (step: string): number => evaluation.reading(step).value
    expect(value('va') + value('vb')).toBeCloseTo(value('whole'), 11)
    if (size) expect(value('vs')).toBeCloseTo(2 * size, 11)
    for (const [step, measure] of [
      ['a', 'va'],
      ['b', 'vb'],
      ['some', 'vs'],
      ['both', 'vc'],
    ] as const) {
      const skin = evaluation.shape(step)
      expect(looseEdges(skin)).toBe(0)
      expect(enclosed(skin).volume).toBeCloseTo(value(measure), 11)
    }
  })
})

describe('steps on what was kept', () => {
  it.each(boxKinds)('slices and levels are those of the whole, as far as it goes (%s)', (kind) => {
    const plane = { origin: [0.5, 0.45, 0.5], normal: [0.2, 1, 0.1] }
    const steps = {
      half: clipped({ normal: [1, 0.4, -0.3] }),
      ...{ before: { kind: 'slice', inputs: water, settings: plane }, after: { kind: 'slice', inputs: on('half'), settings: plane } },
      reference: clipped({ normal: [1, 0.4, -0.3] }, on('before')),
      level: { kind: 'isosurface', inputs: on('half'), settings: { variable: 'f', value: 2.2 } },
      whole: { kind: 'isosurface', inputs: water, settings: { variable: 'f', value: 2.2 } },
      part: clipped({ normal: [1, 0.4, -0.3] }, on('whole')),
    }
    const evaluation = evaluated(steps, { kind })
    const [cut, wanted] = [evaluation.shape('after'), evaluation.shape('reference')]
    expect(areaOf(cut)).toBeCloseTo(areaOf(wanted), 12)
    expect(areaOf(evaluation.shape('level'))).toBeCloseTo(areaOf(evaluation.shape('part')), 12)
    const { values } = evaluation.values('f', cut)
    expect(
      values.every((v, p) => Math.abs(v - (1 + 2 * cut.points[3 * p]! - cut.points[3 * p + 1]! + 3 * cut.points[3 * p + 2]!)) < 1e-12),
    ).toBe(true)
  })

  it('streamlines end where it ends, and samples outside are gaps', () => {
    const steps = {
      half: clipped({ form: 'sphere', radius: 0.35 }),
      line: { kind: 'line', inputs: {}, settings: { start: [0.5, 0.5, 0.5], end: [0.5, 0.5, 0.501] } },
      lines: {
        kind: 'trace',
        inputs: { ...on('half'), seeds: [{ step: 'line' }] },
        settings: { variable: 'U', count: 3, direction: 'both', length: 5, tolerance: 1e-6 },
      },
      across: { kind: 'line', inputs: {}, settings: { start: [0, 0.5, 0.5], end: [1, 0.5, 0.5] } },
      curve: { kind: 'plot', inputs: { along: [{ step: 'across' }], in: [{ step: 'half' }] }, settings: { variable: 'f', samples: 101 } },
    }
    const evaluation = evaluated(steps, { n: 16, skew: 0 })
    const lines = evaluation.shape('lines')
    const x = lines.points.filter((_, i) => i % 3 === 0)
    expect(Math.min(...x)).toBeCloseTo(0.15, 2)
    expect(Math.max(...x)).toBeCloseTo(0.85, 2)
    const [series] = evaluation.curve('curve').series
    series!.y.forEach((y, i) => {
      if (Math.abs(i - 15) > 1 && Math.abs(i - 85) > 1) expect(Number.isFinite(y)).toBe(i > 15 && i < 85)
    })
  })

  it('is written as a mesh and read in again with the same numbers', async () => {
    const steps = {
      half: clipped({ normal: [1, 0.4, -0.3] }),
      some: kept('number > 300.5', on('half')),
      a: measured('some'),
      b: measured('some', 'q'),
    }
    const evaluation = evaluated(steps, { kind: 'mixed', n: 10 })
    const bytes = evaluation.file('some', 'vtu', ['f', 'q', 'number'])
    const back = await readCase(await openNamed(['a.vtu'], new MemoryFolder({ 'a.vtu': bytes })), 0)
    const again = evaluatorFor(back, {})
    expect(again.measure('integral(1)', ['region']).value).toBeCloseTo(evaluation.reading('a').value, 13)
    expect(again.measure('integral(q)', ['region']).value).toBeCloseTo(evaluation.reading('b').value, 13)
    // points that blocks share are one again: its skin is closed
    expect(areaOf(again.partShape('region', true))).toBeCloseTo(areaOf(evaluation.shape('some')), 12)
    expect(back.catalogue.fields.map(({ name, place }) => [name, place])).toEqual([
      ['f', 'point'],
      ['q', 'point'],
      ['number', 'cell'],
    ])
  })

  it('the outside tells the boundary from what a cut laid open, and surfaces go along', () => {
    const outside = (what: string, inputs: Steps[string]['inputs']): Steps[string] => ({ kind: 'outside', inputs, settings: { what } })
    const steps = {
      half: clipped({ origin: [0.3, 0, 0] }),
      some: kept("pos.y < 0.6 'm'", on('half')),
      ...{ all: outside('all', on('some')), old: outside('boundary', on('some')), opened: outside('cut', on('some')) },
      whole: outside('boundary', water),
      top: { kind: 'slice', inputs: water, settings: { origin: [0, 0, 1 - 1e-9], normal: [0, 0, 1] } },
      topKept: outside('all', { ...on('some'), on: [{ step: 'top' }] }),
    }
    const evaluation = evaluated(steps, { n: 6, skew: 0.2, kind: 'mixed' })
    const area = (step: string): number => areaOf(evaluation.shape(step))
    expect(area('opened')).toBeCloseTo(0.6 + 0.7, 11)
    expect(area('old')).toBeCloseTo(0.6 + 0.7 + 2 * 0.6 * 0.7, 11)
    expect(area('all')).toBeCloseTo(area('old') + area('opened'), 11)
    expect(area('whole')).toBeCloseTo(6, 11)
    expect(area('topKept')).toBeCloseTo(0.6 * 0.7, 11)
  })

  it('samples in two separate zones are values, and gaps between them', () => {
    const steps = {
      zones: kept("f < 2.6 'm/s' or f > 3.4 'm/s'"),
      across: { kind: 'line', inputs: {}, settings: { start: [0, 0.5, 0.5], end: [1, 0.5, 0.5] } },
      curve: { kind: 'plot', inputs: { along: [{ step: 'across' }], in: [{ step: 'zones' }] }, settings: { variable: 'f', samples: 101 } },
    }
    // f is 2 + 2 x on the line
    evaluated(steps, { n: 9, skew: 0 })
      .curve('curve')
      .series[0]!.y.forEach((y, i) => {
        if (Math.abs(i - 30) > 1 && Math.abs(i - 70) > 1) expect(Number.isFinite(y)).toBe(i < 30 || i > 70)
      })
  })

  it('cuts lie side by side without gaps: the faces of two halves are the same', () => {
    const steps = { a: clipped({ normal: [1, 0.4, -0.3] }), b: clipped({ normal: [1, 0.4, -0.3], side: 'outside' }) }
    const evaluation = evaluated(steps, { kind: 'mixed', n: 12 })
    const keys = (step: string): number[] => {
      const { points, elements } = evaluation.shape(step)
      return [...positionKeys(points, elements)]
    }
    const others = new Set(keys('b'))
    const shared = keys('a').filter((key) => others.has(key))
    const boundary = areaOf(evaluation.shape('a')) + areaOf(evaluation.shape('b')) - 6
    expect(shared.length).toBeGreaterThan(100)
    expect(boundary).toBeGreaterThan(0)
  })
})
