import { describe, expect, it } from 'vitest'
import type { CaseData } from '../../../core/case/CaseData'
import { Computer } from '../../../core/evaluate/Computer'
import { Graph } from '../../../core/evaluate/Graph'
import { MapResults } from '../../../core/evaluate/local'
import type { Frame, Plan } from '../../../core/evaluate/plan'
import type { Vector } from '../../../core/mesh/vectors'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import { areaOf } from '../../../core/shapes/carryByFaces'
import { fitSimilarity } from '../../../core/shapes/similarity'
import { after, movedPlace, movedVector, shifted, turnedAbout } from '../../../core/shapes/turned'
import type { Triangle } from '../../../core/shapes/TriangleGrid'
import { CASE, wholeShape } from '../../support/evaluation'
import { atPoints, boxKinds, boxMesh, pointMesh, testCase } from '../../support/meshes'

const linear = (x: number, y: number, z: number): number => 280 + 3 * x - 2 * y + 5 * z

/** Cases by name, each with one part that has its name for it in the study. */
function workbench(cases: Record<string, CaseData>, steps: Record<string, { kind: string; settings?: object; inputs?: object }>) {
  const names = Object.keys(cases)
  const parts = [...new Set(names.flatMap((name) => cases[name]!.catalogue.parts.map((part) => part.name)))]
  const fields = [...new Set(names.flatMap((name) => cases[name]!.catalogue.fields.map((field) => field.name)))]
  const bound = (has: (data: CaseData) => boolean, to: unknown) =>
    Object.fromEntries(names.flatMap((name) => (has(cases[name]!) ? [[name, to]] : [])))
  const plan = {
    cases: Object.fromEntries(names.map((name) => [name, CASE])),
    caseNames: Object.fromEntries(names.map((name) => [name, name])),
    parts: Object.fromEntries(
      parts.map((part) => [part, { name: part, binding: bound((d) => d.catalogue.parts[0]!.name === part, [part]) }]),
    ),
    variables: Object.fromEntries(
      fields.map((field) => [
        field,
        { name: field, binding: bound((d) => d.catalogue.fields.some(({ name }) => name === field), { field }) },
      ]),
    ),
    formulas: {},
    steps: Object.fromEntries(
      Object.entries(steps).map(([id, { kind, settings = {}, inputs = {} }]) => [id, { kind, settings: { ...settings }, inputs }]),
    ),
  } as unknown as Plan
  const snapshots = names.map((name) => [name, { key: name, id: CASE, generation: name, catalogue: cases[name]!.catalogue }] as const)
  const graph = new Graph(plan, new Map(snapshots))
  const computer = new Computer({
    graph,
    results: new MapResults(),
    dataOf: ({ frame }) => cases[frame.case]!,
    check: () => undefined,
    isAlone: true,
    deflate: (bytes) => bytes,
  })
  const json = (step: string, frame: Frame) => (computer.run(graph.outcome(step, frame)) as { json: unknown }).json
  return { graph, json, shape: (step: string, frame: Frame) => wholeShape(computer.shapeOf(step, frame)) }
}

const settings = { variable: 'T', case: '', by: 'between', count: 6, reach: 'any', radius: 1, outside: 'gap', value: 0 }
const line = { kind: 'line', settings: { start: [0.1, 0.2, 0.3], end: [0.9, 0.7, 0.6] } }
const sheet = { kind: 'sheet', settings: { origin: [0.5, 0.5, 0.4], normal: [0, 0.6, 0.8], middle: [0.5, 0.5, 0.5], side: 0.5, count: 9 } }
const column = (shape: ReturnType<typeof wholeShape>, name: string) => shape.columns.find((own) => own.name === name)!
const gridPoints = (n: number) =>
  Float64Array.from(
    Array.from({ length: n ** 3 }, (_, i) => [i % n, Math.floor(i / n) % n, Math.floor(i / n / n)].map((c) => c / (n - 1))).flat(),
  )

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
    const values = column(shape('between', frame), 'carried').values
    expect(values[0]).toBeCloseTo(linear(0.1, 0.2, 0.3), 5)
    expect(values[1]).toBeCloseTo(linear(0.9, 0.7, 0.6), 5)
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

describe('carried face by face', () => {
  /** A surface over the unit square, n × n squares of two triangles, with a value for each triangle. */
  function surface(n: number, name: string, height: (x: number, y: number) => number, value: (x: number, y: number) => number) {
    const at = (i: number): number => i / n
    const points = Array.from({ length: (n + 1) ** 2 }, (_, p) => [at(p % (n + 1)), at(Math.floor(p / (n + 1)))])
    const triangles = Array.from({ length: n * n }, (_, c) => {
      const p = Math.floor(c / n) * (n + 1) + (c % n)
      return [
        [p, p + 1, p + n + 2],
        [p, p + n + 2, p + n + 1],
      ]
    }).flat()
    const mesh = normaliseCells(
      {
        points: Float64Array.from(points.flatMap(([x, y]) => [x!, y!, height(x!, y!)])),
        types: new Uint8Array(triangles.length).fill(5),
        offsets: Uint32Array.from({ length: triangles.length + 1 }, (_, t) => 3 * t),
        connectivity: Uint32Array.from(triangles.flat()),
      },
      name,
    )
    const middle = (nodes: number[], d: number): number => nodes.reduce((sum, p) => sum + points[p]![d]! / 3, 0)
    const values = Float64Array.from(triangles, (nodes) => value(middle(nodes, 0), middle(nodes, 1)))
    return testCase(mesh, { q: { values, components: 1, place: 'cell' } }, 1024, { name, dimension: 2 })
  }
  const flat = (): number => 0.3
  const dome = (x: number, y: number): number => 0.4 * x * (1 - x) * y * (1 - y)

  function carried(source: CaseData, target: CaseData) {
    const c = {
      ...{ kind: 'carry', settings: { ...settings, variable: 'q', by: 'faces', case: 'hot' } },
      inputs: { onto: [{ part: 'Skin' }], from: [{ part: 'Plate' }] },
    }
    const found = workbench({ cold: target, hot: source }, { c }).shape('c', { case: 'cold', moment: 0 })
    const { values } = column(found, 'carried')
    const faces = Array.from({ length: found.elements.length / 3 }, (_, e) => {
      const corners = [0, 1, 2].map((i) => [...found.points.subarray(9 * e + 3 * i, 9 * e + 3 * i + 3)] as Vector) as Triangle
      return { area: areaOf(corners), value: values[3 * e]!, x: corners.reduce((sum, [x]) => sum + x / 3, 0) }
    })
    return { found, faces, total: faces.reduce((sum, { area, value }) => sum + area * value, 0) }
  }

  it('a constant stays what it is where both are one plane, and each face has one value', () => {
    const { faces, found } = carried(
      surface(7, 'Plate', flat, () => 3),
      surface(5, 'Skin', flat, () => 0),
    )
    for (const { value } of faces) expect(value).toBeCloseTo(3, 12)
    expect(found.points).toHaveLength(9 * faces.length)
    expect(found.notes).toEqual(expect.arrayContaining(['the total over the surface is that of the source']))
  })

  it.each([
    ['finer', 16, flat],
    ['coarser', 4, flat],
    ['bent', 9, dome],
  ])('the total is that of the source on a %s target, whose values come near', (_, n, height) => {
    const source = surface(11, 'Plate', height, (x) => 1 + 2 * x)
    const { total, faces } = carried(
      source,
      surface(n, 'Skin', height, () => 0),
    )
    const own = carried(
      source,
      surface(11, 'Skin', height, () => 0),
    )
    expect(total / own.total).toBeCloseTo(1, 12)
    if (height === flat) expect(total).toBeCloseTo(2, 12)
    for (const { value, x } of faces) expect(Math.abs(value - 1 - 2 * x)).toBeLessThan(0.25)
  })

  it('what lies beside goes to the nearest face and is said, and what gets nothing is counted', () => {
    const source = surface(10, 'Plate', flat, () => 1)
    const { total, found } = carried(
      source,
      surface(
        10,
        'Skin',
        () => 40,
        () => 0,
      ),
    )
    expect(total).toBeCloseTo(1, 12)
    expect(found.notes!.join()).toMatch(/100 % of the source lie beside and went to the nearest faces, at most 39.7 m away/)
  })

  it('is of surfaces alone', () => {
    const c = { kind: 'carry', settings: { ...settings, by: 'faces' }, inputs: { onto: [{ step: 'line' }], from: [{ part: 'Water' }] } }
    const water = testCase(boxMesh({ n: 3 }), { T: { values: atPoints(boxMesh({ n: 3 }), linear), components: 1, unit: 'K' } })
    expect(() => workbench({ water }, { line, c }).shape('c', { case: 'water', moment: 0 })).toThrow('from surfaces onto surfaces')
  })
})
