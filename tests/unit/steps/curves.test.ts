import { describe, expect, it } from 'vitest'
import type { Plan } from '../../../core/evaluate/plan'
import { evaluatorFor } from '../../support/evaluation'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'

type Steps = Plan['steps']
type Inputs = Steps[string]['inputs']
const water = [{ part: 'Water' }]
const step = (kind: string, settings: object, inputs: Inputs): Steps[string] => ({ kind, settings: { ...settings }, inputs })

describe.each(boxKinds)('curves in a box of %s cells', (kind) => {
  const mesh = boxMesh({ n: 4, kind, size: [2, 1, 0.5], skew: 0.2 })
  const data = testCase(mesh, {
    T: { values: atPoints(mesh, (x, y) => 20 + 10 * x + y), components: 1, unit: '°C' },
    K: { values: atPoints(mesh, (x, y) => 293.15 + 10 * x + y), components: 1, unit: 'K' },
    p: { values: atPoints(mesh, (x) => 3 * x), components: 1, unit: 'kPa' },
    U: { values: atPoints(mesh, (x, y, z) => [1 + x, 2 - y, 3 * z]), components: 3, unit: 'm/s' },
    layer: { values: Float64Array.from({ length: mesh.types.length }, () => 4), components: 1, place: 'cell', unit: 'Pa' },
    one: { values: atPoints(mesh, () => 1), components: 1, unit: '1' },
  })
  const along = (variable: string, settings: object = {}): Steps[string] =>
    step('plot', { variable, samples: 9, ...settings }, { along: [{ step: 'l' }], in: water })
  const base: Steps = {
    l: step('line', { start: [0, 0.5, 0.25], end: [2, 0.5, 0.25] }, {}),
    T: along('T'),
    K: along('K'),
    p: along('p', { samples: 5 }),
    U: along('U'),
  }
  const curve = (own: Steps[string], more: Steps = {}, formulas = {}) =>
    evaluatorFor(data, { ...base, ...more, c: own }, formulas).curve('c')
  const workOut = (act: string, ...of: string[]) => curve(step('curve', { act }, { of: of.map((id) => ({ step: id })) }))

  it('are subtracted, divided and multiplied with their units on the abscissae of the first', () => {
    const difference = workOut('difference', 'T', 'K')
    expect(difference.y).toMatchObject({ unit: '°C', isDifference: true })
    expect(difference.series[0]!.y).toHaveLength(9)
    for (const value of difference.series[0]!.y) expect(value).toBeCloseTo(0, 9)
    const product = workOut('product', 'U', 'p')
    // the magnitude of the velocity times a pressure in Pa
    expect(product.y.unit).toBe('W/m²')
    product.series[0]!.x.forEach((x, i) => {
      expect(product.series[0]!.y[i]).toBeCloseTo(Math.hypot(1 + x, 1.5, 0.75) * 3000 * x, 7)
    })
    expect(workOut('ratio', 'K', 'K').series[0]!.y[3]).toBeCloseTo(1, 12)
    expect(() => workOut('sum', 'U', 'p')).toThrow(/have different quantities: mag\(U\) in m\/s and p in kPa/)
    expect(() => workOut('difference', 'T')).toThrow(/of two curves at least/)
  })

  it('run along circles and lines of several corners, sampled in a region with what lies outside as gaps', () => {
    const ring = step('circle', { origin: [1, 0.5, 0.25], normal: [0, 0, 1], radius: 0.4 }, {})
    const onRing = curve(along('T', { samples: 41 }), { l: ring })
    expect(onRing.series).toHaveLength(1)
    const { x, y, places } = onRing.series[0]!
    expect(x[40]).toBeCloseTo(2 * Math.PI * 0.4, 4)
    x.forEach((length, i) => {
      const [px, py] = [places![3 * i]!, places![3 * i + 1]!]
      expect(Math.hypot(px - 1, py - 0.5)).toBeCloseTo(0.4, 5)
      // from the x axis towards y, evenly
      expect(Math.atan2(py - 0.5, px - 1) + (i > 20 ? 2 * Math.PI : 0)).toBeCloseTo(length / 0.4, 3)
      expect(y[i]).toBeCloseTo(20 + 10 * px + py, 9)
    })
    // a function of the place of each sample, which no mapping from nodes changes
    for (const place of ['here', 'pos']) {
      const turn = { turn: `atan2(${place}.y - dy, ${place}.x - 1 m)`, dy: '0.5 m' }
      const against = curve(along('T', { samples: 41, against: 'variable', abscissa: 'turn' }), { l: ring }, turn).series[0]!
      against.x.forEach((angle, i) => expect(angle).toBeCloseTo(Math.atan2(places![3 * i + 1]! - 0.5, places![3 * i]! - 1), 9))
    }
    const wide = curve(along('T', { samples: 41 }), { l: { ...ring, settings: { ...ring.settings, radius: 0.6 } } })
    expect(wide.notes.join()).toMatch(/^\d+ of 41 samples lie outside the domain and are left as gaps$/)
    expect(wide.series[0]!.y.some(Number.isNaN)).toBe(true)
    const corners = [[0.1, 0.5, 0.25], [0.5, 0.5, 0.25], [0.5, 0.8, 0.25]] // prettier-ignore
    const bent = step('points', { places: corners, joined: 'line' }, {})
    for (const settings of [{ samples: 15 }, { spacing: 'cells' }]) {
      const { x, y } = curve(along('T', settings), { l: bent }).series[0]!
      expect([x[0], x.at(-1)]).toEqual([0, expect.closeTo(0.7, 12)])
      x.forEach((at, i) => expect(y[i]).toBeCloseTo(20.5 + 10 * (0.1 + Math.min(at, 0.4)) + Math.max(0, at - 0.4), 9))
      expect(x.every((at, i) => i === 0 || at > x[i - 1]!)).toBe(true)
    }
  })

  it('have slopes and integrals in coherent units, and fits with their formula', () => {
    const slope = workOut('slope', 'p')
    expect(slope.y.unit).toBe('Pa/m')
    for (const value of slope.series[0]!.y) expect(value).toBeCloseTo(3000, 7)
    const integral = workOut('integral', 'p')
    expect(integral.series[0]!.y.at(-1)).toBeCloseTo(6000, 7)
    expect(workOut('line', 'p').notes.join()).toMatch(/p: 3 x [+−] 0?.*x in m, values in kPa/)
    expect(workOut('resample', 'p').series[0]!.x).toHaveLength(100)
  })

  it('are sampled closer where it is wished, exactly on a linear field', () => {
    const { series } = curve(along('T', { spacing: 'start', samples: 21 }))
    const { x, y } = series[0]!
    expect(x[1]! - x[0]!).toBeLessThan((x[20]! - x[19]!) / 10)
    x.forEach((at, i) => expect(y[i]).toBeCloseTo(20.5 + 10 * at, 9))
    expect([...series[0]!.places!.slice(-3)]).toEqual([2, 0.5, 0.25].map((v) => expect.closeTo(v, 12)))
  })

  it('of distributions close: shares sum up to the whole, and what is even over a length has even bins', () => {
    const shares = curve(step('histogram', { variable: 'p', bins: 8, as: 'sum' }, { over: water }))
    expect(shares.x).toEqual({ name: 'p', unit: 'kPa' })
    expect(shares.y.name).toBe('share of the volume up to it')
    const { x, y } = shares.series[0]!
    expect([x[0], x.at(-1), y[0]]).toEqual([0, expect.closeTo(6, 12), 0])
    expect(y.at(-1)).toBeCloseTo(1, 12)
    // corners stand for the cells around them: off by a part of a cell
    x.forEach((at, i) => expect(Math.abs(y[i]! - at / 6)).toBeLessThan(0.15))
    const each = curve(step('histogram', { variable: 'one', bins: 1 }, { over: water })).series[0]!
    expect([...each.y]).toEqual([0, expect.closeTo(1, 12), expect.closeTo(1, 12), 0])
  })

  it('scatter one variable against another, thinned where there are many', () => {
    const all = curve(step('scatter', { variable: 'K', abscissa: 'T', most: 100_000 }, { over: water }))
    expect(all.isLoose).toBe(true)
    all.series[0]!.x.forEach((at, i) => expect(all.series[0]!.y[i]).toBeCloseTo(at + 273.15, 9))
    const few = curve(step('scatter', { variable: 'K', abscissa: 'T', most: 10 }, { over: water }))
    expect(few.series[0]!.x.length).toBeLessThanOrEqual(10)
    expect(few.notes[0]).toMatch(/^every \d+th of/)
    const byCell = curve(step('scatter', { variable: 'layer', abscissa: 'T', most: 100_000 }, { over: water }))
    expect(byCell.series[0]!.x).toHaveLength(mesh.types.length)
    expect(byCell.notes).toContain('T is the mean over the points of each cell')
    const skin = [{ outer: 'Water' }]
    expect(curve(step('scatter', { variable: 'p', abscissa: 'T', most: 50 }, { over: skin })).x.unit).toBe('°C')
  })
})

describe('samples along a line', () => {
  it('say when they skip cells, with a mend', () => {
    const mesh = boxMesh({ n: 30, skew: 0 })
    const data = testCase(mesh, { T: { values: atPoints(mesh, (x) => x), components: 1, unit: 'K' } })
    const take = (samples: number) => {
      const l = step('line', { start: [0, 0.51, 0.51], end: [1, 0.51, 0.51] }, {})
      return evaluatorFor(data, { l, c: step('plot', { variable: 'T', samples }, { along: [{ step: 'l' }], in: water }) }).curve('c')
    }
    const { notes, mends } = take(25)
    expect(notes.join()).toMatch(/^fewer samples than cells/)
    expect(mends![0]).toMatchObject({ caution: notes[0], settings: { samples: 100 } })
    expect(take(100).notes).toEqual([])
  })
})
