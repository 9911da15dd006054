/** What reduces a field to a number or a vector, over whole parts: `mean(T)`, `integral(1, on = "Drain")`, `percentile(T, 95)`. */
import { FormulaError } from '../../errors'
import { dimensionless, multiply, power } from '../../units/units'
import { expressionText } from './expressions'
import { parseFormula } from './parse'
import type { Expression, Range } from './parse'
import { requireKind } from './typed'
import type { Scope, Typed } from './typed'

type Call = Extract<Expression, { kind: 'call' }>

/** What reduces a field to a number, over regions or the part that `on` names. */
export const reductions: Readonly<Record<string, string>> = {
  integral: 'integral over all regions, or integral(e, on = "Part")',
  mean: 'mean by volume, area or length; mean(e, by = density) is weighted by what is given',
  sum: 'sum of the values of cells or faces as they are',
  std: 'standard deviation, weighted as the mean',
  rms: 'root of the mean square',
  percentile: 'value that so many percent of the size lie below: percentile(e, 95)',
}

/** By which means are weighted anyway. */
const SIZES = ['volume', 'area', 'length']

/** By what a mean is weighted besides the size; undefined for nothing. @throws FormulaError */
export function weightOf({ by }: Readonly<Record<string, string>>): Expression | undefined {
  return by === undefined || SIZES.includes(by) ? undefined : parseFormula(by === 'mass' ? 'density' : by)
}

/** `min` and `max` of one argument reduce as well. */
export function isReduction({ name, arguments: { length } }: Call): boolean {
  if (name === 'percentile') return true
  return length === 1 && (Object.hasOwn(reductions, name) || name === 'min' || name === 'max')
}

export function isOfScalars(name: string): boolean {
  return name === 'std' || name === 'rms' || name === 'percentile'
}

/** @throws FormulaError for options and arguments that a reduction does not take */
export function checkReduction({ name, arguments: args, options, range }: Call): void {
  const { on: _on, by, ...others } = options
  const [unknown] = Object.keys(others)
  const isMean = name === 'mean' || name === 'std' || name === 'rms'
  if (unknown !== undefined || (by !== undefined && !isMean)) {
    const known = isMean ? 'the options on = "…" and by = …' : 'the option on = "…"'
    throw new FormulaError('option', `${name} takes ${known}, not “${unknown ?? 'by'}”.`, range)
  }
  if (name === 'percentile') percentOf({ arguments: args, range })
}

/** The number in `percentile(e, 95)`. @throws FormulaError */
export function percentOf({ arguments: args, range }: Pick<Call, 'arguments' | 'range'>): number {
  const [, percent] = args
  const isGood = args.length === 2 && percent?.kind === 'number' && percent.value >= 0 && percent.value <= 100
  if (!isGood) throw new FormulaError('arguments', 'Write it as percentile(e, 95), with a number from 0 to 100.', percent?.range ?? range)
  return percent.value
}

/**
 * A number or vector of whole parts: the same at every position.
 *
 * @param check  of an expression in another scope. @throws FormulaError
 */
export function checkReduced(e: Call, own: Scope, check: (of: Expression, scope: Scope) => Typed): Typed {
  const { range, options } = e
  const named = options['on']
  const on = own.on?.(named)
  if (!on) throw new FormulaError('no-part', named === undefined ? 'There are no parts yet.' : `There is no part “${named}”.`, range)
  const { scope, dimension, parts } = on
  const { dimensions: length } = own.length ?? { dimensions: null }
  checkReduction(e)
  const of = check(e.arguments[0]!, scope)
  const { components } = of
  requireKind(e.name, of, isOfScalars(e.name) ? [1] : [1, 3])
  const weight = weightOf(options)
  // through a surface a vector weighs by its flow
  if (weight) requireKind('by', { ...pointed(() => check(weight, scope), range), range }, dimension === 2 ? [1, 3] : [1])
  const isSize = e.name === 'integral' || e.name === 'sum'
  const size = e.name === 'integral' ? length && power(length, dimension) : dimensionless
  const dimensions = isSize ? of.dimensions && size && multiply(of.dimensions, size) : of.dimensions
  const operation = { kind: 'reduced', text: expressionText(e), on: parts } as const
  const isNumber = e.name === 'min' || e.name === 'max' || e.name === 'percentile'
  return { operation, of: [], components: isNumber ? 1 : components, dimensions, place: 'any', onShape: false, range }
}

/** An error in an option points at the call: its text has places of its own. */
function pointed<T>(work: () => T, range: Range): T {
  try {
    return work()
  } catch (error) {
    if (error instanceof FormulaError) throw new FormulaError(error.code, `In by = …: ${error.message}`, range)
    throw error
  }
}
