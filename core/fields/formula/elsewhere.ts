/**
 * Values at other moments and in other cases: `at(when, e)`, `from("Case", e)`, `ddt(e)`, reductions `over = times`, and what a course of
 * time has in it: `timeofmax(e)`, `amplitude(e, at = 0.1 'Hz')`.
 *
 * All are of one form: an expression in several frames, folded into one value at each position.
 */
import { FormulaError } from '../../errors'
import { dimensionless, divide, parseUnit, sameDimensions } from '../../units/units'
import type { Dimensions } from '../../units/units'
import { expressionText } from './expressions'
import { parseFormula } from './parse'
import type { Expression, Range } from './parse'
import { kindName } from './typed'
import type { Elsewhere, Fold, Scope, Typed } from './typed'

type Call = Extract<Expression, { kind: 'call' }>

export const elsewhereFunctions: Readonly<Record<string, string>> = {
  at: "value at another moment: at(2 's', T), at(first, T), at(previous, T), at(3, T) is the fourth",
  from: 'value in another case or of another part, carried where the mesh is another one: from("Case", T), from("Sensors", T)',
  ddt: 'derivative by time, from the moments before and after',
  timeofmax: "time at which it is largest, of all or of a span: timeofmax(T, from = 2 's', to = 4 's')",
  timeofmin: 'time at which it is smallest',
  amplitude: "amplitude of what swings with a frequency: amplitude(p, at = 0.1 'Hz')",
  phase: "its phase in radians, that of a cosine: phase(p, at = 0.1 'Hz')",
}

/** Functions of a whole course of time, of which a span may be taken. */
const courses: ReadonlySet<string> = new Set(['timeofmax', 'timeofmin', 'amplitude', 'phase'])
const HERTZ = parseUnit('Hz')!.dimensions

/** Reductions that may be taken over all moments. */
const folds: Readonly<Record<string, Fold>> = { mean: 'sum', rms: 'squares', std: 'spread', min: 'min', max: 'max' }

const WORDS = ['first', 'last', 'previous', 'next'] as const
const SECONDS = parseUnit('s')!.dimensions

export function isElsewhere({ name, options }: Call): boolean {
  return Object.hasOwn(elsewhereFunctions, name) || (Object.hasOwn(folds, name) && options['over'] !== undefined)
}

/** Whether anything in an expression is looked at in another frame. */
export function hasElsewhere(e: Expression): boolean {
  switch (e.kind) {
    case 'number':
    case 'name':
      return false
    case 'call':
      return isElsewhere(e) || e.arguments.some(hasElsewhere)
    case 'component':
    case 'negate':
    case 'not':
      return hasElsewhere(e.of)
    default:
      return hasElsewhere(e.left) || hasElsewhere(e.right)
  }
}

/** @param check  of an expression in another scope. @throws FormulaError */
export function checkElsewhere(call: Call, scope: Scope, check: (of: Expression, scope: Scope) => Typed): Typed {
  const { name, range } = call
  const of = argumentOf(call)
  const places = placesOf(call, scope)
  const typed = check(of, places[0]?.scope ?? scope)
  if (typed.onShape) throw new FormulaError('gradient-place', `${name} looks at the case itself, where there is no normal.`, typed.range)
  const isScalar = call.options['over'] === undefined ? courses.has(name) : name !== 'mean'
  if (isScalar && typed.components !== 1)
    throw new FormulaError(
      'kind',
      `${name} takes a scalar, but this is ${kindName(typed.components)}; write mag(…) or a component.`,
      of.range,
    )
  const folded = (fold: Fold, all: readonly Weighted[] = places): Typed => {
    const operation: Elsewhere = {
      kind: 'elsewhere',
      text: expressionText(of),
      fold,
      places: all.map(({ place, weight }) => ({ ...place, weight })),
    }
    return { operation, of: [], components: typed.components, dimensions: typed.dimensions, place: typed.place, onShape: false, range }
  }
  if (name === 'amplitude' || name === 'phase') return swinging(call, places, folded)
  if (name === 'timeofmax' || name === 'timeofmin') {
    const timed = places.map((place) => ({ ...place, weight: place.time }))
    return { ...folded(name === 'timeofmax' ? 'when largest' : 'when smallest', timed), dimensions: SECONDS }
  }
  const found = folded(call.options['over'] === undefined ? 'sum' : folds[name]!)
  return name === 'ddt' ? { ...found, dimensions: typed.dimensions && divide(typed.dimensions, SECONDS) } : found
}

/** The part of a course of time that swings with a frequency: from its products with a cosine and a sine. */
function swinging(call: Call, places: readonly Weighted[], folded: (fold: Fold, places: readonly Weighted[]) => Typed): Typed {
  const { name, range, options } = call
  if (options['at'] === undefined) throw new FormulaError('arguments', `Name the frequency: ${name}(e, at = 0.1 'Hz').`, range)
  const turn = 2 * Math.PI * numberIn(options['at'], HERTZ, 'a frequency', range)
  const [real, imaginary] = [Math.cos, (x: number) => -Math.sin(x)].map((wave) =>
    folded(
      'sum',
      places.map((place) => ({ ...place, weight: 2 * place.weight * wave(turn * place.time) })),
    ),
  ) as [Typed, Typed]
  const both = { components: 1, place: real.place, onShape: false, range }
  if (name === 'amplitude')
    return { ...both, operation: { kind: 'apply', name: 'hypot' }, of: [real, imaginary], dimensions: real.dimensions }
  return { ...both, operation: { kind: 'apply', name: 'atan2' }, of: [imaginary, real], dimensions: dimensionless }
}

/** An option that is a number with a unit, in SI. */
function numberIn(text: string, dimensions: Dimensions, what: string, range: Range): number {
  const e = parseFormula(text)
  const number = e.kind === 'negate' ? e.of : e
  const unit = number.kind === 'number' && number.unit !== null ? parseUnit(number.unit) : null
  if (number.kind !== 'number' || !unit || !sameDimensions(unit.dimensions, dimensions))
    throw new FormulaError('option', `“${text}” is not ${what}; write a number with its unit.`, range)
  return (e.kind === 'negate' ? -1 : 1) * number.value * unit.factor
}

/** The expression that is looked at. */
function argumentOf({ name, arguments: args, options, range }: Call): Expression {
  const wanted = name === 'at' ? 2 : 1
  const hasText = options[''] !== undefined
  if (args.length !== wanted || hasText !== (name === 'from')) {
    const forms: Record<string, string> = { at: 'at(moment, e)', from: 'from("Case", e)', ddt: 'ddt(e)' }
    throw new FormulaError('arguments', `Write it as ${forms[name] ?? `${name}(e, over = times)`}.`, range)
  }
  const known = [...(name === 'from' ? [''] : []), ...(courses.has(name) ? ['from', 'to', 'at'] : [])]
  if (!Object.hasOwn(elsewhereFunctions, name)) known.push('over', 'from', 'to')
  const unknown = Object.keys(options).find((option) => !known.includes(option))
  if (unknown !== undefined) throw new FormulaError('option', `${name} takes no option “${unknown}” here.`, range)
  if (options['over'] !== undefined && options['over'] !== 'times' && options['over'] !== 'moments')
    throw new FormulaError('option', `It is taken over = times, not over “${options['over']}”.`, range)
  return args[wanted - 1]!
}

interface Weighted {
  scope: Scope
  place: Omit<Elsewhere['places'][number], 'weight'>
  weight: number
  /** Seconds; 0 where it does not matter. */
  time: number
}

function placesOf(call: Call, scope: Scope): Weighted[] {
  const { name, options, arguments: args, range } = call
  const others = scope.others
  if (!others) throw new FormulaError('no-moments', `${name} looks at other moments or cases, which are not known here.`, range)
  if (name === 'from') {
    const found = others.inCase(options['']!)
    if (!found) {
      const known = others.caseNames.map((own) => `“${own}”`).join(', ')
      const text = `There is no case “${options['']}” with this part, and no part of that name; cases are ${known || 'none'}.`
      throw new FormulaError('no-case', text, range)
    }
    return [{ ...found, weight: 1, time: 0 }]
  }
  const times = others.times
  const at = (moment: number, weight: number): Weighted => ({ ...others.atMoment(moment), weight, time: times[moment] ?? 0 })
  if (name === 'at') return [at(momentOf(args[0]!, others), 1)]
  if (name === 'ddt') return slopeWeights(times, others.moment, range).map(([moment, weight]) => at(moment, weight))
  if (courses.has(name) && times.some((time) => time === null))
    throw new FormulaError('no-times', `${name} needs moments with times.`, range)
  const weights = options['from'] === undefined && options['to'] === undefined ? meanWeights(times) : spanWeights(call, times)
  return weights.flatMap((weight, moment) => (weight === undefined ? [] : [at(moment, weight)]))
}

function momentOf(e: Expression, { times, moment }: NonNullable<Scope['others']>): number {
  const last = times.length - 1
  if (e.kind === 'name' && (WORDS as readonly string[]).includes(e.name))
    return Math.min(last, Math.max(0, { first: 0, last, previous: moment - 1, next: moment + 1 }[e.name as (typeof WORDS)[number]]))
  const isNegative = e.kind === 'negate'
  const number = isNegative ? e.of : e
  if (number.kind !== 'number')
    throw new FormulaError('no-moment', "A moment is first, last, previous, next, a number from 0, or a time such as 2 's'.", e.range)
  if (number.unit === null) {
    if (!isNegative && Number.isInteger(number.value) && number.value <= last) return number.value
    throw new FormulaError('no-moment', `There is no moment ${isNegative ? '−' : ''}${number.value}; they run from 0 to ${last}.`, e.range)
  }
  const unit = parseUnit(number.unit)
  if (!unit || !sameDimensions(unit.dimensions, SECONDS)) throw new FormulaError('units', `“${number.unit}” is no unit of time.`, e.range)
  const wanted = (isNegative ? -1 : 1) * number.value * unit.factor
  let best = -1
  times.forEach((time, i) => {
    if (time !== null && (best < 0 || Math.abs(time - wanted) < Math.abs(times[best]! - wanted))) best = i
  })
  if (best < 0) throw new FormulaError('no-times', 'The moments of this case have no times; write a number from 0, first or last.', e.range)
  return best
}

/** Derivative of the parabola through a moment and its neighbours, at the ends through the three nearest: second order. */
function slopeWeights(times: readonly (number | null)[], moment: number, range: Range): [number, number][] {
  const n = times.length
  if (n < 2 || times.some((time) => time === null)) throw new FormulaError('no-times', 'ddt needs at least two moments with times.', range)
  const first = Math.max(0, Math.min(moment - 1, n - 3))
  const near = Array.from({ length: Math.min(3, n) }, (_, i) => first + i)
  const t = times[moment]!
  return near.map((i) => {
    const others = near.filter((j) => j !== i)
    // derivative of the Lagrange polynomial of i
    const below = others.reduce((product, j) => product * (times[i]! - times[j]!), 1)
    const above = others.length === 1 ? 1 : 2 * t - times[others[0]!]! - times[others[1]!]!
    return [i, above / below]
  })
}

/** By the trapezoid rule where there are times that go on, else all alike. */
function meanWeights(times: readonly (number | null)[]): number[] {
  const n = times.length
  const isRising = n > 1 && times.every((time, i) => time !== null && (i === 0 || time > times[i - 1]!))
  if (!isRising) return times.map(() => 1 / n)
  const at = (i: number): number => times[Math.min(n - 1, Math.max(0, i))]!
  return times.map((_, i) => (at(i + 1) - at(i - 1)) / 2 / (at(n - 1) - at(0)))
}

/**
 * Of the means over a span, taken as linear between moments; undefined for moments that do not count. What is no mean looks at the moments
 * inside alone.
 */
function spanWeights({ name, options, range }: Call, times: readonly (number | null)[]): (number | undefined)[] {
  const isRising = times.length > 1 && times.every((time, i) => time !== null && (i === 0 || time > times[i - 1]!))
  if (!isRising) throw new FormulaError('no-times', `A span needs moments whose times go on.`, range)
  const t = times as number[]
  const end = (option: 'from' | 'to', otherwise: number): number => {
    const text = options[option]
    return text === undefined ? otherwise : numberIn(text, SECONDS, 'a time', range)
  }
  const from = Math.max(t[0]!, end('from', -Infinity))
  const to = Math.min(t[t.length - 1]!, end('to', Infinity))
  const inside = t.map((time) => time >= from && time <= to)
  const isMean = name === 'mean' || name === 'rms' || name === 'std' || name === 'amplitude' || name === 'phase'
  if (!(isMean ? to > from : inside.includes(true)))
    throw new FormulaError('no-times', `There is nothing between these times; the case runs from ${t[0]} s to ${t[t.length - 1]} s.`, range)
  if (!isMean) return inside.map((is) => (is ? 1 : undefined))
  const weights = t.map(() => 0)
  for (let i = 0; i + 1 < t.length; i++) {
    const [a, b] = [Math.max(from, t[i]!), Math.min(to, t[i + 1]!)]
    if (b <= a) continue
    const middle = ((a + b) / 2 - t[i]!) / (t[i + 1]! - t[i]!)
    weights[i]! += ((b - a) * (1 - middle)) / (to - from)
    weights[i + 1]! += ((b - a) * middle) / (to - from)
  }
  return weights.map((weight) => (weight > 0 ? weight : undefined))
}

/** Puts the values of one frame after the other into one. */
export class Folding {
  private readonly sum: Float64Array
  private readonly squares: Float64Array | undefined
  /** The largest or smallest value so far, of which the time is wanted. */
  private readonly extreme: Float64Array | undefined

  constructor(
    private readonly fold: Fold,
    n: number,
  ) {
    this.sum = new Float64Array(n).fill(fold === 'min' ? Infinity : fold === 'max' ? -Infinity : 0)
    if (fold === 'spread') this.squares = new Float64Array(n)
    if (fold === 'when largest' || fold === 'when smallest') {
      this.sum.fill(NaN)
      this.extreme = new Float64Array(n).fill(fold === 'when largest' ? -Infinity : Infinity)
    }
  }

  /** @param weight  of the moment; its time where that is wanted */
  add(values: ArrayLike<number>, weight: number): void {
    const { sum, squares, fold, extreme } = this
    if (extreme) {
      const way = fold === 'when largest' ? 1 : -1
      for (let i = 0; i < sum.length; i++) {
        if (!(way * values[i]! > way * extreme[i]!)) continue
        extreme[i] = values[i]!
        sum[i] = weight
      }
      return
    }
    for (let i = 0; i < sum.length; i++) {
      const x = values[i]!
      // Math.min and Math.max keep what is not a number
      if (fold === 'min') sum[i] = Math.min(sum[i]!, x)
      else if (fold === 'max') sum[i] = Math.max(sum[i]!, x)
      else {
        sum[i]! += weight * (fold === 'squares' ? x * x : x)
        if (squares) squares[i]! += weight * x * x
      }
    }
  }

  result(): Float64Array {
    const { sum, squares, fold } = this
    if (fold === 'squares') return sum.map(Math.sqrt)
    return squares ? squares.map((square, i) => Math.sqrt(Math.max(0, square - sum[i]! * sum[i]!))) : sum
  }
}
