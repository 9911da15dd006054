/**
 * Expressions of numbers: reductions over parts, joined by arithmetic.
 *
 *     integral(dot(U, normal), on = "Drain") / integral(1, on = "Drain")
 *
 * `integral`, `mean`, `sum`, `min` and `max` of one argument reduce a field over `on`, or over the given parts when `on` is
 * absent. `mean` is by volume, area or length; `sum` adds the values of cells or faces as they are. Not-a-number is left out and counted.
 */
import { DataError, FormulaError } from '../errors'
import { parseFormula } from '../fields/formula/parse'
import type { Expression } from '../fields/formula/parse'
import { dimensionless, divide, multiply, parseUnit, power, requireUnit, sameDimensions, unitName } from '../fields/units'
import type { Dimensions } from '../fields/units'
import type { PartBlocks } from '../mesh/MeshBlock'
import { joinShapes } from '../steps/Shape'
import type { Evaluator } from '../study/Evaluator'
import { integrateCells, magnitude } from './integrateCells'
import { integrateShape } from './integrateShape'
import { sumCells } from './sumCells'
import { mergeTotals } from './sums'
import type { Totals } from './sums'

export interface Measured {
  value: number
  /** null: unknown */
  unit: string | null
  /** Values left out because they are not finite. */
  nonFinite: number
}

interface Value {
  value: number
  dimensions: Dimensions | null
  /** Name to show instead of the coherent unit: a plain field keeps the unit of its file. */
  unit?: string | null
  nonFinite: number
}

const reductions = new Set(['integral', 'mean', 'sum', 'min', 'max'])

/**
 * @param text   the expression
 * @param parts  names of the parts reductions run over when they name none
 * @throws FormulaError pointing into the text; DataError for an unknown part
 */
export function measureExpression(text: string, evaluator: Evaluator, parts: readonly string[]): Measured {
  const { value, dimensions, unit, nonFinite } = new Reducer(text, evaluator, parts).value(parseFormula(text))
  return { value, unit: unit === undefined ? dimensions && unitName(dimensions) : unit, nonFinite }
}

class Reducer {
  constructor(
    private readonly text: string,
    private readonly evaluator: Evaluator,
    private readonly parts: readonly string[],
  ) {}

  value(e: Expression): Value {
    switch (e.kind) {
      case 'number': {
        const unit = e.unit === null ? null : requireUnit(e.unit, e.range)
        return { value: unit ? e.value * unit.factor + unit.offset : e.value, dimensions: unit?.dimensions ?? dimensionless, nonFinite: 0 }
      }
      case 'name': {
        const number = this.evaluator.caseNumber(e.name, e.range)
        if (number) return { ...number, nonFinite: 0 }
        break
      }
      case 'negate': {
        const of = this.value(e.of)
        return { ...of, value: -of.value }
      }
      case 'binary':
        return this.binary(e.operator, this.value(e.left), this.value(e.right), e)
      case 'call':
        if (reductions.has(e.name) && e.arguments.length === 1) return this.reduce(e.name, e.arguments[0]!, e.options)
        break
      default:
    }
    throw new FormulaError('not-reduced', `“${this.text.slice(...e.range)}” is a field, not a number; wrap it in mean(…), integral(…), sum(…), min(…) or max(…).`, e.range)
  }

  private binary(operator: string, a: Value, b: Value, e: Expression): Value {
    const nonFinite = a.nonFinite + b.nonFinite
    const both = a.dimensions && b.dimensions
    switch (operator) {
      case '*':
        return { value: a.value * b.value, dimensions: both && multiply(a.dimensions!, b.dimensions!), nonFinite }
      case '/':
        return { value: a.value / b.value, dimensions: both && divide(a.dimensions!, b.dimensions!), nonFinite }
      case '^':
        return { value: a.value ** b.value, dimensions: a.dimensions && power(a.dimensions, b.value), nonFinite }
      default:
        if (both && !sameDimensions(a.dimensions!, b.dimensions!)) {
          throw new FormulaError('units', `${unitName(b.dimensions!)} cannot be ${operator === '+' ? 'added to' : 'subtracted from'} ${unitName(a.dimensions!)}.`, e.range)
        }
        return { value: operator === '+' ? a.value + b.value : a.value - b.value, dimensions: both && a.dimensions, nonFinite }
    }
  }

  private reduce(name: string, argument: Expression, options: Record<string, string>): Value {
    const unknown = Object.keys(options).find((option) => option !== 'on')
    if (unknown) throw new FormulaError('option', `${name} takes the option on = "…", not “${unknown}”.`, argument.range)
    const text = this.text.slice(...argument.range)
    const names = options['on'] === undefined ? this.parts : [options['on']]
    if (name === 'sum') return this.shifted(argument.range[0], () => this.sum(text, names))
    const { totals, unit, dimension, components } = this.shifted(argument.range[0], () => this.totals(text, names))
    const value = (list: number[]): number => (components === 1 ? list[0]! : magnitude(list, 0, components))
    const parsed = unit === null ? null : parseUnit(unit)
    const { nonFinite } = totals
    if (name !== 'integral') {
      if (totals.measure === 0) throw new DataError('empty', `There is nothing to measure on ${names.join(', ')}: no cells with finite values of ${text}.`)
      const result = name === 'mean' ? value(totals.mean) : name === 'min' ? totals.min : totals.max
      return { value: result, dimensions: parsed?.dimensions ?? null, unit, nonFinite }
    }
    const { lengthUnit } = this.evaluator.data.catalogue
    const length = lengthUnit === null ? null : parseUnit(lengthUnit)
    if (!parsed || !length) return { value: value(totals.integral), dimensions: null, nonFinite }
    return {
      value: value(totals.integral) * parsed.factor * length.factor ** dimension,
      dimensions: multiply(parsed.dimensions, power(length.dimensions, dimension)),
      nonFinite,
    }
  }

  private sum(text: string, names: readonly string[]): Value {
    const parts = names.map((name) => this.part(name).part)
    const { place, unit } = this.evaluator.quantity(text, parts[0]!.name)
    if (place === 'point') throw new DataError('point-sum', `A sum over points would count the mesh, not ${text}; write integral(…) or mean(…).`)
    const sums = parts.map((part) => sumCells(part.nBlocks, (k) => part.block(k), (k) => this.evaluator.blockValues(text, part, k)))
    const total = (c: number): number => sums.reduce((sum, found) => sum + (found.sums[c] ?? 0), 0)
    const list = sums[0]!.sums.map((_, c) => total(c))
    const dimensions = unit === null ? null : (parseUnit(unit)?.dimensions ?? null)
    return { value: list.length === 1 ? list[0]! : magnitude(list, 0, list.length), dimensions, unit, nonFinite: sums.reduce((n, found) => n + found.nonFinite, 0) }
  }

  /** Errors in an argument point into the whole expression. */
  private shifted<T>(by: number, run: () => T): T {
    try {
      return run()
    } catch (error) {
      if (!(error instanceof FormulaError) || !error.range) throw error
      throw new FormulaError(error.code, error.message, [error.range[0] + by, error.range[1] + by])
    }
  }

  private totals(text: string, names: readonly string[]): { totals: Totals; unit: string | null; dimension: number; components: number } {
    const parts = names.map((name) => this.part(name))
    const dimension = parts[0]!.part.dimension - (parts[0]!.isOuter ? 1 : 0)
    if (dimension === 3) return { ...this.cellTotals(text, parts.map((p) => p.part)), dimension }
    const shapes = parts.map(({ part, isOuter }) => this.evaluator.partShape(part.name, isOuter))
    const shape = joinShapes(shapes[0]!.kind, shapes)
    const values = this.evaluator.values(text, shape)
    return { totals: integrateShape(shape, values), unit: values.unit, dimension, components: values.components }
  }

  private part(name: string): { part: PartBlocks; isOuter: boolean } {
    const { catalogue } = this.evaluator.data
    const outer = /^(?:(.*)\/)?outer$/.exec(name)
    const regions = catalogue.parts.filter((p) => p.dimension === 3)
    if (outer && !catalogue.parts.some((p) => p.name === name)) {
      const region = outer[1] ?? (regions.length === 1 ? regions[0]!.name : undefined)
      if (region !== undefined) return { part: this.evaluator.data.part(region), isOuter: true }
    }
    return { part: this.evaluator.data.part(name), isOuter: false }
  }

  private cellTotals(text: string, parts: PartBlocks[]): { totals: Totals; unit: string | null; components: number } {
    const { unit } = this.evaluator.quantity(text, parts[0]!.name)
    const groups = []
    let components = 1
    for (const part of parts) {
      for (let k = 0; k < part.nBlocks; k++) {
        const field = this.evaluator.blockValues(text, part, k)
        components = field.components
        groups.push(...integrateCells(part.block(k), field))
      }
    }
    return { totals: mergeTotals(groups, components), unit, components }
  }
}
