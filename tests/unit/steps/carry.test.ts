import { describe, expect, it } from 'vitest'
import type { Vector } from '../../../core/mesh/vectors'
import { fitSimilarity } from '../../../core/shapes/similarity'
import { after, movedPlace, movedVector, shifted, turnedAbout } from '../../../core/shapes/turned'
import { atPoints, boxKinds, boxMesh, pointMesh, testCase } from '../../support/meshes'
import { column, gridPoints, line, linear, settings, sheet, workbench } from '../../support/carrying'

describe.each(boxKinds)('carried from cells, in a box of %s cells', (kind) => {
  const mesh = boxMesh({ n: 11, kind, skew: 0.2 })
  const water = testCase(mesh, {
    T: { values: atPoints(mesh, linear), components: 1, unit: 'K' },
    U: { values: atPoints(mesh, (x, y, z) => [x, 2 * y, 3 * z]), components: 3, unit: 'm/s' },
  })
  const carrying = (own: object = {}) => ({
    kind: 'carry',
    settings: { ...settings, ...own },
    inputs: { onto: [{ step: 'sheet' }], from: [{ part: 'Water' }] },
  })

  it('what is linear comes exactly, with its unit', () => {
    const { shape } = workbench({ water }, { sheet, c: carrying(), u: carrying({ variable: 'U' }) })
    const found = shape('c', { case: 'water', moment: 0 })
    const { values, unit } = column(found, 'carried')
    expect(unit).toBe('K')
    for (let p = 0; p < values.length; p++) {
      const [x, y, z] = found.points.subarray(3 * p, 3 * p + 3) as unknown as [number, number, number]
      expect(Math.abs(values[p]! - linear(x, y, z)) / 280).toBeLessThan(1e-10)
    }
    const vector = shape('u', { case: 'water', moment: 0 })
    const [, y, z] = vector.points.subarray(0, 3)
    expect(column(vector, 'carried y').values[0]).toBeCloseTo(2 * y!, 10)
    expect(column(vector, 'carried').values[0]).toBeCloseTo(Math.hypot(vector.points[0]!, 2 * y!, 3 * z!), 10)
  })

  it.each([
    ['moved', 1],
    ['scaled', 2.5],
  ])('onto what lies elsewhere, %s by pairs of points: vectors turn back with it', (aligned, scale) => {
    const turn = turnedAbout([1, 0, 2], [1, -1, 2], 1.1)
    const aside = after(turn, shifted([40, -3, 7]))
    const moved = (place: Vector): Vector => movedPlace(place.map((c) => scale * c) as Vector, aside)
    const there: Vector[] = [
      [0, 0, 0],
      [1, 0, 0.1],
      [0.2, 1, 0.5],
    ]
    const own = { ...sheet.settings, side: scale * 0.5, origin: moved([0.5, 0.5, 0.4]), middle: moved([0.5, 0.5, 0.5]) }
    const normal = movedVector([0, 0.6, 0.8], turn)
    const pairs = { aligned, here: there.map(moved), there }
    const { shape } = workbench(
      { water },
      { sheet: { kind: 'sheet', settings: { ...own, normal } }, c: carrying(pairs), u: carrying({ ...pairs, variable: 'U' }) },
    )
    const frame = { case: 'water', moment: 0 }
    const [found, vector] = [shape('c', frame), shape('u', frame)]
    const { motion: back } = fitSimilarity(pairs.here, there, true)
    const values = column(found, 'carried').values
    expect(values.some((x) => Number.isFinite(x))).toBe(true)
    values.forEach((value, p) => {
      const [x, y, z] = movedPlace([...found.points.subarray(3 * p, 3 * p + 3)] as Vector, back)
      if (!Number.isNaN(value)) expect(Math.abs(value - linear(x, y, z)) / 280).toBeLessThan(1e-10)
      const turned = movedVector([x, 2 * y, 3 * z], turn)
      const carried = ['x', 'y', 'z'].map((letter) => column(vector, `carried ${letter}`).values[p]!)
      if (!Number.isNaN(value)) carried.forEach((c, d) => expect(c).toBeCloseTo(turned[d]!, 9))
    })
    expect(found.notes![0]).toMatch(/^aligned: turned by 63.03°.*; what remains between the pairs is .* m rms, at most/)
    expect(found.notes![0]!.includes('scaled by 0.4')).toBe(scale === 2.5)
  })

  it('much coarser or finer than what it is carried onto, it says so', () => {
    const notesOn = (count: number): string =>
      workbench({ water }, { sheet: { ...sheet, settings: { ...sheet.settings, count } }, c: carrying() })
        .shape('c', { case: 'water', moment: 0 })
        .notes?.join() ?? ''
    expect(notesOn(2)).toMatch(/the source is about .* times as fine as the places, between which details are missed/)
    expect(notesOn(9)).not.toMatch(/the source is about/)
    expect(notesOn(400)).toMatch(/the source is about .* times as coarse as the places: between its points it is taken as linear/)
  })

  it('outside there may be the value of the nearest place on the border', () => {
    const wide = { ...sheet, settings: { ...sheet.settings, origin: [0.5, 0.5, 0.5], normal: [0, 0, 1], side: 2, count: 5 } }
    const { shape } = workbench({ water }, { sheet: wide, c: carrying({ outside: 'nearest' }) })
    const found = shape('c', { case: 'water', moment: 0 })
    const { values } = column(found, 'carried')
    const within = (c: number): number => Math.min(1, Math.max(0, c))
    values.forEach((value, p) => {
      const [x, y, z] = found.points.subarray(3 * p, 3 * p + 3) as unknown as [number, number, number]
      expect(value).toBeCloseTo(linear(within(x), within(y), z), 9)
    })
    expect(found.notes![0]).toMatch(/^16 of 25 places lie outside and have the values nearest to them, at most 0.7071 m away/)
  })

  it('outside there is a gap, or the value that is given, and it is said how much', () => {
    const wide = { ...sheet, settings: { ...sheet.settings, origin: [0.5, 0.5, 0.5], normal: [0, 0, 1], side: 2, count: 5 } }
    const { shape } = workbench({ water }, { sheet: wide, c: carrying(), v: carrying({ outside: 'value', value: 7 }) })
    const found = shape('c', { case: 'water', moment: 0 })
    expect(column(found, 'carried').values.filter(Number.isNaN)).toHaveLength(16)
    expect(found.notes).toContain('16 of 25 places (64 %) find nothing and have none')
    expect(column(shape('v', { case: 'water', moment: 0 }), 'carried').values.filter((x) => x === 7)).toHaveLength(16)
  })

  it('onto measured points of another case in another unit, with what they have themselves and the deviation', () => {
    const places = pointMesh(Float64Array.of(200, 300, 400, 700, 100, 500, 2000, 0, 0))
    const measured = [1, -2, 0].map(
      (off, i) => linear(...(places.points.subarray(3 * i, 3 * i + 3).map((x) => x / 1000) as unknown as [number, number, number])) + off,
    )
    const sensors = testCase(
      places,
      {
        T: { values: Float64Array.from(measured, (x) => x - 273.15), components: 1, unit: '°C' },
        number: { values: Float64Array.of(11, 12, 13), components: 1, unit: '1' },
      },
      1024,
      { name: 'Sensors', dimension: 0 },
    )
    Object.assign(sensors.catalogue, { lengthUnit: 'mm' })
    const measure = (quantity: string) => ({
      kind: 'measure',
      settings: { quantity, variable: 'deviation', around: 'none', percent: 95 },
      inputs: { of: [{ step: 'c' }] },
    })
    const { shape, graph, json } = workbench(
      { water, sensors },
      {
        c: { kind: 'carry', settings, inputs: { onto: [{ part: 'Sensors' }], from: [{ part: 'Water' }] } },
        rms: measure('rms'),
        std: measure('std'),
      },
    )
    const frame = { case: 'water', moment: 0 }
    const found = shape('c', frame)
    expect(found.kind).toBe('points')
    // drawn where they are in the unit of the case that is shown
    expect([...found.points.subarray(0, 3)].map((x) => Number(x.toFixed(9)))).toEqual([0.2, 0.3, 0.4])
    const deviation = column(found, 'deviation')
    expect([...deviation.values.subarray(0, 2)].map((x) => Number(x.toFixed(9)))).toEqual([1, -2])
    expect(deviation.values[2]).toBeNaN()
    expect([...column(found, 'number').values]).toEqual([11, 12, 13])
    expect(found.notes!.join()).toMatch(/T, less what is carried, at 2 points: mean [-−]0.5, rms 1.58\d, largest [-−]2 K/)
    // of 1 and -2 about 0, and about -0.5
    expect(json('rms', frame)).toMatchObject({ value: expect.closeTo(Math.sqrt(2.5), 9), unit: 'K' })
    expect(json('std', frame)).toMatchObject({ value: expect.closeTo(1.5, 9), unit: 'K', isDifference: true })
    const reads = graph.shape('c', frame).nodes.flatMap((node) => node.reads)
    expect(reads).toContainEqual({ part: 'Water', field: 'T' })
    for (const field of ['T', 'number']) expect(reads).toContainEqual({ part: 'Sensors', field, frame: { case: 'sensors', moment: 0 } })
  })
})

describe('carried from points without a mesh', () => {
  const points = gridPoints(6)
  const scattered = testCase(
    pointMesh(points),
    {
      T: {
        values: Float64Array.from({ length: points.length / 3 }, (_, p) => linear(points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!)),
        components: 1,
        unit: 'K',
      },
    },
    1024,
    { name: 'Cloud', dimension: 0 },
  )
  const carrying = (own: object, onto = 'line') => ({
    kind: 'carry',
    settings: { ...settings, ...own },
    inputs: { onto: [{ step: onto }], from: [{ part: 'Cloud' }] },
  })
  const frame = { case: 'cloud', moment: 0 }

  it('what is linear comes to a millionth between them; the nearest point and the mean by distance are as they are defined', () => {
    const steps = { line, sheet, between: carrying({}), near: carrying({ by: 'nearest' }), far: carrying({ by: 'distance', count: 2 }) }
    const { shape } = workbench({ cloud: scattered }, steps)
    const carried = shape('between', frame)
    const values = column(carried, 'carried').values
    expect(values[0]).toBeCloseTo(linear(0.1, 0.2, 0.3), 5)
    expect(values[values.length - 1]).toBeCloseTo(linear(0.9, 0.7, 0.6), 5)
    // a drawn line has two points: it gets more, about as far apart as those of the source
    expect(values.length).toBeGreaterThan(5)
    expect(values.length).toBeLessThan(30)
    values.forEach((value, p) => {
      const [x, y, z] = carried.points.subarray(3 * p, 3 * p + 3) as unknown as [number, number, number]
      expect(value).toBeCloseTo(linear(x, y, z), 5)
    })
    const nearest = column(shape('near', frame), 'carried').values
    expect([linear(0, 0.2, 0.2), linear(0.2, 0.2, 0.2), linear(0, 0.2, 0.4), linear(0.2, 0.2, 0.4)]).toContainEqual(nearest[0])
    const mean = column(shape('far', frame), 'carried').values[0]!
    expect(mean).toBeGreaterThan(278)
    expect(mean).toBeLessThan(283)
  })

  it('only points within a distance count where that is said: where there are none is a gap', () => {
    const within = (radius: number) => {
      const { shape } = workbench({ cloud: scattered }, { line, c: carrying({ by: 'distance', count: 200, reach: 'within', radius }) })
      return shape('c', frame)
    }
    // from the start of the line the points of the lattice are 0.1 and more away, four of them less than 0.16
    const near = column(within(0.16), 'carried').values[0]!
    const corners = [
      [0, 0.2, 0.2],
      [0.2, 0.2, 0.2],
      [0, 0.2, 0.4],
      [0.2, 0.2, 0.4],
    ] as const
    expect(near).toBeCloseTo(
      corners.reduce((sum, [x, y, z]) => sum + linear(x, y, z) / 4, 0),
      6,
    )
    const none = within(0.05)
    expect(column(none, 'carried').values[0]).toBeNaN()
    expect(none.notes!.join()).toMatch(/places .* find nothing/)
  })

  it('tetrahedra are the same wherever they are cut', () => {
    const moved = { ...sheet, settings: { ...sheet.settings, origin: [0.5, 0.5, 0.3] } }
    const [a, b] = [sheet, moved].map(
      (own) => workbench({ cloud: scattered }, { sheet: own, c: carrying({}, 'sheet') }).graph.survey('c', frame).key,
    )
    expect(a).toBe(b)
  })
})

describe('a simulation less what was measured', () => {
  const mesh = boxMesh({ n: 4, skew: 0 })
  const water = testCase(mesh, { T: { values: atPoints(mesh, linear), components: 1, unit: 'K' } })
  /** Rows at 0.2, 0.5 and 0.9 m along the line, 1 K above what is computed there. */
  const rows = Float64Array.of(0.2, 0.5, 0.9)
  const measured = testCase(
    pointMesh(Float64Array.from([...rows].flatMap((s) => [s, 0, 0]))),
    {
      T: { values: rows.map((s) => linear(s, 0.5, 0.5) + 1), components: 1, unit: 'K' },
    },
    1024,
    { name: 'Rows', dimension: 0 },
  )
  measured.catalogue.parts[0]!.abscissa = { name: 's', unit: 'm' }
  const steps = {
    line: { kind: 'line', settings: { start: [0, 0.5, 0.5], end: [1, 0.5, 0.5] } },
    computed: {
      kind: 'plot',
      settings: { variable: 'T', against: 'length', abscissa: 'T', samples: 11, spacing: 'even' },
      inputs: { along: [{ step: 'line' }], in: [{ part: 'Water' }] },
    },
    known: {
      kind: 'plot',
      settings: { variable: 'T', against: 'length', abscissa: 'T', samples: 11, spacing: 'even' },
      inputs: { along: [{ part: 'Rows' }], in: [] },
    },
    less: {
      kind: 'curve',
      settings: { act: 'difference', width: 0.1, samples: 10 },
      inputs: { of: [{ step: 'known' }, { step: 'computed' }] },
    },
  }

  it('takes the table from its case, whatever case is shown', () => {
    const { json, graph } = workbench({ water, measured }, steps)
    const { series, y } = json('less', { case: 'water', moment: 0 }) as { series: { x: number[]; y: number[] }[]; y: object }
    expect(series[0]!.x).toEqual([0.2, 0.5, 0.9])
    series[0]!.y.forEach((value) => expect(value).toBeCloseTo(1, 10))
    expect(y).toMatchObject({ unit: 'K', isDifference: true })
    expect(graph.outcome('less', { case: 'water', moment: 0 }).reads).toContainEqual(
      expect.objectContaining({ part: 'Rows', frame: { case: 'measured', moment: 0 } }),
    )
  })

  it('does not take regions of another case', () => {
    const other = testCase(mesh, { T: { values: atPoints(mesh, linear), components: 1, unit: 'K' } }, 1024, { name: 'Air', dimension: 3 })
    const { json } = workbench(
      { other, water },
      { ...steps, less: { ...steps.less, inputs: { of: [{ step: 'computed' }, { step: 'computed' }] } } },
    )
    expect(() => json('less', { case: 'other', moment: 0 })).toThrow(/part/)
  })
})
