/**
 * Values at other moments and in other cases: `at(when, e)`, `from("Case", e)`, `ddt(e)`, and reductions `over = times`.
 *
 * All are of one form: an expression in several frames, folded into one value at each position.
 */
import { FormulaError } from '../../errors'
import { divide, parseUnit, sameDimensions } from '../../units/units'
import { expressionText } from './expressions'
import type { Expression, Range } from './parse'
import { kindName } from './typed'
import type { Elsewhere, Fold, Scope, Typed } from './typed'

type Call = Extract<Expression, { kind: 'call' }>

export const elsewhereFunctions: Readonly<Record<string, string>> = {
  at: "value at another moment: at(2 's', T), at(first, T), at(previous, T), at(3, T) is the fourth",
  from: 'value in another case, carried where its mesh is another one: from("Case", T)',
  ddt: 'derivative by time, from the moments before and after',
}

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
  const fold = call.options['over'] === undefined ? 'sum' : folds[name]!
  if (fold !== 'sum' && typed.components !== 1)
    throw new FormulaError(
      'kind',
      `${name} takes a scalar, but this is ${kindName(typed.components)}; write mag(…) or a component.`,
      of.range,
    )
  const operation: Elsewhere = {
    kind: 'elsewhere',
    text: expressionText(of),
    fold,
    places: places.map(({ place, weight }) => ({ ...place, weight })),
  }
  const dimensions = name === 'ddt' ? typed.dimensions && divide(typed.dimensions, SECONDS) : typed.dimensions
  return { operation, of: [], components: typed.components, dimensions, place: typed.place, onShape: false, range }
}

/** The expression that is looked at. */
function argumentOf({ name, arguments: args, options, range }: Call): Expression {
  const wanted = name === 'at' ? 2 : 1
  const hasText = options[''] !== undefined
  if (args.length !== wanted || hasText !== (name === 'from')) {
    const forms: Record<string, string> = { at: 'at(moment, e)', from: 'from("Case", e)', ddt: 'ddt(e)' }
    throw new FormulaError('arguments', `Write it as ${forms[name] ?? `${name}(e, over = times)`}.`, range)
  }
  const known = name === 'from' ? [''] : Object.hasOwn(elsewhereFunctions, name) ? [] : ['over']
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
}

function placesOf(call: Call, scope: Scope): Weighted[] {
  const { name, options, arguments: args, range } = call
  const others = scope.others
  if (!others) throw new FormulaError('no-moments', `${name} looks at other moments or cases, which are not known here.`, range)
  if (name === 'from') {
    const found = others.inCase(options['']!)
    if (!found) {
      const known = others.caseNames.map((own) => `“${own}”`).join(', ')
      throw new FormulaError('no-case', `There is no case “${options['']}” with this part; cases are ${known || 'none'}.`, range)
    }
    return [{ ...found, weight: 1 }]
  }
  const at = (moment: number, weight: number): Weighted => ({ ...others.atMoment(moment), weight })
  if (name === 'at') return [at(momentOf(args[0]!, others), 1)]
  const times = others.times
  if (name === 'ddt') return slopeWeights(times, others.moment, range).map(([moment, weight]) => at(moment, weight))
  return meanWeights(times).map((weight, moment) => at(moment, weight))
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

/** Puts the values of one frame after the other into one. */
export class Folding {
  private readonly sum: Float64Array
  private readonly squares: Float64Array | undefined

  constructor(
    private readonly fold: Fold,
    n: number,
  ) {
    this.sum = new Float64Array(n).fill(fold === 'min' ? Infinity : fold === 'max' ? -Infinity : 0)
    if (fold === 'spread') this.squares = new Float64Array(n)
  }

  add(values: ArrayLike<number>, weight: number): void {
    const { sum, squares, fold } = this
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
