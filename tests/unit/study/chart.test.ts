import { describe, expect, it } from 'vitest'
import { chartColumns } from '../../../core/study/chartColumns'
import { templateOf, withTemplate } from '../../../core/study/chart'
import type { ChartCurve, ChartLook } from '../../../core/study/chart'
import { gridOf, markedAt, panelsOf } from '../../../core/study/chartPanels'
import { drawnChart } from '../../../core/study/drawnCurves'
import type { CurveOfChart } from '../../../core/study/drawnCurves'
import type { Quantity } from '../../../core/measure/results'
import { dimensionKey } from '../../../core/units/quantities'
import { parseUnit } from '../../../core/units/units'
import { chartConfig } from '../../../stage/chart/config'
import { decimated } from '../../../stage/chart/decimate'

const length: Quantity = { name: 'length along', unit: 'mm' }
const speed: Quantity = { name: 'speed', unit: 'm/s' }

function curve(
  x: (number | null)[],
  y: (number | null)[],
  own: Partial<ChartCurve> = {},
  [xs, ys]: readonly [Quantity, Quantity] = [length, speed],
): CurveOfChart {
  const plain = { x: xs, y: ys, series: [{ name: ys.name, x, y }], notes: [] }
  return { curve: { step: 'plot', ...own }, plain, words: { step: 'Plot 1', case: '60 L/s' } }
}

describe('what a chart cannot show', () => {
  it.each<[string, CurveOfChart[], ChartLook, RegExp[]]>([
    ['nothing is wrong', [curve([0, 1], [2, 3])], {}, []],
    ['only gaps', [curve([0, 1], [null, null])], {}, [/no point with a value/]],
    ['one point', [curve([1], [2])], {}, [/one point only/]],
    ['equal abscissae', [curve([1, 1, 1], [2, 3, 4])], {}, [/same abscissa/]],
    ['zeros on a logarithmic axis', [curve([0, 1, 2], [1, 10, 100])], { x: { isLog: true } }, [/1 of 3 points are not above 0/]],
    ['negative values on one', [curve([1, 2], [-1, 10])], { y: { isLog: true } }, [/1 of 2 points/]],
    ['a range beside the values', [curve([0, 1], [2, 3])], { y: { range: [10, 20] } }, [/No point lies in the range/]],
    ['a range with some of them', [curve([0, 1], [2, 3])], { y: { range: [2.5, 20] } }, []],
    [
      'two units on one axis',
      [curve([0, 1], [2, 3]), curve([0, 1], [5, 6], {}, [length, { name: 'pressure', unit: 'Pa' }])],
      {},
      [/Two units stand on one axis: speed in m\/s and pressure in Pa/],
    ],
    [
      'two units on two axes',
      [curve([0, 1], [2, 3]), curve([0, 1], [5, 6], { isRight: true }, [length, { name: 'pressure', unit: 'Pa' }])],
      {},
      [],
    ],
    ['a quotient by nothing', [curve([0, 1], [2, 3], { yOver: 'much' })], {}, [/Nothing can be divided by much/]],
    ['a sum of different kinds', [curve([0, 1], [2, 3], { yPlus: '2 Pa' })], {}, [/2 Pa cannot be added to speed in m\/s/]],
  ])('%s', (_, of, look, expected) => {
    const { cautions } = drawnChart(of, look, {})
    expect(cautions).toHaveLength(expected.length)
    expected.forEach((text, i) => expect(cautions[i]).toMatch(text))
  })
})

describe('curves of a chart', () => {
  it('are drawn in the unit of their axis, whichever they have themselves', () => {
    const angle = (unit: string): Quantity => ({ name: 'angle', unit })
    const drawing = drawnChart(
      [
        curve([0, Math.PI], [1, 2], {}, [angle('1'), speed]),
        curve([0, 90], [5, 10], {}, [angle('°'), { name: 'measured', unit: 'km/h' }]),
        curve([0, 1], [1, 2], { isRight: true }, [angle('1'), { name: 'T', unit: 'K' }]),
        curve([0, 1], [20, 30], { isRight: true }, [angle('1'), { name: 'measured T', unit: '°C' }]),
      ],
      { x: { range: [0, 90] } },
      {},
    )
    expect(drawing.axes.x).toMatchObject({ title: 'angle, °', raw: '°', ends: [0, 90] })
    expect(drawing.series[0]!.x[1]).toBeCloseTo(180, 12)
    expect(drawing.series[1]!.x).toEqual([0, 90])
    expect(drawing.series[1]!.y.map((v) => v! * 3.6)).toEqual([5, 10])
    expect(drawing.series[3]!.y).toEqual([293.15, 303.15])
    expect(drawing.series.map(({ units }) => units.y)).toEqual(['m/s', 'm/s', 'K', 'K'])
    expect(drawing.cautions).toEqual([])
  })

  it('are divided and shifted with their units, and shown in those of the study', () => {
    const own = curve([100, 200, null], [1, 3, 5], { xPlus: '0.1 m', xOver: '0.4 m', yOver: '2 m/s' })
    const { series, axes } = drawnChart([own], {}, {})
    expect(series[0]!.x).toEqual([0.5, 0.75, null])
    expect(series[0]!.y).toEqual([0.5, 1.5, 2.5])
    expect(axes.x).toMatchObject({ title: 'length along / 0.4 m', unit: '1' })
    const plain = drawnChart([curve([100], [1], { yOver: '50 mm' })], {}, {})
    expect(plain.axes.y).toMatchObject({ raw: 's⁻¹', title: 'speed / 50 mm, s⁻¹' })
    expect(plain.series[0]!.y[0]).toBeCloseTo(20, 12)
  })

  it('have error bars and colours in the units that are shown, and out of order all of their points', () => {
    const own = curve([3, 1, 2], [280, 285, 290], { yOver: '2' }, [length, { name: 'T', unit: 'K' }])
    const [series] = own.plain.series
    const plain = {
      ...own.plain,
      shade: { name: 'p', unit: 'Pa' },
      series: [{ ...series!, errors: [4, null, 2], shades: [1000, null, 3000] }],
    }
    const drawing = drawnChart([{ ...own, plain }], {}, { [dimensionKey(parseUnit('Pa')!.dimensions)]: 'kPa' })
    expect(drawing.series[0]!.errors).toEqual([2, null, 1])
    expect(drawing.series[0]!.shades).toEqual([1, null, 3])
    expect(drawing.shade).toEqual({ title: 'p, kPa', range: [1, 3] })
    expect(chartColumns(drawing).map(({ name, unit }) => [name, unit])).toEqual([
      ['length along', 'mm'],
      ['T: T / 2', 'K'],
      ['± of T: T / 2', 'K'],
      ['p', 'kPa'],
    ])
    // a level in another unit has another zero, what it is off by has not
    const celsius = drawnChart([{ ...own, curve: { step: 'plot' }, plain }], {}, { [dimensionKey(parseUnit('K')!.dimensions)]: '°C' })
    expect(celsius.series[0]!.y[0]).toBeCloseTo(6.85, 10)
    expect(celsius.series[0]!.errors![0]).toBeCloseTo(4, 10)
    const frame = { size: 9, width: 1 }
    const theme = { ink: '#000', line: '#000', ground: '#fff', font: 'x' }
    // what the drawing library takes as sorted it looks at from end to end
    expect(chartConfig(drawing, ['#000'], {}, theme, frame).options!.parsing).toBeUndefined()
    expect(chartConfig(drawnChart([curve([1, 2], [3, 4])], {}, {}), ['#000'], {}, theme, frame).options!.parsing).toBe(false)
  })

  it('have lines and bands at values that stay where they are when another unit is shown', () => {
    const own = curve([0, 1], [280, 290], {}, [length, { name: 'T', unit: 'K' }])
    const look: ChartLook = {
      rules: [
        { axis: 'y', at: 283.15, to: 288.15, text: 'healthy' },
        { axis: 'right', at: 1 },
      ],
    }
    const shown = drawnChart([own], look, { [dimensionKey(parseUnit('K')!.dimensions)]: '°C' })
    expect(shown.rules).toHaveLength(1)
    expect(shown.rules[0]).toMatchObject({ axis: 'y', text: 'healthy' })
    expect([shown.rules[0]!.at, shown.rules[0]!.to]).toEqual([expect.closeTo(10, 10), expect.closeTo(15, 10)])
    const { annotations } = chartConfig(
      shown,
      ['#000'],
      look,
      { ink: '#000', line: '#000', ground: '#fff', font: 'x' },
      { size: 9, width: 1 },
    ).options!.plugins!.annotation!
    expect(annotations).toMatchObject({ rule0: { yMin: shown.rules[0]!.at, yMax: shown.rules[0]!.to } })
  })

  it('have a mark that runs with a film, as they are drawn and in each of several small charts', () => {
    const drawing = drawnChart([curve([0, 1], [2, 3])], {}, {})
    const marked = markedAt(0.25, { drawing, panels: [{ title: 'one', drawing, colours: ['#000'] }] })
    for (const one of [marked, marked.panels![0]!]) {
      const theme = { ink: '#000', line: '#000', ground: '#fff', font: 'x' }
      const { annotations } = chartConfig(one.drawing, ['#000'], {}, theme, { size: 9, width: 1 }).options!.plugins!.annotation!
      expect(annotations).toMatchObject({ rule0: { type: 'line', scaleID: 'x', value: 0.25 } })
    }
  })

  it('are named by what braces stand for, and by their step where there are several', () => {
    const names = (curves: CurveOfChart[]): string[] => drawnChart(curves, {}, {}).series.map(({ name }) => name)
    expect(names([curve([0], [1])])).toEqual(['speed'])
    expect(names([curve([0], [1]), curve([0], [1], { name: 'U_ref {case} k_{eff}' })])).toEqual(['Plot 1: speed', 'U_ref 60 L/s k_{eff}'])
    expect(names([curve([0], [1], { isHidden: true }), curve([0], [2])])).toEqual(['speed'])
  })

  it('share a column of a table where their abscissae are the same, and keep all their points', () => {
    const columns = chartColumns(drawnChart([curve([0, 1], [2, null]), curve([0, 1], [4, 5]), curve([0, 2], [6, 7])], {}, {}))
    expect(columns.map(({ name, unit }) => `${name} ${unit}`)).toEqual([
      'length along mm',
      'Plot 1: speed m/s',
      'Plot 1: speed m/s',
      'length along mm',
      'Plot 1: speed m/s',
    ])
    expect([...columns[1]!.values]).toEqual([2, NaN])
    expect([...columns[4]!.values]).toEqual([6, 7])
  })
})

describe('points that are drawn of a long curve', () => {
  const n = 10_000
  const x = Array.from({ length: n }, (_, i) => i / n)

  it('keep the smallest and largest of every column, the ends and the gaps', () => {
    const y = x.map((at, i): number | null => (i === 4321 ? 50 : i === 7000 ? null : Math.sin(20 * at)))
    const kept = decimated(x, y, 100)
    expect(kept.length).toBeLessThan(410)
    expect(kept[0]).toBe(0)
    expect(kept.at(-1)).toBe(n - 1)
    expect(kept).toContain(4321)
    expect(kept).toContain(7000)
    expect(kept).toEqual([...kept].sort((a, b) => a - b))
    // no value of a column lies beyond those that are kept of it
    for (let column = 0; column < 100; column++) {
      const own = y.slice(100 * column, 100 * (column + 1)).filter((v) => v !== null)
      const left = kept.filter((i) => i >= 100 * column && i < 100 * (column + 1) && y[i] !== null).map((i) => y[i]!)
      expect(Math.min(...left)).toBe(Math.min(...own))
      expect(Math.max(...left)).toBe(Math.max(...own))
    }
  })

  it('are all of a curve that goes back and forth, and of a short one', () => {
    const loop = x.map((at) => Math.sin(50 * at))
    expect(decimated(loop, x, 100)).toHaveLength(n)
    expect(decimated([0, 1, 2], [1, null, 3], 100)).toEqual([0, 1, 2])
  })
})

describe('the look of a chart', () => {
  const look: ChartLook = {
    ...{ x: { isReversed: true, range: [0, 1], title: 'r' }, y: { title: 'U' }, title: 'Profiles', size: 14, hasNoGrid: true },
    rules: [{ axis: 'y', at: 1 }],
  }
  const styled = { step: 'plot', look, curves: [{ step: 'plot', dash: 'dashed', name: 'measured', yOver: '2 m/s' }] as ChartCurve[] }

  it('without what belongs to its values goes onto another, which keeps its own', () => {
    const other = {
      step: 'a',
      look: { x: { range: [5, 9] }, right: { isLog: true, title: 'p' }, title: 'Station 2', size: 9 } as ChartLook,
      curves: [
        { step: 'a', colour: '#112233', name: 'run' },
        { step: 'b', dash: 'dotted' },
      ] as ChartCurve[],
    }
    expect(withTemplate(other, templateOf(styled))).toEqual({
      look: { x: { isReversed: true, range: [5, 9] }, right: { title: 'p' }, title: 'Station 2', size: 14, hasNoGrid: true },
      curves: [
        { step: 'a', dash: 'dashed', name: 'run' },
        { step: 'b', dash: 'dotted' },
      ],
    })
  })

  it('put back onto its own chart changes nothing', () => {
    expect(withTemplate(styled, templateOf(styled))).toEqual({ look, curves: styled.curves })
  })

  it('of a chart that was never changed is plain', () => {
    expect(withTemplate({ step: 'a' }, templateOf({ step: 'plot' }))).toEqual({ look: {}, curves: [{ step: 'a' }] })
  })
})

describe('small charts beside each other', () => {
  const ofCases = (own: Partial<ChartCurve> = {}): CurveOfChart => {
    const one = curve([0, 1, 2], [3, 5, 12], own)
    const series = ['a', 'b', undefined].map((id, i) => ({
      ...{ name: `U ${id ?? 'measured'}`, x: [0, 1, 2], y: [3, 5, 12].map((y) => y * (i + 1)) },
      ...(id && { case: id }),
    }))
    return { ...one, plain: { ...one.plain, series } }
  }
  const panels = (look: ChartLook, of = [ofCases()]) => {
    const drawing = drawnChart(of, look, {})
    return panelsOf(drawing, ['#1', '#2', '#3'], look, (id) => `run ${id}`)
  }

  it('have one axis for all: one a case, with what is of no case in each, or one a curve', () => {
    const cases = panels({ apart: 'cases' })!
    expect(cases.map(({ title }) => title)).toEqual(['run a', 'run b'])
    expect(cases.map(({ drawing }) => drawing.series.map(({ name }) => name))).toEqual([
      ['U a', 'U measured'],
      ['U b', 'U measured'],
    ])
    expect(cases.map(({ colours }) => colours)).toEqual([
      ['#1', '#3'],
      ['#2', '#3'],
    ])
    for (const { drawing } of cases)
      expect([drawing.axes.x!.ends, drawing.axes.y!.ends]).toEqual([
        [0, 2],
        [0, 40],
      ])
    expect(panels({ apart: 'curves' })!.map(({ title }) => title)).toEqual(['U a', 'U b', 'U measured'])
  })

  it('keep ends that were typed, and have whole powers of ten on a logarithmic axis', () => {
    expect(panels({ apart: 'curves', y: { range: [1, 2] } })![2]!.drawing.axes.y!.ends).toEqual([1, 2])
    expect(panels({ apart: 'curves', y: { isLog: true } })![0]!.drawing.axes.y!.ends).toEqual([1, 100])
    // a limit is in view
    expect(panels({ apart: 'curves', rules: [{ axis: 'y', at: 55 }] })![0]!.drawing.axes.y!.ends).toEqual([0, 60])
  })

  it('are none where there is one curve or no case to part', () => {
    expect(panels({})).toBeUndefined()
    expect(panels({ apart: 'curves' }, [curve([0, 1], [2, 3])])).toBeUndefined()
    expect(panels({ apart: 'cases' }, [curve([0, 1], [2, 3]), curve([0, 1], [2, 3])])).toBeUndefined()
  })

  it('fill a room with the shape of charts', () => {
    expect([gridOf(4, 800, 600), gridOf(3, 900, 220), gridOf(3, 300, 700), gridOf(1, 100, 100)]).toEqual([
      { columns: 2, rows: 2 },
      { columns: 3, rows: 1 },
      { columns: 1, rows: 3 },
      { columns: 1, rows: 1 },
    ])
  })
})
