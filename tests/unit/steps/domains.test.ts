import { describe, expect, it } from 'vitest'
import { eachDomainBlock, isPartial } from '../../../core/mesh/Domain'
import { evaluatorFor } from '../../support/evaluation'
import { areaOf, clipped, enclosed, evaluated, kept, looseEdges, measured, on, water } from '../../support/keptBox'
import type { Steps } from '../../support/keptBox'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'

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

  it('has the same outside from one thread and from several', () => {
    const mesh = boxMesh({ n: 18, kind: 'mixed' })
    const steps = { some: kept("pos.x + pos.y > 0.9 'm' or pos.z < 0.3 'm'"), whole: clipped({ cells: 'whole' }, on('some')) }
    const [one, many] = [1, 5_000_000].map((cells) => {
      const data = testCase(mesh, {})
      // the number of cells in the catalogue tells how the work is divided
      data.catalogue.parts[0]!.cells = cells
      return evaluatorFor(data, steps).shape('whole')
    })
    expect(many!.points).toEqual(one!.points)
    expect(many!.elements).toEqual(one!.elements)
    expect(looseEdges(many!)).toBe(0)
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

  it('more than a value leaves out where it is that value, in cells, on surfaces and with the rest left over', () => {
    const conditions = {
      more: 'h > 0',
      least: 'h >= 0',
      rest: 'not (h > 0)',
      none: 'h < 0',
      outer: 'h > 0 or h < 0',
      some: 'n > 107',
      all: 'n >= 107',
    }
    const sizes = { more: 0.5, least: 1, rest: 0.5, none: 0, outer: 0.5, some: 108 / 216, all: 109 / 216 }
    for (const kind of ['hexahedron', 'mixed', 'tetra'] as const) {
      const mesh = boxMesh({ n: 6, kind, skew: 0 })
      const fields = {
        h: { values: atPoints(mesh, (x) => Math.max(0, x - 0.5)), components: 1, unit: '1' },
        n: { values: Float64Array.from(mesh.types, (_, c) => c), components: 1, place: 'cell' as const, unit: '1' },
      }
      const steps: Steps = { section: { kind: 'slice', inputs: water, settings: { origin: [0, 0, 0.4], normal: [0, 0, 1] } } }
      for (const [name, condition] of Object.entries(conditions)) {
        Object.assign(steps, { [name]: kept(condition), [`v${name}`]: measured(name), [`s${name}`]: kept(condition, on('section')) })
      }
      const evaluation = evaluatorFor(testCase(mesh, fields, 1 << 20), steps)
      for (const [name, size] of Object.entries(sizes)) {
        if (kind !== 'hexahedron' && name in { some: 0, all: 0 }) continue
        expect(evaluation.reading(`v${name}`).value, `${kind} ${name}`).toBeCloseTo(size, 12)
        expect(looseEdges(evaluation.shape(name)), `${kind} ${name}`).toBe(0)
        expect(enclosed(evaluation.shape(name)).volume).toBeCloseTo(size, 12)
        if (!(name in { some: 0, all: 0 })) expect(areaOf(evaluation.shape(`s${name}`)), `${kind} ${name}`).toBeCloseTo(size, 12)
      }
    }
  })

  it('joined by or meets its neighbours face to face, so that what is cut again is closed', () => {
    const steps = {
      ...{ some: kept("f > 2.3 'm/s' or q > 0.9"), half: clipped({ origin: [0.41, 0, 0], normal: [1, 0.3, 0.2] }, on('some')) },
      ...{ a: measured('some'), b: measured('half') },
    }
    const volumes = [1024, 2048, 1 << 20].map((blockCells) => {
      const evaluation = evaluated(steps, { n: 14, kind: 'mixed', blockCells })
      expect(looseEdges(evaluation.shape('half'))).toBe(0)
      expect(enclosed(evaluation.shape('half')).volume).toBeCloseTo(evaluation.reading('b').value, 12)
      return [evaluation.reading('a').value, evaluation.reading('b').value]
    })
    expect(volumes[1]).toEqual(volumes[0])
    expect(volumes[2]).toEqual(volumes[0])
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
    const readings = [evaluation.reading('va'), evaluation.reading('vb')]
    expect(readings[0]!.value + readings[1]!.value).toBeCloseTo(1 - 1 / 64, 13)
    const said = ['1 cell is left out: the condition has no value there.']
    expect(readings.map(({ cautions }) => cautions)).toEqual([said, said])
    expect(evaluation.shape('b').notes).toEqual(said)
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
