import { describe, expect, it } from 'vitest'
import { calculate } from '../../../core/steps/calculate'
import type { Plan } from '../../../core/evaluate/plan'
import { evaluatorFor } from '../../support/evaluation'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'

const SIZE = [2, 1, 0.5] as const
const water = [{ part: 'Water' }]
const skin = [{ outer: 'Water' }]
type Steps = Plan['steps']
type Inputs = Steps[string]['inputs']

const step = (kind: string, settings: object, inputs: Inputs): Steps[string] => ({ kind, settings: { ...settings }, inputs })
const slice = (axis: 0 | 1 | 2, at: number): Steps[string] =>
  step('slice', { origin: [0, 1, 2].map((d) => (d === axis ? at : 0)), normal: [0, 1, 2].map((d) => Number(d === axis)) }, { of: water })
const measure = (settings: object, of: Inputs[string]): Steps[string] =>
  step('measure', { quantity: 'mean', variable: 'T', ...settings }, { of })

describe.each(boxKinds)('readings of a box of %s cells', (kind) => {
  const mesh = boxMesh({ n: 5, kind, size: SIZE, skew: 0.25 })
  const bare = testCase(mesh, {
    T: { values: atPoints(mesh, (x, y, z) => 280 + 2 * x - y + 4 * z), components: 1, unit: 'K' },
    U: { values: atPoints(mesh, (x, y, z) => [1 + x, 2 - y, 3 * z]), components: 3, unit: 'm/s' },
    p: { values: atPoints(mesh, (x) => 100 + x), components: 1, unit: 'kPa' },
    stress: { values: atPoints(mesh, (x) => [x, 2, 3, 4, 5, 6]), components: 6, unit: 'Pa' },
    one: { values: atPoints(mesh, () => 1), components: 1, unit: '1' },
    level: { values: Float64Array.from({ length: mesh.types.length }, () => 5), components: 1, place: 'cell', unit: 'Pa' },
  })
  const [part] = bare.catalogue.parts
  const data = {
    ...bare,
    catalogue: { ...bare.catalogue, parts: [{ ...part!, material: { name: 'water', constants: { density: 1000 } } }] },
  }
  const read = (steps: Steps, formulas = {}) => evaluatorFor(data, steps, formulas).reading('m')

  it('smallest and largest values have a place', () => {
    const largest = read({ m: measure({ quantity: 'max' }, water) })
    expect(largest.at).toEqual([2, 0, 0.5])
    expect(largest.madeOf[0]).toBe('at (2, 0, 0.5) m')
    expect(read({ s: slice(0, 0.9), m: measure({ quantity: 'min' }, [{ step: 's' }]) }).at![0]).toBeCloseTo(0.9, 12)
  })

  it('a percentile of what is even over a length is in its place, and says how it counts', () => {
    const reading = read({ m: measure({ quantity: 'percentile', variable: 'p', percent: 25 }, water) })
    // corners stand for the cells around them: off by a part of a cell
    expect(Math.abs(reading.value - 100.5)).toBeLessThan(0.2)
    expect(reading.unit).toBe('kPa')
    expect(reading.madeOf[0]).toMatch(/^25 % of the volume lie below/)
    expect(read({ m: measure({ quantity: 'percentile', variable: 'one', percent: 50 }, water) }).value).toBe(1)
  })

  it('centres are those of the box, and of its mass', () => {
    const centre = read({ m: measure({ quantity: 'centre' }, water) })
    expect(Object.values(centre.components!).map((x) => x.toFixed(10))).toEqual(['1.0000000000', '0.5000000000', '0.2500000000'])
    expect(centre.unit).toBe('m')
    expect(read({ m: measure({ quantity: 'centre of mass' }, water) }).components!['x']).toBeCloseTo(1, 10)
  })

  it('a line drawn by hand is measured in a region, as far as it lies in it', () => {
    const line = { l: step('line', { start: [1, 0.5, 0.25], end: [3, 0.5, 0.25] }, {}) }
    const on = (settings: object, within = water) =>
      read({ ...line, m: step('measure', { variable: 'T', ...settings }, { of: [{ step: 'l' }], in: within }) })
    const mean = on({ quantity: 'mean' })
    expect(mean.value).toBeCloseTo(280 + 3 - 0.5 + 1, 2)
    expect(on({ quantity: 'size' }).value).toBeCloseTo(1, 2)
    expect(on({ quantity: 'size' }, []).value).toBeCloseTo(2, 12)
    expect(mean.cautions.join()).toMatch(/500 of about 1000 samples lie outside Water/)
    expect(() => on({ quantity: 'mean' }, [])).toThrow(/choose one under “in”/)
    const inside = {
      l: step(
        'points',
        {
          places: [
            [0, 0, 0],
            [2, 0, 0],
            [2, 1, 0],
          ],
          joined: 'line',
        },
        {},
      ),
    }
    const m = step('measure', { variable: 'T', quantity: 'integral' }, { of: [{ step: 'l' }], in: water })
    // 2 · (280 + 2) + 1 · (284 − 0.5)
    expect(read({ ...inside, m }).value).toBeCloseTo(564 + 283.5, 8)
  })

  it('points drawn by hand are measured in a region, as far as they lie in it', () => {
    const places = [[0.3, 0.2, 0.1], [1.1, 0.7, 0.4], [5, 0, 0]] // prettier-ignore
    const one = { l: step('points', { places: places.slice(0, 1), joined: 'single' }, {}) }
    const three = { l: step('points', { places, joined: 'single' }, {}) }
    const on = (points: Steps, quantity: string) =>
      read({ ...points, m: step('measure', { variable: 'T', quantity }, { of: [{ step: 'l' }], in: water }) })
    expect(on(one, 'mean').value).toBeCloseTo(280 + 0.6 - 0.2 + 0.4, 10)
    expect(on(three, 'max').value).toBeCloseTo(280 + 2.2 - 0.7 + 1.6, 10)
    expect(on(three, 'mean').cautions).toEqual(['1 of 3 points lie outside Water and are left out.'])
    // as many as a mesh has are not places that were chosen
    const many = { l: step('points', { places: Array.from({ length: 9 }, (_, i) => [i / 9, 0.5, 0.2]), joined: 'single' }, {}) }
    const { cautions, mends } = on(many, 'mean')
    expect(cautions.join()).toMatch(/Points count alike here.*the mean by volume is that over Water/)
    expect(mends).toMatchObject([{ caution: cautions[0], inputs: { of: ['Water'] } }])
    expect(on(many, 'max').cautions).toEqual([])
  })

  it('counts places as rings around an axis, written out', () => {
    const steps = { s: slice(2, 0.2), l: { ...slice(1, 0.4), inputs: { of: [{ step: 's' }] } } }
    const on = (settings: object) => read({ ...steps, m: measure({ around: 'y', axisAt: [0, 0, 0.2], ...settings }, [{ step: 'l' }]) })
    // from r = 0 to 2: a disc
    expect(on({ quantity: 'size' }).value).toBeCloseTo(4 * Math.PI, 10)
    expect(on({ quantity: 'size' }).unit).toBe('m²')
    const mean = on({ quantity: 'weighted', weight: 'one' })
    // T · r is a square: exact by Simpson, and by corners to second order
    expect(Math.abs(mean.value - (280 + 2 * (4 / 3) - 0.4 + 0.8))).toBeLessThan(0.05)
    expect(mean.madeOf[0]).toBe('integral(T · one · 2πr) / integral(one · 2πr)')
  })

  it('a flow is told in what goes out and in, and a mean by a vector is one by what goes through', () => {
    const flux = read({ m: measure({ quantity: 'flux', variable: 'U' }, skin) })
    const of = (name: string) => flux.parts!.find((one) => one.name === name)!.value
    // x: in 0.5, out 1.5; y: in 2, out 1; z: in 0, out 3
    expect(of('in')).toBeCloseTo(0.5 + 2, 10)
    expect(of('out')).toBeCloseTo(1.5 + 1 + 3, 10)
    expect(flux.value).toBeCloseTo(3, 10)
    const bulk = read({ s: slice(0, 0.9), m: measure({ quantity: 'weighted', weight: 'U' }, [{ step: 's' }]) })
    expect(bulk.value).toBeCloseTo(280 + 1.8 - 0.5 + 1, 9)
    expect(bulk.madeOf[0]).toBe('integral(T · dot(U, normal)) / integral(dot(U, normal))')
    // nothing goes through a volume: no mean there by each component of a velocity
    const weigh = () => read({ m: measure({ quantity: 'weighted', weight: 'U' }, water) })
    expect(weigh).toThrow('Only through a surface does “U” weigh by what flows; along lines and in regions take a component such as U.x.')
  })

  it('warns of a mean by area of what a flow carries, and says what one click would do', () => {
    const mean = read({ s: slice(0, 0.9), m: measure({}, [{ step: 's' }]) })
    expect(mean.cautions.join()).toMatch(/mean by area.*weighted by the flow of U/)
    expect(mean.mends).toMatchObject([{ settings: { quantity: 'weighted' }, fields: { weight: 'U' } }])
    expect(read({ m: measure({}, water) }).cautions).toEqual([])
    expect(read({ s: slice(0, 0.9), m: measure({ variable: 'p' }, [{ step: 's' }]) }).cautions).toEqual([])
  })

  it('a smallest speed on walls says what it is worth', () => {
    const walls = {
      ...data,
      catalogue: {
        ...data.catalogue,
        parts: [
          ...data.catalogue.parts,
          { ...part!, name: 'Wall', dimension: 2, owners: ['Water'], role: { is: 'wall' as const, from: 'user' as const } },
        ],
      },
    }
    const still = { m: measure({ quantity: 'min', variable: 'mag(U) - min(mag(U))' }, water) }
    const found = evaluatorFor(walls, still).reading('m')
    expect(found.cautions.join()).toMatch(/smallest speed is 0 on walls without slip/)
    expect(found.mends).toMatchObject([{ settings: { quantity: 'percentile', percent: 5 } }])
    expect(read(still).cautions).toEqual([])
  })

  it('columns of streamlines are measured like variables', () => {
    const traced = {
      l: step('line', { start: [0.1, 0.3, 0.2], end: [0.1, 0.7, 0.2] }, {}),
      t: step(
        'trace',
        { variable: 'U', count: 3, direction: 'downstream', length: 5, tolerance: 1e-6 },
        { of: water, seeds: [{ step: 'l' }] },
      ),
    }
    for (const quantity of ['mean', 'integral', 'min', 'max', 'percentile'])
      expect(Number.isFinite(read({ ...traced, m: measure({ quantity, variable: 'travel-time' }, [{ step: 't' }]) }).value)).toBe(true)
  })

  it('force and moment of a pressure are exact, in parts', () => {
    const settings = { quantity: 'force', source: 'pressure', pressure: 'p', shear: 'U', stress: 'stress', about: [1, 0.5, 0.25] }
    const onSkin = (change: object) => read({ m: step('force', { ...settings, ...change }, { on: skin }) })
    const force = onSkin({})
    // ∮ p n = ∫ grad p = 1 kPa/m over 1 m³
    expect(force.components!['x']).toBeCloseTo(1000, 5)
    expect(force.components!['y']).toBeCloseTo(0, 5)
    expect(force.unit).toBe('N')
    // about the middle by symmetry there is none; 0.5 m aside the force has that lever
    expect(onSkin({ quantity: 'moment' }).value).toBeCloseTo(0, 4)
    const moment = onSkin({ quantity: 'moment', about: [1, 0, 0.25] })
    expect(moment.components!['z']).toBeCloseTo(-500, 4)
    expect(moment.unit).toBe('N·m')
    expect(moment.madeOf.join()).toContain('about (1, 0, 0.25) m')
    // where no point was given, that about the middle of the surface, and one click makes it the given one
    const middle = onSkin({ quantity: 'moment', point: 'middle', about: [9, 9, 9] })
    expect(middle.madeOf.join()).toContain('about (1, 0.5, 0.25) m')
    expect(middle.cautions.join()).toMatch(/No point was given/)
    expect(middle.mends).toMatchObject([{ caution: middle.cautions[0], settings: { point: 'given', about: [1, 0.5, 0.25] } }])
    expect(moment.cautions).toEqual([])
    // values on cells have a moment as well
    expect(Number.isFinite(onSkin({ quantity: 'moment', pressure: 'level' }).value)).toBe(true)
    // ∮ σ n = ∫ div σ: ∂xx/∂x = 1
    expect(onSkin({ source: 'stress' }).components!['x']).toBeCloseTo(1, 10)
    expect(() => onSkin({ source: 'stress', stress: 'T' })).toThrow(/no tensor/)
    expect(() => onSkin({ source: 'pressure and shear' })).toThrow(/“U” is in m\/s and is no force over an area; choose one in Pa/)
    expect(() => onSkin({ pressure: 'one' })).toThrow(/“one” has no unit and is no force over an area; choose a pressure in Pa/)
    const shear = { tau: '0.5 Pa s * dot(grad(U) + transpose(grad(U)), normal)' }
    const both = read({ m: step('force', { ...settings, source: 'pressure and shear', shear: 'tau' }, { on: skin }) }, shear)
    // the slopes are the same everywhere: their parts cancel over what is closed
    expect(both.parts!.map(({ name }) => name)).toEqual(['pressure', 'shear'])
    expect(both.components!['x']).toBeCloseTo(1000, 5)
  })

  it('a balance through some of the surfaces names those that are missing', () => {
    const open = {
      ...data,
      catalogue: { ...data.catalogue, parts: [...data.catalogue.parts, { ...part!, name: 'Drain', dimension: 2, owners: ['Water'] }] },
    }
    const steps = { s: slice(0, 0.9), m: step('balance', { of: 'volume', variable: 'U' }, { 'out of': water, through: [{ step: 's' }] }) }
    const found = evaluatorFor(open, steps).reading('m')
    expect(found.cautions.join()).toMatch(/leave Water open: Drain bounds it as well/)
    expect(found.mends).toMatchObject([{ inputs: { through: ['Drain'] } }])
  })

  it('a balance has in, out and what is left over', () => {
    const reading = read({ m: step('balance', { of: 'mass', variable: 'U' }, { 'out of': water, through: skin }) })
    expect(reading.value).toBeCloseTo(3000, 7)
    expect(reading.unit).toBe('kg/s')
    expect(reading.parts!.find(({ name }) => name === 'left over, of in')!.value).toBeCloseTo(300 / 2.5, 8)
    expect(reading.cautions.join()).toMatch(/do not close: 120 %/)
    // what is left over comes from inside, and that is what the mend measures
    const { caution, makes } = reading.mends![0]!
    expect(reading.cautions).toContain(caution)
    expect([makes!.kind, makes!.of]).toEqual(['measure', 'out of'])
    const { setting, text } = makes!.formula!
    const inside = read({ m: step('measure', { ...makes!.settings, [setting]: text }, { of: water }) })
    expect(inside.value).toBeCloseTo(reading.value, 7)
    expect(inside.unit).toBe('kg/s')
  })
})

describe('numbers worked out from readings', () => {
  const mesh = boxMesh({ n: 3, kind: 'hexahedron', size: SIZE })
  const data = testCase(mesh, {
    T: { values: atPoints(mesh, (x) => 20 + x), components: 1, unit: '°C' },
    p: { values: atPoints(mesh, (x) => 100 + x), components: 1, unit: 'kPa' },
    U: { values: atPoints(mesh, (x) => [1 + x, 2, 0]), components: 3, unit: 'm/s' },
  })
  const steps = {
    first: slice(0, 0.5),
    second: slice(0, 1.5),
    a: measure({ variable: 'p' }, [{ step: 'first' }]),
    b: measure({ variable: 'p' }, [{ step: 'second' }]),
    u: measure({ variable: 'U' }, water),
    t: measure({ variable: 'T' }, [{ step: 'first' }]),
  }
  const work = (text: string, from: string[], formulas = {}) =>
    evaluatorFor(data, { ...steps, m: step('calculate', { text }, { from: from.map((id) => ({ step: id })) }) }, formulas).reading('m')

  it.each([
    [['kPa'], 'a'],
    [['kPa', 'Pa'], 'a - b'],
    [['kPa', null], 'a - b'],
    [['kPa', 'K'], 'a / b'],
  ])('begin with what has a meaning for readings in %s', (units, text) => expect(calculate.begunWith!(units)).toEqual({ text }))

  it.each<[string, string[], number, string]>([
    ['a - b', ['a', 'b'], -1000, 'Pa'],
    ['(a - b) / (0.5 * rho * mag(c)^2)', ['a', 'b', 'u'], -1000 / (0.5 * 1000 * 8), '1'],
    ['a.y * 2', ['u'], 4, 'm/s'],
    ['mag(a)', ['u'], Math.sqrt(8), 'm/s'],
    ["a - 273.15 'K'", ['t'], 20.5, 'K'],
    ['max(a, b) / min(a, b)', ['a', 'b'], 101.5 / 100.5, '1'],
    ['a / mean(p)', ['a'], 100.5 / 101, '1'],
    ['if(a > b, 1, 2)', ['a', 'b'], 2, '1'],
  ])('%s of %s', (text, from, value, unit) => {
    const reading = work(text, from, { rho: "1000 'kg/m^3'" })
    expect(reading.value).toBeCloseTo(value, 9)
    expect(reading.unit).toBe(unit)
    expect(reading.isDifference ?? false).toBe(/^a\b.* - |^\(a - b\)/.test(text))
  })

  it('are vectors where their readings are, and say what each letter is', () => {
    const reading = work('2 * a', ['u'])
    expect(reading.components).toEqual({ x: 4, y: 4, z: 0 })
    expect(reading.madeOf.slice(0, 3)).toEqual(['2 * a', 'a = 2.8284271 m/s', 'a: mean by volume'])
    expect(work('a - b', ['t', 't']).cautions).toHaveLength(2)
  })

  it.each<[string, string[], RegExp]>([
    ['a + b', ['a', 'u'], /cannot be added/],
    ['a - c', ['a', 'b'], /no field or formula “c”; known are a, b/],
    ['a * p', ['a'], /This is no number: wrap fields in mean/],
    ['a > b', ['a', 'b'], /no number/],
    ['a -', ['a'], /./],
    ['a', [], /Nothing is chosen for “from”/],
    ['a', ['first'], /yields no number/],
  ])('%s of %s says what is wrong', (text, from, message) => expect(() => work(text, from)).toThrow(message))

  it('pass on the doubts of what they are made of, once', () => {
    const guessed = {
      ...data,
      catalogue: {
        ...data.catalogue,
        fields: data.catalogue.fields.map((f) => ({ ...f, unitFrom: f.name === 'p' ? ('guess' as const) : ('file' as const) })),
      },
    }
    const both = { ...steps, m: step('calculate', { text: 'a - b' }, { from: [{ step: 'a' }, { step: 'b' }] }) }
    const found = evaluatorFor(guessed, both).reading('m')
    expect(found.cautions.filter((text) => /is a guess/.test(text))).toHaveLength(1)
    expect(found.mends).toMatchObject([{ label: 'It is kPa', said: { units: { p: 'kPa' } } }])
  })

  it('in a circle are refused', () => {
    const circle = { ...steps, m: step('calculate', { text: 'a' }, { from: [{ step: 'm' }] }) }
    expect(() => evaluatorFor(data, circle).reading('m')).toThrow(/circle/)
  })
})
