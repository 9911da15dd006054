import { describe, expect, it } from 'vitest'
import { describeCase } from '../../../core/case/describeCase'
import type { Plan } from '../../../core/evaluate/plan'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import { evaluatorFor } from '../../support/evaluation'
import type { BoxKind } from '../../support/meshes'

const SIZE = [2, 1, 0.5] as const
const CASE_FIELDS = (kind: BoxKind) => {
  const mesh = boxMesh({ n: 5, kind, size: SIZE, skew: 0.25 })
  const cellMiddles = Float64Array.from({ length: mesh.types.length }, (_, c) => c)
  return testCase(mesh, {
    T: { values: atPoints(mesh, (x, y, z) => 280 + 2 * x - y + 4 * z), components: 1, unit: 'K' },
    U: { values: atPoints(mesh, (x, y, z) => [1 + x, 2 - y, 3 * z]), components: 3, unit: 'm/s' },
    id: { values: cellMiddles, components: 1, place: 'cell', unit: null },
    p: { values: atPoints(mesh, (x) => 100 + x), components: 1, unit: 'kPa' },
  })
}

const water = [{ part: 'Water' }]
const skin = [{ outer: 'Water' }]
const slice = (axis: 0 | 1 | 2, at: number): Plan['steps'] => ({
  cut: {
    kind: 'slice',
    inputs: { of: water },
    settings: { origin: [0, 1, 2].map((d) => (d === axis ? at : 0)), normal: [0, 1, 2].map((d) => Number(d === axis)) },
  },
})
const measure = (
  quantity: string,
  variable: string,
  of: Plan['steps'][string]['inputs'][string],
  steps: Plan['steps'] = {},
): Plan['steps'] => ({
  ...steps,
  m: { kind: 'measure', inputs: { of }, settings: { quantity, variable } },
})

describe.each(boxKinds)('numbers of a box of %s cells', (kind) => {
  const data = CASE_FIELDS(kind)
  const read = (steps: Plan['steps'], formulas = {}) => evaluatorFor(data, steps, formulas).reading('m')

  it.each<[string, string, string, typeof water | typeof skin, number, string]>([
    ['the volume', 'size', '', water, 1, 'm³'],
    ['the outer area', 'size', '', skin, 7, 'm²'],
    ['the mean of a scalar', 'mean', 'T', water, 280 + 2 - 0.5 + 1, 'K'],
    ['the integral of a scalar', 'integral', 'T', water, 282.5, 'm³·K'],
    ['the smallest', 'min', 'T', water, 279, 'K'],
    ['the largest', 'max', 'T', water, 286, 'K'],
    ['the magnitude of a mean vector', 'mean', 'U', water, Math.hypot(2, 1.5, 0.75), 'm/s'],
    ['a formula', 'mean', 'U.x * 2', water, 4, 'm/s'],
    ['a formula of formulas', 'mean', 'twice', water, 4, 'm/s'],
    ['a field in a unit of its file', 'mean', 'p', water, 101, 'kPa'],
    ['an integral in a unit of its file', 'integral', 'p', water, 101, 'kPa·m³'],
    ['positions', 'mean', 'pos.x', water, 1, 'm'],
  ])('%s', (_, quantity, variable, of, value, unit) => {
    const reading = read(measure(quantity, variable, of), { twice: 'once * 2', once: 'U.x' })
    expect(reading.value).toBeCloseTo(value, 10)
    expect(reading.unit).toBe(unit)
    expect(reading.cautions).toEqual([])
    expect(reading.madeOf.length).toBeGreaterThan(0)
  })

  it.each<[0 | 1 | 2, number, number, number]>([
    [0, 0.9, 0.5, 1.9 * 0.5],
    [1, 0.4, 1, 1.6 * 1],
    [2, 0.2, 2, 0.6 * 2],
    // on a plane of the lattice
    [0, 0.4, 0.5, 1.4 * 0.5],
  ])('area and flux of a slice across axis %d at %d', (axis, at, area, flux) => {
    const of = [{ step: 'cut' }]
    expect(read(measure('size', '', of, slice(axis, at))).value).toBeCloseTo(area, 12)
    const reading = read(measure('flux', 'U', of, slice(axis, at)))
    expect(reading.value).toBeCloseTo(flux, 12)
    expect(reading.unit).toBe('m³/s')
    expect(reading.madeOf.join()).toContain(`positive along ${'xyz'[axis]}`)
  })

  it('what flows out through the skin is what its divergence makes inside', () => {
    // div U = 1 - 1 + 3
    const out = read(measure('flux', 'U', skin))
    expect(out.value).toBeCloseTo(3, 11)
    expect(out.madeOf.join()).toContain('positive out of Water')
  })

  describe('with a material', () => {
    const [part] = data.catalogue.parts
    const withWater = {
      ...data,
      catalogue: { ...data.catalogue, parts: [{ ...part!, material: { name: 'water', constants: { density: 1000, viscosity: 1e-3 } } }] },
    }
    const readWith = (steps: Plan['steps'], formulas = {}) => evaluatorFor(withWater, steps, formulas).reading('m')

    it('a mass flow is the flux times the density', () => {
      const out = readWith(measure('mass flow', 'U', skin))
      expect(out.value).toBeCloseTo(3000, 8)
      expect(out.unit).toBe('kg/s')
      expect(out.madeOf.join()).toContain('sum of density · U · normal')
      expect(readWith(measure('mass flow', 'U', [{ step: 'cut' }], slice(0, 0.9))).value).toBeCloseTo(950, 9)
    })

    it('its constants carry their units through formulas', () => {
      const re = readWith(measure('mean', 'Re', water), { Re: "density * U.x * 2 'm' / viscosity" })
      expect(re.value).toBeCloseTo(4e6, 3)
      expect(re.unit).toBe('1')
      expect(() => readWith(measure('mean', 'bad', water), { bad: 'density + U.x' })).toThrow(/cannot be added/)
    })

    it('what is not set is asked for', () => {
      expect(() => read(measure('mass flow', 'U', skin))).toThrow(/Water has no density; set its material/)
      expect(() => readWith(measure('mean', 'elasticity', water))).toThrow(/Water has no elasticity/)
      expect(() => readWith(measure('mean', 'colour', water))).toThrow(/no field or formula “colour”/)
    })
  })

  it('says when a unit was only guessed, also behind formulas', () => {
    const guessed = {
      ...data,
      catalogue: {
        ...data.catalogue,
        fields: data.catalogue.fields.map((f) => (f.name === 'p' ? { ...f, unitFrom: 'guess' as const } : f)),
      },
    }
    const cautions = (variable: string): string[] =>
      evaluatorFor(guessed, measure('mean', variable, water), { twice: 'p * 2' }).reading('m').cautions
    expect(cautions('p')).toEqual(['The unit of p, kPa, is a guess that nobody has confirmed; see the data check.'])
    expect(cautions('twice')).toHaveLength(1)
    expect(cautions('T')).toEqual([])
  })

  it('says when slopes are taken in a mesh of one layer, also behind formulas', () => {
    const withMesh = (part: object) => ({
      ...data,
      catalogue: { ...data.catalogue, parts: data.catalogue.parts.map((own) => ({ ...own, ...part })) },
    })
    const cautions = (variable: string, part: object): string[] =>
      evaluatorFor(withMesh(part), measure('mean', variable, water), { slope: 'mag(grad(T))', steep: '2 * slope' }).reading('m').cautions
    // 50 × 40 hexahedra: two rows of 51 × 41 points; in two layers three
    const thin = { cells: 2000, points: 2 * 51 * 41, cellTypes: { hexahedron: 2000 } }
    const said = ['Water is one layer of cells thick: slopes across it are not resolved.']
    expect(cautions('slope', thin)).toEqual(said)
    expect(cautions('steep', thin)).toEqual(said)
    // unless it is said that it is meant so
    const catalogue = withMesh(thin).catalogue
    const { mends } = evaluatorFor({ ...data, catalogue }, measure('mean', 'slope', water), { slope: 'mag(grad(T))' }).reading('m')
    const plane = { ...data, catalogue: describeCase(catalogue, mends![0]!.said!) }
    expect(evaluatorFor(plane, measure('mean', 'slope', water), { slope: 'mag(grad(T))' }).reading('m').cautions).toEqual([])
    expect(cautions('T', thin)).toEqual([])
    expect(cautions('slope', { cells: 4000, points: 3 * 51 * 41, cellTypes: { hexahedron: 4000 } })).toEqual([])
    expect(cautions('slope', { cells: 4000, points: 2 * 51 * 41, cellTypes: { wedge: 4000 } })).toEqual(said)
    expect(cautions('slope', { cells: 27_000, points: 29_791, cellTypes: { hexahedron: 27_000 } })).toEqual([])
  })

  it('what has no value is left out, told how much it is, and shown where it is', () => {
    // the cells about the points in x > 1.5, of five to the length of 2
    const broken = { 'T in part': "if(pos.x > 1.5 'm', sqrt(-1), 1) * T" }
    const reading = evaluatorFor(data, measure('mean', 'T in part', water), broken).reading('m')
    const { caution, makes } = reading.mends![0]!
    expect(reading.cautions).toEqual([caution])
    expect(caution).toMatch(/^\d+ elements with values that are not finite are left out/)
    const kept = { where: { kind: makes!.kind, inputs: { of: water }, settings: { cells: 'cut', ...makes!.settings } } } as Plan['steps']
    const sizeOf = (steps: Plan['steps']): number =>
      evaluatorFor(data, measure('size', '', [{ step: 'where' }], steps), broken).reading('m').value
    const where = sizeOf(kept)
    // every cell with a corner without a value, whole
    expect(where).toBeCloseTo(Number(/\(volume ([\d.]+) m³\)/.exec(caution)![1]), 3)
    expect(where).toBeGreaterThan(0.15)
    expect(where).toBeLessThan(0.6)
    const rest = { where: { ...kept['where']!, settings: { cells: 'whole', condition: 'known(`T in part`) == 1' } } }
    expect(sizeOf(rest)).toBeGreaterThan(0.3)
  })

  it('a mean over a slice is by area, whatever the cells', () => {
    expect(read(measure('mean', 'T', [{ step: 'cut' }], slice(0, 0.9))).value).toBeCloseTo(280 + 1.8 - 0.5 + 1, 11)
  })

  it('an empty slice says so instead of giving a number', () => {
    const reading = read(measure('mean', 'T', [{ step: 'cut' }], slice(0, 7)))
    expect(reading.value).toBeNaN()
    expect(reading.cautions.join()).toMatch(/nothing here to measure/)
  })

  it('several inputs count together', () => {
    const steps = { ...slice(0, 0.9), second: slice(0, 1.7)['cut']! }
    expect(read(measure('size', '', [{ step: 'cut' }, { step: 'second' }], steps)).value).toBeCloseTo(1, 12)
  })
})

describe('curves', () => {
  const data = CASE_FIELDS('mixed')
  const line = (start: number[], end: number[]): Plan['steps'] => ({ l: { kind: 'line', inputs: {}, settings: { start, end } } })
  const plot = (variable: string, samples: number, steps: Plan['steps'], along = [{ step: 'l' }]): Plan['steps'] => ({
    ...steps,
    p: { kind: 'plot', inputs: { along, in: water }, settings: { variable, samples } },
  })
  const curve = (steps: Plan['steps']) => evaluatorFor(data, steps).curve('p')

  it('along a line are exact for linear fields, with length and unit', () => {
    const { x, y, series } = curve(plot('T', 11, line([0, 0.5, 0.25], [2, 0.5, 0.25])))
    expect([x.unit, y.unit, y.name]).toEqual(['m', 'K', 'T'])
    series[0]!.x.forEach((s, i) => expect(s).toBeCloseTo(0.2 * i, 12))
    series[0]!.y.forEach((value, i) => expect(value).toBeCloseTo(280 + 0.4 * i - 0.5 + 1, 10))
  })

  it('run against another variable where that is asked for', () => {
    const against = (abscissa: string, steps: Plan['steps'], along = [{ step: 'l' }], variable = 'T') => {
      const planned = plot(variable, 5, steps, along)
      return curve({ ...planned, p: { ...planned['p']!, settings: { ...planned['p']!.settings, against: 'variable', abscissa } } })
    }
    const { x, series } = against('p', line([0, 0.5, 0.25], [2, 0.5, 0.25]))
    expect(x).toEqual({ name: 'p', unit: 'kPa' })
    expect([...series[0]!.x].map((value) => Number(value.toFixed(9)))).toEqual([100, 100.5, 101, 101.5, 102])
    // values on cells against values on points, and the other way round: both at the ends of each piece
    const cut = {
      ...slice(2, 0.2),
      l: { kind: 'slice', inputs: { of: [{ step: 'cut' }] }, settings: { origin: [0, 0.5, 0], normal: [0, 1, 0] } },
    }
    for (const [abscissa, variable] of [
      ['p', 'id'],
      ['id', 'p'],
    ] as const) {
      const found = against(abscissa, cut, [{ step: 'l' }], variable).series[0]!
      expect(found.x).toHaveLength(found.y.length)
      const p = variable === 'p' ? found.y : found.x
      expect([Math.min(...p), Math.max(...p)].map((value) => Number(value.toFixed(6)))).toEqual([100, 102])
    }
  })

  it('of vectors are their magnitude', () => {
    const { y, series } = curve(plot('U', 3, line([0, 0.5, 0.25], [2, 0.5, 0.25])))
    expect(y.name).toBe('mag(U)')
    series[0]!.y.forEach((value, i) => expect(value).toBeCloseTo(Math.hypot(1 + i, 1.5, 0.75), 10))
  })

  it('have gaps outside, never zeros, and say how many', () => {
    const { series, notes } = curve(plot('T', 5, line([-1, 0.5, 0.25], [3, 0.5, 0.25])))
    expect(Array.from(series[0]!.y, Number.isNaN)).toEqual([true, false, false, false, true])
    expect(notes.join()).toMatch(/2 .*outside/)
  })

  it('of cell values are steps on the lines of a cut surface', () => {
    const steps = {
      ...slice(2, 0.2),
      l: { kind: 'slice', inputs: { of: [{ step: 'cut' }] }, settings: { origin: [0, 0.5, 0], normal: [0, 1, 0] } },
    }
    const { series, notes } = curve(plot('id', 2, steps))
    expect(notes.join()).toMatch(/constant on each piece/)
    const { x, y } = series[0]!
    for (let i = 0; i < x.length; i += 2) expect(y[i]).toBe(y[i + 1])
    expect(x[x.length - 1]).toBeCloseTo(2, 10)
  })

  it.each<[string, Plan['steps'], RegExp]>([
    ['a surface is no line', plot('T', 3, slice(0, 1), [{ step: 'cut' }]), /along a line/],
    [
      'nothing to sample in',
      { ...line([0, 0, 0], [1, 1, 1]), p: { kind: 'plot', inputs: { along: [{ step: 'l' }] }, settings: { variable: 'T', samples: 3 } } },
      /choose one under “in”/,
    ],
    [
      'nothing to run along',
      { p: { kind: 'plot', inputs: { in: water }, settings: { variable: 'T', samples: 3 } } },
      /Nothing is chosen for “along”/,
    ],
    ['a field that is not there', plot('rain', 3, line([0, 0, 0], [1, 1, 1])), /no field or formula “rain”/],
  ])('%s', (_, steps, message) => expect(() => curve(steps)).toThrow(message))
})

describe('what cannot be measured says why', () => {
  const data = CASE_FIELDS('hexahedron')
  const level = (variable: string): Plan['steps'] => ({
    s: { kind: 'isosurface', inputs: { of: water }, settings: { variable, value: 1 } },
  })

  it.each<[string, Plan['steps'], string, RegExp]>([
    ['a flux through a region', measure('flux', 'U', water), 'reading', /goes through a surface/],
    ['a flux of a scalar', measure('flux', 'T', skin), 'reading', /dot|vector|components/],
    ['a surface of a vector', level('U'), 'shape', /“U” has 3 components; choose a scalar such as mag\(U\)/],
    [
      'a line of cell values',
      { s: { kind: 'isosurface', inputs: { of: skin }, settings: { variable: 'id', value: 1 } } },
      'shape',
      /lives on cells and jumps between them, so it has no such line/,
    ],
    [
      'a part that is not there',
      { m: { kind: 'measure', inputs: { of: [{ step: 'gone' }] }, settings: { quantity: 'size', variable: '' } } },
      'reading',
      /was deleted/,
    ],
    [
      'a slice of a line',
      {
        ...slice(0, 1),
        l: { kind: 'line', inputs: {}, settings: { start: [0, 0, 0], end: [1, 1, 1] } },
        s: { kind: 'slice', inputs: { of: [{ step: 'l' }] }, settings: { origin: [0, 0, 0], normal: [1, 0, 0] } },
      },
      'shape',
      /cannot be sliced/,
    ],
  ])('%s', (_, steps, what, message) => {
    const evaluator = evaluatorFor(data, steps)
    expect(() => (what === 'reading' ? evaluator.reading('m') : evaluator.shape('s'))).toThrow(message)
  })
})
