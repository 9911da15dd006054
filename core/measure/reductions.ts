/**
 * Expressions of numbers: reductions over parts, joined by arithmetic.
 *
 *     integral(dot(U, normal), on = "Drain") / integral(1, on = "Drain")
 *
 * `integral`, `mean`, `sum`, `std`, `rms`, `percentile`, `min` and `max` of one argument reduce a field over `on`, or over the given parts
 * when `on` is absent. A vector reduces to a vector; `min` and `max` are of its magnitude. `mean` is by volume, area or length, or weighted
 * by what `by` says; `sum` adds the values of cells or faces as they are. Not-a-number is left out and counted.
 */
import { DataError, FormulaError } from '../errors'
import { componentNames } from '../fields/formula/typed'
import { callOf, coherentOf, expressionText, nameOf, productOf, squareAbout } from '../fields/formula/expressions'
import { checkReduction, isReduction, percentOf, weightOf } from '../fields/formula/reductions'
import { parseFormula } from '../fields/formula/parse'
import type { Expression } from '../fields/formula/parse'
import { dimensionless, divide, multiply, parseUnit, power, requireUnit, sameDimensions, unitName } from '../units/units'
import type { Dimensions } from '../units/units'
import { joinDomains, wholeDomain } from '../mesh/Domain'
import type { Domain, DomainBlock, DomainMesh } from '../mesh/Domain'
import type { FieldValues, PartBlocks } from '../mesh/MeshBlock'
import type { Shape, ShapeValues } from '../shapes/Shape'
import { integrateShape } from './integrateShape'
import { magnitude } from './integrateCells'
import { percentileOf } from './percentile'
import { domainSamples, shapeSamples } from './samples'
import type { UsePlace } from './samples'
import { sumCells } from './sumCells'
import { totalsOfDomain, totalsOfParts } from './totals'
import type { Totals } from './sums'

/** What measuring sees of a case at a moment. */
export interface Measurable {
  lengthUnit: string | null
  /** @throws DataError when there is none of that name */
  part(name: string): PartBlocks
  /** Names of the regions. */
  regions: readonly string[]
  hasPart(name: string): boolean
  check(): void
  /** Whether it has values on shapes only, because it contains `normal`. */
  quantity(expression: Expression, parts: readonly string[]): { unit: string | null; components: number; place: string; onShape: boolean }
  blockValues(expression: Expression, parts: readonly string[], part: PartBlocks, block: number): FieldValues
  /** Of a case of which a part is kept: that part of a region. Surfaces and lines are measured as the shapes they are, then. */
  domain?(part: string): Domain
  domainValues?(expression: Expression, parts: readonly string[], block: DomainBlock, mesh: DomainMesh): FieldValues
  partShape(name: string, isOuter: boolean): Shape
  values(expression: Expression, shape: Shape): ShapeValues
  caseNumber(name: string, range: [number, number]): { value: number; dimensions: Dimensions | null } | undefined
}

export interface Measured {
  /** Of a vector its magnitude. */
  value: number
  /** Of a vector or tensor: its components by their names. */
  components?: Record<string, number>
  /** `magnitude`: the smallest or largest one of a vector. */
  of?: 'magnitude'
  /** null: unknown */
  unit: string | null
  /** Values left out because they are not finite. */
  nonFinite: number
}

interface Value {
  /** One for each component. */
  values: number[]
  dimensions: Dimensions | null
  /** Name to show instead of the coherent unit: a plain field keeps the unit of its file. */
  unit?: string | null
  of?: 'magnitude'
  nonFinite: number
}

/**
 * @param text   the expression
 * @param parts  names of the parts reductions run over when they name none
 * @throws FormulaError pointing into the text; DataError for an unknown part
 */
export function measureExpression(text: string, data: Measurable, parts: readonly string[]): Measured {
  const { values, dimensions, unit, of, nonFinite } = new Reducer(data, parts).value(parseFormula(text))
  return { ...named(values), ...(of && { of }), unit: unit === undefined ? dimensions && unitName(dimensions) : unit, nonFinite }
}

/** Magnitude and components of the result; for a scalar only the value. @param own  names of components that are not x, y and z */
export function named(values: readonly number[], own?: readonly string[]): Pick<Measured, 'value' | 'components'> {
  if (values.length === 1) return { value: values[0]! }
  const names = own ?? componentNames[values.length] ?? values.map((_, c) => `${c + 1}`)
  return { value: magnitude(values, 0, values.length), components: Object.fromEntries(values.map((x, c) => [names[c]!, x])) }
}

/** In coherent units, to be calculated with. */
function coherent(value: Value): Value {
  const unit = value.unit == null ? null : parseUnit(value.unit)
  if (!unit) return value
  const { unit: _, ...rest } = value
  return { ...rest, values: value.values.map((x) => x * unit.factor + unit.offset) }
}

/** A reduction over whole parts in coherent units. @throws FormulaError, DataError for an unknown part */
export function reduceParts(text: string, data: Measurable, parts: readonly string[]): number[] {
  return coherent(new Reducer(data, parts).value(parseFormula(text))).values
}

interface FoundPart {
  part: PartBlocks
  isOuter: boolean
}

class Reducer {
  constructor(
    private readonly data: Measurable,
    private readonly parts: readonly string[],
  ) {}

  value(e: Expression): Value {
    switch (e.kind) {
      case 'number': {
        const unit = e.unit === null ? null : requireUnit(e.unit, e.range)
        const value = unit ? e.value * unit.factor + unit.offset : e.value
        return { values: [value], dimensions: unit?.dimensions ?? dimensionless, nonFinite: 0 }
      }
      case 'name': {
        const number = this.data.caseNumber(e.name, e.range)
        if (number) return { values: [number.value], dimensions: number.dimensions, nonFinite: 0 }
        break
      }
      case 'negate': {
        const of = this.value(e.of)
        return { ...of, values: of.values.map((x) => -x) }
      }
      case 'component': {
        const of = this.value(e.of)
        const index = componentNames[of.values.length]?.indexOf(e.component) ?? -1
        if (index < 0) throw new FormulaError('no-component', `“${expressionText(e.of)}” has no component “${e.component}”.`, e.range)
        return { ...of, values: [of.values[index]!] }
      }
      case 'binary':
        return this.binary(e.operator, coherent(this.value(e.left)), coherent(this.value(e.right)), e)
      case 'call':
        if (isReduction(e)) {
          checkReduction(e)
          return e.name === 'percentile' ? this.percentile(e) : this.reduce(e.name, e.arguments[0]!, e.options)
        }
        if (e.name === 'mag' && e.arguments.length === 1) {
          const of = this.value(e.arguments[0]!)
          return { ...of, values: [of.values.length === 1 ? Math.abs(of.values[0]!) : magnitude(of.values, 0, of.values.length)] }
        }
        break
      default:
    }
    const text = expressionText(e)
    throw new FormulaError(
      'not-reduced',
      `“${text}” is a field, not a number; wrap it in mean(…), integral(…), sum(…), min(…) or max(…).`,
      e.range,
    )
  }

  private binary(operator: string, a: Value, b: Value, e: Expression & { kind: 'binary' }): Value {
    const nonFinite = a.nonFinite + b.nonFinite
    const both = a.dimensions && b.dimensions
    const isVector = a.values.length > 1 && b.values.length > 1
    switch (operator) {
      case '*':
      case '/':
      case '^': {
        if (isVector || (operator !== '*' && b.values.length > 1) || (operator === '^' && a.values.length > 1)) {
          throw new FormulaError(
            'kind',
            `${expressionText(e.left)} and ${expressionText(e.right)} are vectors; take a component or mag(…).`,
            e.range,
          )
        }
        const run = (x: number, y: number): number => (operator === '*' ? x * y : operator === '/' ? x / y : x ** y)
        const values = a.values.length > 1 ? a.values.map((x) => run(x, b.values[0]!)) : b.values.map((y) => run(a.values[0]!, y))
        const dimensions =
          operator === '^'
            ? a.dimensions && power(a.dimensions, b.values[0]!)
            : both && (operator === '*' ? multiply : divide)(a.dimensions!, b.dimensions!)
        return { values, dimensions, nonFinite }
      }
      default: {
        if (both && !sameDimensions(a.dimensions!, b.dimensions!)) {
          throw new FormulaError(
            'units',
            `${unitName(b.dimensions!)} cannot be ${operator === '+' ? 'added to' : 'subtracted from'} ${unitName(a.dimensions!)}.`,
            e.range,
          )
        }
        if (a.values.length !== b.values.length) throw new FormulaError('kind', 'A vector and a number cannot be added.', e.range)
        const values = a.values.map((x, c) => (operator === '+' ? x + b.values[c]! : x - b.values[c]!))
        return { values, dimensions: both && a.dimensions, nonFinite }
      }
    }
  }

  private reduce(name: string, argument: Expression, options: Record<string, string>): Value {
    const { on } = options
    const names = on === undefined ? this.parts : [on]
    if (name === 'sum') return this.sum(argument, names)
    if (name === 'std' || name === 'rms') return this.spread(name, argument, options)
    const weight = weightOf(options)
    if (weight) return this.weighted(argument, weight, on)
    const { totals, unit, dimension, components } = this.totals(argument, names)
    const { nonFinite } = totals
    const parsed = unit === null ? null : parseUnit(unit)
    if (name !== 'integral') {
      const text = expressionText(argument)
      if (totals.measure === 0)
        throw new DataError('empty', `There is nothing to measure on ${names.join(', ')}: no cells with finite values of ${text}.`)
      const dimensions = parsed?.dimensions ?? null
      if (name === 'mean') return { values: totals.mean, dimensions, unit, nonFinite }
      return { values: [name === 'min' ? totals.min : totals.max], dimensions, unit, ...(components > 1 && { of: 'magnitude' }), nonFinite }
    }
    const { lengthUnit } = this.data
    const length = lengthUnit === null ? null : parseUnit(lengthUnit)
    if (!parsed || !length) return { values: totals.integral, dimensions: null, nonFinite }
    const factor = parsed.factor * length.factor ** dimension
    return {
      values: totals.integral.map((x) => x * factor),
      dimensions: multiply(parsed.dimensions, power(length.dimensions, dimension)),
      nonFinite,
    }
  }

  /** Mean weighted by something else than the size. */
  private weighted(argument: Expression, weight: Expression, on: string | undefined): Value {
    const by = this.weight(
      weight,
      (on === undefined ? this.parts : [on]).map((name) => this.part(name)),
    )
    const options: Record<string, string> = on === undefined ? {} : { on }
    const above = this.reduce('integral', productOf(argument, by), options)
    const below = this.reduce('integral', coherentOf(by), options)
    if (below.values[0] === 0)
      throw new DataError('no-weight', `The integral of ${expressionText(by)} is 0, so it cannot weight a mean; weight by something else.`)
    const dimensions = above.dimensions && below.dimensions && divide(above.dimensions, below.dimensions)
    return { values: above.values.map((x) => x / below.values[0]!), dimensions, nonFinite: above.nonFinite }
  }

  /** Through a surface a vector weighs by its flow. @throws DataError for one elsewhere */
  private weight(by: Expression, on: readonly FoundPart[]): Expression {
    const { components } = this.data.quantity(
      by,
      on.map(({ part }) => part.name),
    )
    if (components === 1) return by
    if (components === 3 && on.every(({ part, isOuter }) => isOuter || part.dimension === 2)) return callOf('dot', by, nameOf('normal'))
    const text = expressionText(by)
    throw new DataError('no-weight', `Only through a surface does “${text}” weigh by its flow; here take a component such as ${text}.x.`)
  }

  /** Standard deviation or root mean square. */
  private spread(name: 'std' | 'rms', argument: Expression, options: Record<string, string>): Value {
    const plain = coherentOf(argument)
    const mean = name === 'std' ? this.reduce('mean', plain, options) : undefined
    const centre = mean && { value: mean.values[0]!, unit: mean.dimensions && unitName(mean.dimensions) }
    const { values, dimensions, nonFinite } = this.reduce('mean', squareAbout(plain, centre), options)
    return { values: [Math.sqrt(values[0]!)], dimensions: dimensions && power(dimensions, 0.5), nonFinite }
  }

  private percentile(e: Expression & { kind: 'call' }): Value {
    const [argument] = e.arguments as [Expression]
    const found = (e.options['on'] === undefined ? this.parts : [e.options['on']]).map((name) => this.part(name))
    const all = found.map(({ part }) => part.name)
    const { unit } = this.data.quantity(argument, all)
    const each = (use: (value: number, size: number) => void): void => found.forEach((own) => this.samples(argument, all, own, use))
    const value = percentileOf(each, percentOf(e) / 100)
    return { values: [value], dimensions: unit === null ? null : (parseUnit(unit)?.dimensions ?? null), unit, nonFinite: 0 }
  }

  private samples(argument: Expression, all: readonly string[], { part, isOuter }: FoundPart, use: UsePlace): void {
    const { data } = this
    if (part.dimension === 3 && !isOuter) {
      const valuesOf = (mesh: DomainMesh, block: DomainBlock): FieldValues =>
        data.domainValues?.(argument, all, block, mesh) ?? data.blockValues(argument, all, part, block.block)
      domainSamples(data.domain?.(part.name) ?? wholeDomain([part]), valuesOf, () => data.check(), use)
      return
    }
    const shape = data.partShape(part.name, isOuter)
    shapeSamples(shape, data.values(argument, shape), use)
  }

  private sum(argument: Expression, names: readonly string[]): Value {
    const parts = names.map((name) => this.part(name).part)
    const all = parts.map((part) => part.name)
    const { place, unit } = this.data.quantity(argument, all)
    if (place === 'point') {
      throw new DataError(
        'point-sum',
        `A sum over points would count the mesh, not ${expressionText(argument)}; write integral(…) or mean(…).`,
      )
    }
    const sums = parts.map((part) =>
      sumCells(
        part,
        (k) => this.data.blockValues(argument, all, part, k),
        () => this.data.check(),
      ),
    )
    const values = sums[0]!.sums.map((_, c) => sums.reduce((sum, found) => sum + (found.sums[c] ?? 0), 0))
    const dimensions = unit === null ? null : (parseUnit(unit)?.dimensions ?? null)
    return { values, dimensions, unit, nonFinite: sums.reduce((n, found) => n + found.nonFinite, 0) }
  }

  private totals(
    argument: Expression,
    names: readonly string[],
  ): { totals: Totals; unit: string | null; dimension: number; components: number } {
    const found = names.map((name) => this.part(name))
    const parts = found.map(({ part }) => part)
    const all = parts.map((part) => part.name)
    const { isOuter } = found[0]!
    const dimension = parts[0]!.dimension - (isOuter ? 1 : 0)
    const { unit, components, onShape } = this.data.quantity(argument, all)
    if (this.data.domain && dimension === 3) {
      const domain = joinDomains(all.map((name) => this.data.domain!(name)))
      const valuesOf = (mesh: DomainMesh, block: DomainBlock): FieldValues => this.data.domainValues!(argument, all, block, mesh)
      return { totals: totalsOfDomain(domain, valuesOf, () => this.data.check()), unit, dimension, components }
    }
    if (!onShape && !this.data.domain) {
      const valuesOf = (part: PartBlocks, k: number): FieldValues => this.data.blockValues(argument, all, part, k)
      return { totals: totalsOfParts(parts, valuesOf, () => this.data.check(), isOuter), unit, dimension, components }
    }
    const shapes = found.map(({ part, isOuter: outer }) => this.data.partShape(part.name, outer))
    const shape = { kind: shapes[0]!.kind, pieces: shapes.flatMap(({ pieces }) => pieces) }
    return { totals: integrateShape(shape, this.data.values(argument, shape)), unit, dimension, components }
  }

  /** A part of that name, or `outer` and `REGION/outer` for the outer surface of a region. */
  private part(name: string): FoundPart {
    const outer = /^(?:(.*)\/)?outer$/.exec(name)
    const { regions } = this.data
    if (outer && !this.data.hasPart(name)) {
      const [alone] = regions.length === 1 ? regions : this.parts.length === 1 ? this.parts.filter((own) => regions.includes(own)) : []
      const region = outer[1] ?? alone
      if (region !== undefined) return { part: this.data.part(region), isOuter: true }
    }
    return { part: this.data.part(name), isOuter: false }
  }
}
