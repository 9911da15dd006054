import { describe, expect, it } from 'vitest'
import type { Moment } from '../../../core/case/catalogue'
import type { CaseData } from '../../../core/case/CaseData'
import { Computer } from '../../../core/evaluate/Computer'
import { doubtsOf } from '../../../core/evaluate/doubts'
import { Graph } from '../../../core/evaluate/Graph'
import { MapResults } from '../../../core/evaluate/local'
import { plainPlan } from '../../../core/evaluate/plan'
import { nameOf } from '../../../core/fields/formula/expressions'
import { measureExpression } from '../../../core/measure/reductions'
import { CASE } from '../../support/evaluation'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import type { BoxKind } from '../../support/meshes'

/** Uneven, so that weights matter. */
const TIMES = [0, 1, 1.5, 3, 4]

/** T = x + 2 t + t², f in °C, at each moment of a case; `shift` is added in another one. */
function historyOf(kind: BoxKind, shift: number, n = 3, times = TIMES) {
  const mesh = boxMesh({ n, kind, skew: 0.2 })
  const at = (t: number): CaseData =>
    testCase(mesh, {
      T: { values: atPoints(mesh, (x) => shift + x + 2 * t + t * t), components: 1, unit: 'kPa' },
      U: { values: atPoints(mesh, (x) => [t, x, shift]), components: 3, unit: 'm/s' },
      c: { values: Float64Array.from({ length: mesh.types.length }, () => shift + t), components: 1, place: 'cell', unit: '1' },
    })
  const datas = times.map(at)
  const { catalogue } = datas[0]!
  const moments: Moment[] = times.map((value, index) => ({ ...catalogue.moments[0]!, index, kind: 'time', value, unit: 's' }))
  const all = times.map((_, i) => i)
  return { datas, catalogue: { ...catalogue, moments, fields: catalogue.fields.map((field) => ({ ...field, moments: all })) } }
}

type History = ReturnType<typeof historyOf>

function computerFor(cases: Record<string, History>, formulas: Record<string, string>) {
  const names = Object.keys(cases)
  const first = cases[names[0]!]!
  const plan = {
    ...plainPlan(CASE, first.catalogue),
    cases: Object.fromEntries(names.map((name) => [name, CASE])),
    caseNames: Object.fromEntries(names.map((name) => [name, `The ${name}`])),
    parts: { Water: { name: 'Water', binding: Object.fromEntries(names.map((name) => [name, ['Water']])) } },
    variables: Object.fromEntries(
      first.catalogue.fields.map(({ name: field }) => [
        field,
        { name: field, binding: Object.fromEntries(names.map((name) => [name, { field }])) },
      ]),
    ),
    formulas: Object.fromEntries(Object.entries(formulas).map(([name, text]) => [name, { name, text }])),
  }
  const snapshots = names.map((name) => [name, { key: name, id: CASE, generation: name, catalogue: cases[name]!.catalogue }] as const)
  const graph = new Graph(plan, new Map(snapshots))
  const computer = new Computer({
    graph,
    results: new MapResults(),
    dataOf: ({ frame, catalogue }) => ({ ...cases[frame.case]!.datas[frame.moment]!, catalogue }),
    check: () => undefined,
    isAlone: true,
    deflate: (bytes) => bytes,
  })
  return { graph, computer }
}

describe.each(boxKinds)('formulas at other moments, in a box of %s cells', (kind) => {
  const water = historyOf(kind, 0)
  const warmer = historyOf(kind, 5)
  const mean = (text: string, moment: number, formulas = {}) => {
    const { computer } = computerFor({ base: water, other: warmer }, formulas)
    return measureExpression(`mean(${text})`, computer.data({ case: 'base', moment }), ['Water'])
  }

  // the mean of x is 0.5
  it.each<[string, number, number, string]>([
    ['at(first, T)', 3, 500, 'Pa'],
    ['at(last, T) - T', 3, 1000 * (24 - 15), 'Pa'],
    ['at(previous, T)', 3, 1000 * (0.5 + 3 + 2.25), 'Pa'],
    ['at(next, T)', 4, 1000 * 24.5, 'Pa'],
    ['at(1, T)', 0, 3500, 'Pa'],
    ["at(1.4 's', T)", 0, 1000 * (0.5 + 3 + 2.25), 'Pa'],
    ["at(0.05 'min', T)", 0, 15500, 'Pa'],
    ['at(last, time)', 0, 4, 's'],
    ['at(last, c)', 0, 4, '1'],
    // a parabola in time is differentiated exactly, at the ends as well
    ['ddt(T)', 0, 2000, 'W/m³'],
    ['ddt(T)', 2, 5000, 'W/m³'],
    ['ddt(T)', 4, 10000, 'W/m³'],
    ['ddt(U).x', 1, 1, 'm/s²'],
    // by the trapezoid rule: exact for what is linear in time
    ['mean(U, over = times).x', 2, 2, 'm/s'],
    ['min(T, over = times)', 2, 500, 'Pa'],
    ['max(mag(U), over = times) - max(mag(U), over = times)', 2, 0, 'm/s'],
    ['rms(c, over = times)', 0, Math.sqrt((0.5 * 1 + 0.25 * (1 + 2.25) + 0.75 * (2.25 + 9) + 0.5 * (9 + 16)) / 4), '1'],
    ['std(U.x, over = times)', 0, Math.sqrt((0.5 * 1 + 0.25 * (1 + 2.25) + 0.75 * (2.25 + 9) + 0.5 * (9 + 16)) / 4 - 4), 'm/s'],
    ['from("The other", T) - T', 2, 5000, 'Pa'],
    ['mag(from("The other", U)) - mag(from("The other", U))', 2, 0, 'm/s'],
    ['from("The other", at(first, T))', 2, 5500, 'Pa'],
    // linear in time, so that a span that ends between moments is exact
    ["mean(U.x, over = times, from = 0.5 's', to = 2 's')", 0, 1.25, 'm/s'],
    ["mean(U.x, over = times, to = 1 's')", 0, 0.5, 'm/s'],
    ["max(U.x, over = times, from = 0.5 's', to = 2 's')", 0, 1.5, 'm/s'],
    ['timeofmax(T)', 0, 4, 's'],
    ['timeofmin(T)', 4, 0, 's'],
    ["timeofmax(T, to = 2 's')", 0, 1.5, 's'],
    ["timeofmax(-(U.x - 1.4 'm/s')^2)", 0, 1.5, 's'],
    ['delta', 2, 5000, 'Pa'],
  ])('%s at moment %d', (text, moment, value, unit) => {
    const found = mean(text, moment, { delta: 'from("The other", twice) / 2 - T', twice: '2 * T' })
    expect(found.value).toBeCloseTo(value, 8)
    expect(found.unit).toBe(unit)
  })
})

describe('formulas at other moments', () => {
  it('statistics of the same values read them once, whichever is asked for first', () => {
    const history = historyOf('hexahedron', 0)
    let nRead = 0
    const datas = history.datas.map((data): CaseData => ({
      ...data,
      part: (name) => {
        const part = data.part(name)
        return Object.assign(Object.create(part) as typeof part, { field: (field: string, k: number) => (nRead++, part.field(field, k)) })
      },
    }))
    const formulas = {
      rms: 'rms(T, over = times)',
      mean: 'mean(T, over = times)',
      spread: 'max(T, over = times) - min(T, over = times)',
      peak: 'timeofmax(T)',
      swing: "amplitude(T, at = 0.1 'Hz')",
    }
    const { computer } = computerFor({ run: { ...history, datas } }, formulas)
    const data = computer.data({ case: 'run', moment: 2 })
    const part = data.part('Water')
    const values = Object.keys(formulas).map((name) => part.within(() => data.blockValues(nameOf(name), ['Water'], part, 0).values[0]!))
    expect(nRead).toBe(TIMES.length)
    const T = TIMES.map((t) => 1000 * (part.block(0).points[0]! + 2 * t + t * t))
    const weights = TIMES.map((_, i) => ((TIMES[i + 1] ?? TIMES[i]!) - (TIMES[i - 1] ?? TIMES[i]!)) / 8)
    const mean = T.reduce((sum, x, i) => sum + weights[i]! * x, 0)
    const rms = Math.sqrt(T.reduce((sum, x, i) => sum + weights[i]! * x * x, 0))
    expect(values.slice(0, 4)).toEqual([rms, mean, T.at(-1)! - T[0]!, 4].map((x) => expect.closeTo(x, 6)))
  })

  const water = historyOf('hexahedron', 0)
  const withOther = (other: History, text: string, formulas = {}) => {
    const { computer, graph } = computerFor({ base: water, other }, { own: text, ...formulas })
    const measure = () => measureExpression('mean(own)', computer.data({ case: 'base', moment: 1 }), ['Water'])
    return { measure, graph, computer }
  }

  it.each<[string, RegExp]>([
    ['at(9, T)', /There is no moment 9; they run from 0 to 4/],
    ["at(2 'm', T)", /“m” is no unit of time/],
    ['at(T, T)', /A moment is first, last/],
    ['at(first)', /Write it as at\(moment, e\)/],
    ['from("Nobody", T)', /There is no case “Nobody” with this part, and no part of that name; cases are “The base”, “The other”/],
    ['from(T)', /Write it as from\("Case", e\)/],
    ['mean(T, over = places)', /It is taken over = times/],
    ['rms(U, over = times)', /takes a scalar, but this is a vector/],
    ['ddt(own)', /is defined by itself/],
    ["mean(T, over = times, from = 5 's')", /nothing between these times; the case runs from 0 s to 4 s/],
    ["mean(T, over = times, from = 2 'm')", /“2 'm'” is not a time/],
    ['amplitude(T)', /Name the frequency/],
    ['timeofmax(U)', /takes a scalar/],
    ['at(first, normal)', /no normal/],
    ['at(first, rain)', /no field or formula “rain”/],
  ])('%s says what is wrong', (text, message) => expect(() => withOther(water, text).measure()).toThrow(message))

  it.each<[string, number]>([
    ['k * c', 3],
    ['at(last, k * c)', 12],
    ['from("The other", k * c)', 3 * 6],
    ['mean(scaled, over = times)', 6],
    ['k * c + k * sum(0 * c)', 3],
  ])('%s has the constants of its frame wherever it looks', (text, value) => {
    const { computer } = computerFor(
      { base: water, other: historyOf('hexahedron', 5) },
      { k: '2', scaled: 'k * c', p: "1 'kPa'", own: text },
    )
    const meanIn = (constants?: Record<string, number>) =>
      measureExpression('mean(own)', computer.data({ case: 'base', moment: 1, ...(constants && { constants }) }), ['Water']).value
    expect(meanIn({ k: 3 })).toBeCloseTo(value, 9)
    expect(meanIn({ k: -3 })).toBeCloseTo(-value, 9)
    // the study is as it was
    expect(meanIn()).toBeCloseTo((value * 2) / 3, 9)
    const inFrame = computer.data({ case: 'base', moment: 1, constants: { p: 5, gone: 1 } })
    expect(measureExpression('mean(p)', inFrame, ['Water'])).toMatchObject({ value: 5000, unit: 'Pa' })
  })

  it('find amplitude and phase of what swings, at even times over whole periods', () => {
    const times = Array.from({ length: 81 }, (_, i) => i / 10)
    // U.x is the time, and 0.25 Hz a period of 4 s; a mean and another frequency change nothing
    const swing = "2 * cos(pi / 2 * U.x / 1 'm/s' + 0.3) + 7 + cos(pi * U.x / 1 'm/s')"
    for (const [name, value] of [
      ['amplitude', 2],
      ['phase', 0.3],
    ] as const) {
      const { computer } = computerFor({ base: historyOf('hexahedron', 0, 1, times) }, { swing })
      const data = computer.data({ case: 'base', moment: 0 })
      expect(measureExpression(`mean(${name}(swing, at = 0.25 'Hz'))`, data, ['Water']).value).toBeCloseTo(value, 9)
    }
  })

  it.each(boxKinds)('are carried from a mesh of %s cells by its cells: what is linear exactly', (kind) => {
    const { computer } = withOther(historyOf(kind, 5, 5), 'from("The other", T) - T')
    const data = computer.data({ case: 'base', moment: 0 })
    for (const which of ['min', 'max']) {
      const { value, unit } = measureExpression(`${which}(own)`, data, ['Water'])
      expect(Math.abs(value - 5000) / 5000).toBeLessThan(1e-10)
      expect(unit).toBe('Pa')
    }
  })

  it('are doubted where the other mesh is another one', () => {
    const fine = historyOf('hexahedron', 0, 7)
    const counted = { ...fine, catalogue: fine.datas[0]!.catalogue }
    const { graph } = computerFor(
      {
        base: { ...water, catalogue: { ...water.catalogue } },
        other: { ...fine, catalogue: { ...fine.catalogue, parts: counted.catalogue.parts } },
      },
      { own: 'from("The other", T)' },
    )
    const at = graph.frame({ case: 'base', moment: 1 })
    const doubts = doubtsOf(at, [nameOf('own')], ['Water'], (frame) => graph.frame(frame))
    expect(doubts.cautions.join()).toMatch(/Water of The other has another mesh \(343 cells\), which is much finer: its values are carried/)
    const same = computerFor({ base: water, other: historyOf('hexahedron', 5) }, { own: 'from("The other", T)' }).graph
    expect(doubtsOf(same.frame({ case: 'base', moment: 1 }), [nameOf('own')], ['Water'], (frame) => same.frame(frame)).cautions).toEqual([])
  })

  it('have no value where the other mesh ends', () => {
    const cube = boxMesh({ n: 3, kind: 'hexahedron', skew: 0 })
    const half = { ...cube, points: Float64Array.from(cube.points, (x, i) => (i % 3 === 0 ? x / 2 : x)) }
    const small = historyOf('hexahedron', 0)
    const datas = small.datas.map(() => testCase(half, { T: { values: atPoints(half, (x) => x), components: 1, unit: 'kPa' } }))
    const { catalogue } = datas[0]!
    const other = { datas, catalogue: { ...small.catalogue, parts: catalogue.parts, fields: small.catalogue.fields } }
    const { computer } = withOther(other, 'from("The other", T)')
    const data = computer.data({ case: 'base', moment: 0 })
    const part = data.part('Water')
    const { values } = data.blockValues(nameOf('own'), ['Water'], part, 0)
    const { points } = part.block(0)
    for (let p = 0; p < values.length; p++) {
      const x = points[3 * p]!
      if (x > 0.5) expect(values[p]).toBeNaN()
      else expect(values[p]).toBeCloseTo(1000 * x, 8)
    }
  })

  it('without times have no derivative', () => {
    const bare = { ...water, catalogue: { ...water.catalogue, moments: water.catalogue.moments.map((m) => ({ ...m, value: null })) } }
    const { computer } = computerFor({ base: bare }, { own: 'ddt(T)' })
    expect(() => measureExpression('mean(own)', computer.data({ case: 'base', moment: 1 }), ['Water'])).toThrow(/moments with times/)
  })

  it('read what they look at, and keep their values from one moment to the next', () => {
    const { graph } = withOther(water, 'at(first, T) + from("The other", c) * 1 ')
    const at = (moment: number) => graph.frame({ case: 'base', moment })
    const first = at(0).expressions
    expect(first.reads(nameOf('own'), 'Water')).toEqual([])
    const history = withOther(water, 'mean(T, over = times)').graph
    const name = nameOf('own')
    const frames = [0, 3].map((moment) => history.frame({ case: 'base', moment }).expressions)
    expect(frames[0]!.key(name, ['Water'])).toBe(frames[1]!.key(name, ['Water']))
    const reads = frames[0]!.reads(name, 'Water').filter(({ field }) => field === 'T')
    expect(reads.map(({ frame }) => frame?.moment)).toEqual([0, 1, 2, 3, 4])
    const other = withOther(water, 'from("The other", T)').graph.frame({ case: 'base', moment: 2 }).expressions
    expect(other.reads(name, 'Water')).toContainEqual({ part: 'Water', field: 'T', frame: { case: 'other', moment: 2 } })
  })
})
