import { describe, expect, it } from 'vitest'
import type { Plan } from '../../../core/evaluate/plan'
import { sizeOfShape, triangleNormal } from '../../../core/measure/integrateShape'
import { eachDomainBlock, isPartial } from '../../../core/mesh/Domain'
import type { Shape } from '../../../core/shapes/Shape'
import { positionKeys } from '../../../core/shapes/positionKeys'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import type { NormalMesh } from '../../../core/mesh/normaliseCells'
import { quadraticDimension, QuadraticType } from '../../../core/mesh/quadraticCells'
import { hasQuadraticShape, nodePositions } from '../../../core/mesh/quadraticShape'
import { openNamed } from '../../../core/formats/series'
import { readCase } from '../../../core/store/memoryCase'
import { MemoryFolder } from '../../support/vtkFiles'
import { evaluatorFor, pieceOf } from '../../support/evaluation'
import type { Evaluation, WholeShape } from '../../support/evaluation'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import type { BoxKind } from '../../support/meshes'

type Steps = Plan['steps']
const water = { of: [{ part: 'Water' }] }
const on = (step: string) => ({ of: [{ step }] })
const clipped = (settings: object, inputs: Steps[string]['inputs'] = water): Steps[string] => ({
  kind: 'clip',
  inputs,
  settings: {
    ...{ form: 'plane', side: 'inside', cells: 'cut', origin: [0.5, 0.5, 0.5], normal: [1, 0, 0] },
    ...{ low: [0.2, 0.3, 0.1], high: [0.7, 0.8, 0.9], radius: 0.4, ...settings },
  },
})
const kept = (condition: string, inputs: Steps[string]['inputs'] = water, cells = 'cut'): Steps[string] => ({
  kind: 'keep',
  inputs,
  settings: { condition, cells },
})
const measured = (step: string, variable?: string): Steps[string] => ({
  kind: 'measure',
  inputs: on(step),
  settings: variable === undefined ? { quantity: 'size', variable: '' } : { quantity: 'integral', variable },
})

interface Case {
  kind?: BoxKind
  n?: number
  skew?: number
  blockCells?: number
}

function evaluated(steps: Steps, { kind = 'hexahedron', n = 6, skew = 0.2, blockCells = 1024 }: Case = {}, formulas = {}): Evaluation {
  const mesh = boxMesh({ n, kind, skew })
  const cells = Float64Array.from(mesh.types, (_, c) => c)
  const fields = {
    f: { values: atPoints(mesh, (x, y, z) => 1 + 2 * x - y + 3 * z), components: 1 },
    U: { values: atPoints(mesh, () => [1, 0, 0]), components: 3 },
    q: { values: atPoints(mesh, (x, y, z) => x * x + y * y + z * z), components: 1, unit: '1' },
    number: { values: cells, components: 1, place: 'cell' as const, unit: '1' },
  }
  return evaluatorFor(testCase(mesh, fields, blockCells), steps, formulas)
}

/** Enclosed volume by the divergence theorem, and the sum of the areas as vectors, which is zero for a closed surface. */
function enclosed({ points, elements, cells }: WholeShape): { volume: number; open: number } {
  const sum = [0, 0, 0]
  let volume = 0
  for (let e = 0; e < cells.length; e++) {
    const normal = triangleNormal(points, elements, e)
    for (let d = 0; d < 3; d++) {
      sum[d]! += normal[d]!
      for (let i = 0; i < 3; i++) volume += (normal[d]! * points[3 * elements[3 * e + i]! + d]!) / 18
    }
  }
  return { volume, open: Math.hypot(...sum) }
}

/** Edges that are not used once in each direction. */
function looseEdges({ points, elements }: WholeShape): number {
  const counts = new Map<string, number>()
  const text = (p: number): string => `${points[3 * p]! + 0} ${points[3 * p + 1]! + 0} ${points[3 * p + 2]! + 0}`
  for (let e = 0; e < elements.length; e += 3) {
    for (let i = 0; i < 3; i++) {
      const [a, b] = [text(elements[e + i]!), text(elements[e + ((i + 1) % 3)]!)]
      const [key, by] = a < b ? [`${a}|${b}`, 1] : [`${b}|${a}`, -1]
      counts.set(key, (counts.get(key) ?? 0) + by)
    }
  }
  return [...counts.values()].filter((n) => n !== 0).length
}

const areaOf = (shape: WholeShape): number => sizeOfShape({ kind: shape.kind, pieces: [pieceOf(shape)] } as Shape).measure

describe('a clip', () => {
  it.each(boxKinds)('leaves two halves that add up, with closed skins, in one block and in many (%s)', (kind) => {
    for (const blockCells of [1024, 1 << 20]) {
      const normal = [1, 0.4, -0.3]
      const steps = {
        ahead: clipped({ normal }),
        behind: clipped({ normal, side: 'outside' }),
        ...{ a: measured('ahead'), b: measured('behind'), c: measured('ahead', 'f'), d: measured('behind', 'f') },
      }
      const evaluation = evaluated(steps, { kind, n: 12, blockCells })
      const value = (step: string): number => evaluation.reading(step).value
      expect(value('a') + value('b')).toBeCloseTo(1, 12)
      expect(value('c') + value('d')).toBeCloseTo(1 + 1 - 0.5 + 1.5, 11)
      for (const [step, size] of [
        ['ahead', 'a'],
        ['behind', 'b'],
      ] as const) {
        const skin = evaluation.shape(step)
        expect(looseEdges(skin)).toBe(0)
        expect(enclosed(skin).volume).toBeCloseTo(value(size), 12)
      }
    }
  })

  it('gives the same bits for any size of blocks', () => {
    const steps = { half: clipped({ normal: [1, 0.4, -0.3] }), twice: clipped({ form: 'box' }, on('half')), a: measured('twice', 'q') }
    const values = [1024, 2048, 1 << 20].map((blockCells) => evaluated(steps, { n: 14, blockCells }).reading('a').value)
    expect(new Set(values).size).toBe(1)
  })

  it('by a box is exact, and what is outside is the rest', () => {
    const steps = {
      ...{ inside: clipped({ form: 'box' }), rest: clipped({ form: 'box', side: 'outside' }) },
      ...{ a: measured('inside'), b: measured('rest'), c: measured('inside', 'f'), d: measured('rest', 'f') },
    }
    const evaluation = evaluated(steps, { kind: 'mixed', n: 7 })
    expect(evaluation.reading('a').value).toBeCloseTo(0.5 * 0.5 * 0.8, 12)
    expect(evaluation.reading('b').value).toBeCloseTo(1 - 0.2, 12)
    // the mean of a linear field is that at the middle of the box
    expect(evaluation.reading('c').value).toBeCloseTo(0.2 * (1 + 0.9 - 0.55 + 1.5), 12)
    expect(evaluation.reading('c').value + evaluation.reading('d').value).toBeCloseTo(3, 11)
    for (const step of ['inside', 'rest']) expect(looseEdges(evaluation.shape(step))).toBe(0)
    expect(areaOf(evaluation.shape('rest'))).toBeCloseTo(6 + 2 * (0.25 + 0.4 + 0.4), 11)
  })

  it.each([
    ['sphere', (4 / 3) * Math.PI * 0.4 ** 3],
    ['cylinder', Math.PI * 0.4 ** 2],
  ])('by a %s approaches it with second order', (form, exact) => {
    const errors = [8, 16].map((n) => {
      const steps = { round: clipped({ form, normal: [0, 0, 1] }), a: measured('round') }
      return Math.abs(evaluated(steps, { n, skew: 0 }).reading('a').value - exact)
    })
    expect(errors[0]! / errors[1]!).toBeGreaterThan(3.5)
  })

  it('through points and faces of the mesh has no sheets and no holes', () => {
    for (const side of ['inside', 'outside']) {
      const evaluation = evaluated({ half: clipped({ side }), a: measured('half') }, { n: 4, skew: 0, kind: 'mixed' })
      expect(evaluation.reading('a').value).toBeCloseTo(0.5, 14)
      const skin = evaluation.shape('half')
      expect(areaOf(skin)).toBeCloseTo(4, 13)
      expect(looseEdges(skin)).toBe(0)
    }
    const nothing = evaluated({ none: clipped({ side: 'outside', origin: [0, 0, 0] }) }, { n: 4, skew: 0 }).shape('none')
    expect(nothing.cells).toHaveLength(0)
  })

  it('in whole cells keeps those whose middle is inside', () => {
    const steps = {
      some: clipped({ cells: 'whole', origin: [0.4, 0, 0] }),
      rest: clipped({ cells: 'whole', side: 'outside', origin: [0.4, 0, 0] }),
    }
    const evaluation = evaluated({ ...steps, a: measured('some'), b: measured('rest') }, { n: 12, skew: 0 })
    expect(evaluation.reading('a').value).toBeCloseTo(7 / 12, 13)
    expect(evaluation.reading('b').value).toBeCloseTo(5 / 12, 13)
    const skin = evaluation.shape('some')
    expect(areaOf(skin)).toBeCloseTo(2 + (4 * 7) / 12, 12)
    expect(looseEdges(skin)).toBe(0)
  })

  it('of a surface and of a line is exact', () => {
    const steps = {
      section: { kind: 'slice', inputs: water, settings: { origin: [0, 0, 0.43], normal: [0, 0, 1] } },
      half: clipped({ origin: [0.3, 0, 0] }, on('section')),
      line: { kind: 'line', inputs: {}, settings: { start: [0, 0.5, 0.5], end: [1, 0.5, 0.5] } },
      rest: clipped({ origin: [0.3, 0, 0] }, on('line')),
    }
    const evaluation = evaluated(steps)
    expect(areaOf(evaluation.shape('half'))).toBeCloseTo(0.7, 12)
    expect(areaOf(evaluation.shape('rest'))).toBeCloseTo(0.7, 14)
    const half = evaluation.shape('half')
    expect(
      evaluation
        .values('f', half)
        .values.every((v, p) => Math.abs(v - (1 + 2 * half.points[3 * p]! - half.points[3 * p + 1]! + 3 * 0.43)) < 1e-12),
    ).toBe(true)
  })
})

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

describe('keep where', () => {
  it('cuts linear fields exactly, joins conditions, and follows formulas', () => {
    const steps = {
      ...{ both: kept("f > 2 'm/s' and f < 3 'm/s'"), either: kept("f < 2 'm/s' or not (f < 3 'm/s')"), named: kept('band') },
      ...{ a: measured('both'), b: measured('either'), c: measured('named') },
    }
    const evaluation = evaluated(steps, { kind: 'mixed' }, { band: "f > 2 'm/s' and f < 3 'm/s'" })
    const [a, b, c] = ['a', 'b', 'c'].map((step) => evaluation.reading(step).value) as [number, number, number]
    expect(a + b).toBeCloseTo(1, 12)
    expect(c).toBe(a)
    for (const step of ['both', 'either']) {
      const skin = evaluation.shape(step)
      expect(looseEdges(skin)).toBe(0)
      expect(enclosed(skin).volume).toBeCloseTo(step === 'both' ? a : b, 12)
    }
  })

  it('overlapping conditions joined by or count once', () => {
    const steps = {
      some: kept("f > 2 'm/s' or q > 0.5"),
      none: kept("not (f > 2 'm/s' or q > 0.5)"),
      a: measured('some'),
      b: measured('none'),
    }
    const evaluation = evaluated(steps, { n: 8, kind: 'mixed' })
    expect(evaluation.reading('a').value + evaluation.reading('b').value).toBeCloseTo(1, 12)
    for (const step of ['some', 'none']) {
      const skin = evaluation.shape(step)
      expect(looseEdges(skin)).toBe(0)
      expect(enclosed(skin).volume).toBeCloseTo(evaluation.reading(step === 'some' ? 'a' : 'b').value, 12)
    }
  })

  it('at a value converges with second order', () => {
    const errors = [8, 16].map((n) => {
      const steps = { ball: kept('q < 0.64'), a: measured('ball') }
      return Math.abs(evaluated(steps, { n }).reading('a').value - ((4 / 3) * Math.PI * 0.8 ** 3) / 8)
    })
    expect(errors[0]! / errors[1]!).toBeGreaterThan(3.5)
  })

  it('chooses whole cells by values on cells, in other steps too', () => {
    const steps = {
      ...{ odd: kept('number > 99.5 and number < 700.5'), half: clipped({}, on('odd')), again: kept('number > 300.5', on('half')) },
      ...{ a: measured('odd'), b: measured('half'), c: measured('again'), some: measured('odd', 'number') },
    }
    for (const blockCells of [1024, 1 << 20]) {
      const evaluation = evaluated(steps, { n: 12, skew: 0, blockCells })
      expect(evaluation.reading('a').value).toBeCloseTo(601 / 1728, 13)
      expect(evaluation.reading('a').madeOf[0]).toBe('over 601 cells of Water')
      expect(evaluation.reading('some').value).toBeCloseTo((601 * 400) / 1728, 9)
      for (const [step, size] of [
        ['odd', 'a'],
        ['half', 'b'],
        ['again', 'c'],
      ] as const) {
        const skin = evaluation.shape(step)
        expect(looseEdges(skin)).toBe(0)
        expect(enclosed(skin).volume).toBeCloseTo(evaluation.reading(size).value, 12)
      }
    }
  })

  it('leaves out cells without a number, on either side', () => {
    const mesh = boxMesh({ n: 4, skew: 0 })
    const values = atPoints(mesh, (x) => x)
    values[0] = NaN
    const steps = { a: kept("f > 0.3 'm/s'"), b: kept("not (f > 0.3 'm/s')"), va: measured('a'), vb: measured('b') }
    const evaluation = evaluatorFor(testCase(mesh, { f: { values, components: 1 } }), steps)
    expect(evaluation.reading('va').value + evaluation.reading('vb').value).toBeCloseTo(1 - 1 / 64, 13)
  })

  it('that holds nowhere is empty and everywhere is all', () => {
    const steps = { none: kept("f > 99 'm/s'"), all: kept("f < 99 'm/s'"), a: measured('none'), b: measured('all') }
    const evaluation = evaluated(steps)
    expect(evaluation.shape('none').cells).toHaveLength(0)
    expect(evaluation.reading('a')).toMatchObject({ value: 0, cautions: ['There is nothing here to measure: the input is empty.'] })
    expect(evaluation.reading('b').value).toBeCloseTo(1, 13)
    eachDomainBlock(
      evaluation.domain('all'),
      () => undefined,
      (mesh) => expect(isPartial(mesh)).toBe(false),
    )
  })

  it('says what is wrong with a condition', () => {
    const evaluation = evaluated({ a: kept('f'), b: kept("f > 1 'Pa'"), c: kept('f >'), d: kept('U > 1'), e: kept('nope > 1') })
    expect(() => evaluation.shape('a')).toThrow('“f” is a value, not a condition; compare it with something, such as f > 0.')
    expect(() => evaluation.shape('b')).toThrow(/Pa cannot be compared with m\/s/)
    expect(() => evaluation.shape('c')).toThrow(/ends too early/)
    expect(() => evaluation.shape('d')).toThrow(/Only scalars are compared/)
    expect(() => evaluation.shape('e')).toThrow(/no field or formula “nope”/)
  })

  it('takes a zero without a unit', () => {
    const steps = { a: kept("f - 2 'm/s' > 0"), b: kept("0 >= f - 2 'm/s'"), va: measured('a'), vb: measured('b') }
    const evaluation = evaluated(steps)
    expect(evaluation.reading('va').value + evaluation.reading('vb').value).toBeCloseTo(1, 12)
    expect(evaluation.reading('va').value).toBeGreaterThan(0.5)
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
    const keys = (step: string): string[] => {
      const { points, elements } = evaluation.shape(step)
      return positionKeys(points, elements)
    }
    const others = new Set(keys('b'))
    const shared = keys('a').filter((key) => others.has(key))
    const boundary = areaOf(evaluation.shape('a')) + areaOf(evaluation.shape('b')) - 6
    expect(shared.length).toBeGreaterThan(100)
    expect(boundary).toBeGreaterThan(0)
  })
})
