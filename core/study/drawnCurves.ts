/** Curves as a chart draws them: scaled, named, in the units of the study, on one of its axes. */
import type { PlainCurve, PlainSeries, Quantity } from '../measure/results'
import { dimensionKey, displayOf, inDisplay } from '../units/quantities'
import type { Display } from '../units/quantities'
import { divide, isSameKind, parseUnit, sameDimensions, unitName } from '../units/units'
import { inUnit } from '../units/typedNumbers'
import { axisNames, filledIn, readChartAmount } from './chart'
import type { AxisName, ChartCurve, ChartLook, ChartRule } from './chart'

interface SeriesOfCase extends PlainSeries {
  /** That it is of, where a curve is taken over cases. */
  case?: string
}

/** A curve as it was computed: in the units of its case. */
type CurveOfCases = Omit<PlainCurve, 'series'> & { series: readonly SeriesOfCase[] }

export interface DrawnSeries extends SeriesOfCase {
  isRight: boolean
  isLoose: boolean
  /** As it was computed and scaled. */
  quantity: { x: Quantity; y: Quantity; shade?: Quantity }
  /** Units that its values are in as they are shown. */
  units: { x: string | null; y: string | null; shade?: string | null }
  curve: ChartCurve
}

export interface DrawnAxis {
  /** Quantity and unit, or what was typed instead. */
  title: string
  /** That is shown, and that of the values before, in which ranges are kept. */
  unit: string | null
  raw: string | null
  isDifference?: boolean
  /** Ends as they are shown. */
  ends?: [number, number]
}

export interface ChartDrawing {
  series: DrawnSeries[]
  /** What colours points, as it is shown. */
  shade?: { title: string; range: readonly [number, number] }
  axes: Partial<Record<AxisName, DrawnAxis>>
  /** At values as they are shown. */
  rules: readonly ChartRule[]
  cautions: string[]
}

export interface CurveOfChart {
  curve: ChartCurve
  plain: CurveOfCases
  /** What placeholders in its name stand for. */
  words: Readonly<Record<string, string>>
}

/**
 * @param units  of the study, by `dimensionKey`
 */
export function drawnChart(curves: readonly CurveOfChart[], look: ChartLook, units: Readonly<Record<string, string>>): ChartDrawing {
  const cautions: string[] = []
  const scaled = curves.filter(({ curve }) => !curve.isHidden).map((own) => ({ ...own, plain: scaledCurve(own, cautions) }))
  const axes: ChartDrawing['axes'] = {}
  const on = (axis: AxisName): Quantity[] => {
    if (axis === 'x') return scaled.map(({ plain }) => plain.x)
    return scaled.flatMap(({ curve, plain }) => (!!curve.isRight === (axis === 'right') ? [plain.y] : []))
  }
  for (const axis of axisNames) {
    const found = on(axis)
    if (found.length) axes[axis] = drawnAxis(found, look[axis] ?? {}, units, cautions)
  }
  const series = scaled.flatMap(({ curve, plain, words }) => {
    const x = displayOn(axes.x, plain.x, units)
    const y = displayOn(axes[curve.isRight ? 'right' : 'y'], plain.y, units)
    const shade = plain.shade && displayOf(plain.shade.unit, units)
    const off = (error: number | null): number | null => (error === null ? null : inDisplay(y ?? null, error) - inDisplay(y ?? null, 0))
    const turned = (values: PlainSeries['x'], to: Display | null | undefined): PlainSeries['x'] =>
      !to || (to.factor === 1 && to.offset === 0) ? values : values.map((value) => (value === null ? null : inDisplay(to, value)))
    return plain.series.map((own) => ({
      ...own,
      name: nameOf(own, plain, curve, words, scaled.length),
      x: turned(own.x, x),
      y: turned(own.y, y),
      ...(own.errors && { errors: own.errors.map(off) }),
      ...(own.shades && { shades: turned(own.shades, shade) }),
      isRight: !!curve.isRight,
      isLoose: curve.isLoose ?? plain.isLoose ?? false,
      quantity: { x: plain.x, y: plain.y, ...(plain.shade && { shade: plain.shade }) },
      units: { x: x?.unit ?? null, y: y?.unit ?? null, ...(plain.shade && { shade: shade?.unit ?? null }) },
      curve,
    }))
  })
  const shade = shadeOf(scaled, series, units)
  const rules = (look.rules ?? []).flatMap((rule) => (axes[rule.axis] ? [shownRule(rule, axes[rule.axis]!, units)] : []))
  return { series, axes, rules, ...(shade && { shade }), cautions: [...cautions, ...drawingCautions(series, axes, look)] }
}

function shownRule({ at, to, ...rule }: ChartRule, { raw, isDifference }: DrawnAxis, units: Readonly<Record<string, string>>): ChartRule {
  const shown = (value: number): number => inDisplay(displayOf(raw, units, isDifference), value)
  return { ...rule, at: shown(at), ...(to !== undefined && { to: shown(to) }) }
}

/** One scale for all points that are coloured. */
function shadeOf(
  curves: readonly CurveOfChart[],
  series: readonly DrawnSeries[],
  units: Readonly<Record<string, string>>,
): ChartDrawing['shade'] {
  const shade = curves.find(({ plain }) => plain.shade)?.plain.shade
  if (!shade) return undefined
  let [low, high] = [Infinity, -Infinity]
  for (const { shades = [] } of series) {
    for (const value of shades) {
      if (value === null) continue
      low = Math.min(low, value)
      high = Math.max(high, value)
    }
  }
  const unit = displayOf(shade.unit, units)?.unit
  return high >= low ? { title: `${shade.name}${unit && unit !== '1' ? `, ${unit}` : ''}`, range: [low, high] } : undefined
}

/** Several lines of one curve keep their own names behind that of the curve. */
function nameOf(
  { name }: PlainSeries,
  { series }: CurveOfCases,
  curve: ChartCurve,
  words: Readonly<Record<string, string>>,
  nCurves: number,
): string {
  const own = curve.name === undefined ? undefined : filledIn(curve.name, words)
  if (own !== undefined) return series.length > 1 ? `${own} ${name}` : own
  return nCurves > 1 && words['step'] ? `${words['step']}: ${name}` : name
}

/** Divided and shifted as was typed. What cannot be said in the unit of a coordinate is left out with a caution. */
function scaledCurve({ curve, plain }: CurveOfChart, cautions: string[]): CurveOfCases {
  let found = plain
  for (const axis of ['x', 'y'] as const) {
    const plus = curve[`${axis}Plus`]
    const over = curve[`${axis}Over`]
    const quantity = found[axis]
    let [shift, divisor, unit] = [0, 1, quantity.unit]
    if (plus !== undefined) {
      const amount = readChartAmount(plus)
      const value = typeof amount === 'string' ? null : amount.unit && unit === null ? null : inUnit(amount, unit ?? '1')
      if (value === null) cautions.push(`${plus} cannot be added to ${quantity.name}${unit ? ` in ${unit}` : ', whose unit is unknown'}.`)
      else shift = value
    }
    if (over !== undefined) {
      const amount = readChartAmount(over)
      if (typeof amount === 'string' || amount.value === 0) cautions.push(`Nothing can be divided by ${over}.`)
      else [divisor, unit] = quotient(amount, unit)
    }
    if (shift === 0 && divisor === 1 && unit === quantity.unit) continue
    const name = over === undefined ? quantity.name : `${quantity.name} / ${over}`
    const { isDifference: _, ...rest } = quantity
    found = {
      ...found,
      [axis]: { ...rest, name, unit },
      series: found.series.map((own) => ({
        ...own,
        [axis]: own[axis].map((v) => (v === null ? null : (v + shift) / divisor)),
        ...(axis === 'y' && own.errors && { errors: own.errors.map((v) => (v === null ? null : Math.abs(v / divisor))) }),
      })),
    }
  }
  return found
}

/** What values of a unit are divided by, and their unit then: in that of the values where that is the same kind. */
function quotient({ value, unit: own }: { value: number; unit: string | undefined }, unit: string | null): [number, string | null] {
  const by = own === undefined ? null : parseUnit(own)
  const of = unit === null ? null : parseUnit(unit)
  if (!by || !of) return [value, unit]
  if (sameDimensions(by.dimensions, of.dimensions)) return [(value * by.factor) / of.factor, '1']
  return [(value * by.factor) / of.factor, unitName(divide(of.dimensions, by.dimensions))]
}

function drawnAxis(
  found: readonly Quantity[],
  { range, title }: { range?: readonly [number, number]; title?: string },
  units: Readonly<Record<string, string>>,
  cautions: string[],
): DrawnAxis {
  const [first] = found
  const other = found.find(({ unit }) => !isSameKind(first!.unit, unit))
  if (other) {
    const said = ({ name, unit }: Quantity): string => `${name} ${unit === '1' ? 'without a unit' : `in ${unit ?? 'an unknown unit'}`}`
    cautions.push(`Two units stand on one axis: ${said(first!)} and ${said(other)}; put one of them on the right.`)
  }
  // what has a unit of its own, such as an angle in degrees, says more than a plain number
  const named = found.find(({ unit }) => unit !== '1' && isSameKind(first!.unit, unit))
  const raw = (named ?? first!).unit
  const to = displayOf(raw, units, first!.isDifference)
  const names = [...new Set(found.map(({ name }) => name))]
  const unit = to ? to.unit : null
  return {
    title: title ?? `${names.slice(0, 3).join(', ')}${names.length > 3 ? ', …' : ''}${unit === '1' ? '' : `, ${unit ?? 'unit unknown'}`}`,
    unit,
    raw,
    ...(first!.isDifference && { isDifference: true }),
    ...(range && { ends: [inDisplay(to, range[0]), inDisplay(to, range[1])] }),
  }
}

/** All curves on an axis are drawn in its unit, whichever each has itself; one of another kind in its own. */
function displayOn(
  axis: Pick<DrawnAxis, 'unit'> | undefined,
  { unit, isDifference }: Quantity,
  units: Readonly<Record<string, string>>,
): Display | null {
  const own = axis?.unit == null ? null : parseUnit(axis.unit)
  return displayOf(unit, own ? { ...units, [dimensionKey(own.dimensions)]: axis!.unit! } : units, isDifference)
}

/** What of the curves does not show as they are drawn, in plain sentences. */
function drawingCautions(series: readonly DrawnSeries[], axes: ChartDrawing['axes'], look: ChartLook): string[] {
  const cautions: string[] = []
  let [nPoints, nBoth, isFlat] = [0, 0, series.length > 0]
  const below = { x: 0, y: 0, right: 0 }
  const seen = { x: false, y: false, right: false }
  const isWithin = (v: number, axis: AxisName): boolean => {
    const ends = axes[axis]?.ends
    return !ends || (v - ends[0]) * (v - ends[1]) <= 0
  }
  for (const { x, y, isRight } of series) {
    const own = isRight ? 'right' : 'y'
    let first: number | null = null
    x.forEach((at, i) => {
      const value = y[i]
      if (at === null || value == null) return
      nPoints++
      if (first === null) first = at
      else {
        nBoth++
        if (at !== first) isFlat = false
      }
      if (at <= 0) below.x++
      if (value <= 0) below[own]++
      seen.x ||= isWithin(at, 'x')
      seen[own] ||= isWithin(value, own)
    })
  }
  if (!nPoints) return series.length ? ['There is no point with a value to draw.'] : []
  if (nPoints === 1) cautions.push('There is one point only; it is drawn as a mark.')
  else if (isFlat && nBoth) cautions.push('All points are at the same abscissa.')
  for (const axis of axisNames) {
    if (!axes[axis]) continue
    if (look[axis]?.isLog && below[axis])
      cautions.push(`${below[axis]} of ${nPoints} points are not above 0 and have no place on a logarithmic axis.`)
    if (!seen[axis]) cautions.push('No point lies in the range that was typed.')
  }
  return cautions
}
