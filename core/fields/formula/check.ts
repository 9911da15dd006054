/**
 * Meaning of an expression: kind, unit and place of every node, with other formulas put in place of their names.
 * The result is a tree of scalar operations' owners that `compile.ts` turns into a loop.
 */
import { FormulaError } from '../../errors'
import { dimensionless, divide, multiply, parseUnit, power, requireUnit, sameDimensions, unitName } from '../../units/units'
import type { Dimensions } from '../../units/units'
import { isPlainZero } from './conditions'
import { axesFunctions, checkInAxes, isInAxes } from './axes'
import { checkElsewhere, elsewhereFunctions, isElsewhere } from './elsewhere'
import { functions, meshFunctions } from './functions'
import type { PointFunction, UnitRule } from './functions'
import { parseFormula } from './parse'
import { checkReduced, isReduction, reductions } from './reductions'
import { checkOfPlace, isOfPlace, ofPlace, placeFunctions } from './places'
import type { Comparison, Expression, Range } from './parse'
import { componentNames, kindName, numbersOf, requireKind } from './typed'
import type { GradientName, Operation, Place, Scope, Typed } from './typed'

/** Parses and checks a formula. @throws FormulaError pointing into `text` */
export function checkFormula(text: string, scope: Scope): Typed {
  return new Checker(scope, []).check(parseFormula(text))
}

/** Checks an expression already parsed. */
export function checkExpression(expression: Expression, scope: Scope): Typed {
  return new Checker(scope, []).check(expression)
}

const KELVIN = parseUnit('K')!.dimensions

class Checker {
  constructor(
    private readonly scope: Scope,
    /** Formulas being put in place, to notice a circle. */
    private readonly open: string[],
  ) {}

  check(e: Expression): Typed {
    switch (e.kind) {
      case 'number':
        return this.number(e.value, e.unit, e.range)
      case 'name':
        return this.name(e.name, e.range)
      case 'component':
        return this.component(this.value(e.of), e.component, e.range)
      case 'negate': {
        const of = this.value(e.of)
        return { ...of, operation: { kind: 'negate' }, of: [of], range: e.range }
      }
      case 'binary':
        return this.binary(e.operator, this.value(e.left), this.value(e.right), e.range)
      case 'compare':
        return this.comparison(e.operator, ...this.sides(e), e.range)
      case 'logic':
        return this.logic(e.operator, [this.condition(e.left), this.condition(e.right)], e.range)
      case 'not':
        return this.logic('not', [this.condition(e.of)], e.range)
      case 'call':
        if (isElsewhere(e)) return checkElsewhere(e, this.scope, (of, scope) => new Checker(scope, this.open).value(of))
        if (isInAxes(e))
          return checkInAxes(e, this.scope, {
            value: (of) => this.value(of),
            position: (range) => this.name('pos', range),
          })
        if (isOfPlace(e)) return checkOfPlace(e, this.scope)
        if (isReduction(e)) return checkReduced(e, this.scope, (of, scope) => new Checker(scope, this.open).value(of))
        return this.call(
          e.name,
          e.arguments.map((a, i) => (e.name === 'if' && i === 0 ? this.condition(a) : this.value(a))),
          e.options,
          e.range,
        )
    }
  }

  /** What is calculated with. */
  private value(e: Expression): Typed {
    const found = this.check(e)
    if (found.isCondition)
      throw new FormulaError('kind', 'This is true or false and cannot be calculated with; write if(condition, 1, 0).', found.range)
    return found
  }

  private condition(e: Expression): Typed {
    const found = this.check(e)
    if (!found.isCondition) throw new FormulaError('kind', 'A condition must stand here, such as p > 0; this is a value.', found.range)
    return found
  }

  /** The sides of a comparison. A zero without a unit has that of the other side, unless that is a temperature, whose zeros differ. */
  private sides({ left, right }: Expression & { kind: 'compare' }): [Typed, Typed] {
    const [a, b] = [this.value(left), this.value(right)]
    const as = (zero: Typed, other: Typed): Typed =>
      other.dimensions && !sameDimensions(other.dimensions, KELVIN) ? { ...zero, dimensions: other.dimensions } : zero
    return [isPlainZero(left) ? as(a, b) : a, isPlainZero(right) ? as(b, a) : b]
  }

  private comparison(name: Comparison, left: Typed, right: Typed, range: Range): Typed {
    for (const { components, range: at } of [left, right])
      if (components !== 1)
        throw new FormulaError('kind', `Only scalars are compared, and this is ${kindName(components)}; write mag(…) or a component.`, at)
    this.alike('compared with', left, right)
    return { ...this.joined({ kind: 'compare', name }, [left, right], 1, dimensionless, range), isCondition: true }
  }

  private logic(kind: 'and' | 'or' | 'not', of: Typed[], range: Range): Typed {
    return { ...this.joined({ kind }, of, 1, dimensionless, range), isCondition: true }
  }

  /** `if(c, a, b)`: a where the condition holds, b where it does not. */
  private choice([condition, a, b]: [Typed, Typed, Typed], range: Range): Typed {
    const { components, dimensions } = this.sum('+', a, b, range)
    return this.joined({ kind: 'if' }, [condition, a, b], components, dimensions, range)
  }

  private number(value: number, unitText: string | null, range: Range): Typed {
    const unit = unitText === null ? null : requireUnit(unitText, range)
    return {
      operation: { kind: 'number', value: unit ? value * unit.factor + unit.offset : value },
      of: [],
      components: 1,
      dimensions: unit ? unit.dimensions : dimensionless,
      place: 'any',
      onShape: false,
      range,
    }
  }

  private name(name: string, range: Range): Typed {
    const leaf = (operation: Operation, components: number, dimensions: Dimensions | null, place: Place): Typed => ({
      operation,
      of: [],
      components,
      dimensions,
      place,
      onShape: operation.kind === 'normal',
      range,
    })
    const text = this.scope.formula(name)
    if (text !== undefined) {
      if (this.open.includes(name)) {
        throw new FormulaError('circle', `“${name}” is defined by itself (${[...this.open, name].join(' → ')}); change one of them.`, range)
      }
      try {
        return { ...new Checker(this.scope, [...this.open, name]).check(parseFormula(text)), range }
      } catch (error) {
        // the range points into the other formula's text: point at the name that brought it in instead
        if (error instanceof FormulaError)
          throw new FormulaError(error.code, error.code === 'circle' ? error.message : `In “${name}”: ${error.message}`, range)
        throw error
      }
    }
    const field = this.scope.field(name)
    if (field) return leaf({ kind: 'field', field }, field.components, field.dimensions, field.place)
    if (name === 'pos')
      return leaf({ kind: 'pos', factor: this.scope.length?.factor ?? 1 }, 3, this.scope.length?.dimensions ?? null, 'point')
    const place = ofPlace(name, this.scope, range)
    if (place) return place
    if (name === 'normal') return leaf({ kind: 'normal' }, 3, dimensionless, 'any')
    const constant = this.scope.constant?.(name, range)
    if (constant) {
      const { values, dimensions } = constant
      const numbers = values.map((value) => leaf({ kind: 'number', value }, 1, dimensions, 'any'))
      return numbersOf(leaf({ kind: 'apply', name: 'vec' }, 3, dimensions, 'any'), numbers)
    }
    const known = this.scope.names()
    throw new FormulaError(
      'unknown-name',
      `There is no field or formula “${name}”; known are ${known.length ? known.join(', ') : 'none'}.`,
      range,
    )
  }

  private component(of: Typed, name: string, range: Range): Typed {
    const names = of.names ?? componentNames[of.components]
    let index = names?.indexOf(name) ?? -1
    if (index < 0 && of.components === 6) index = names!.indexOf([...name].reverse().join(''))
    if (index < 0) {
      throw new FormulaError(
        'no-component',
        `${kindName(of.components)} has no component “${name}”${names ? `; it has ${names.join(', ')}` : ''}.`,
        range,
      )
    }
    const { names: _, ...rest } = of
    return { ...rest, operation: { kind: 'pick', index }, of: [of], components: 1, range }
  }

  private binary(operator: '+' | '-' | '*' | '/' | '^', left: Typed, right: Typed, range: Range): Typed {
    if (operator === '+' || operator === '-') return this.sum(operator, left, right, range)
    if (operator === '^') return this.power(left, right, range)
    if (operator === '/' && right.components !== 1) {
      throw new FormulaError(
        'kind',
        `Dividing by ${kindName(right.components)} has no meaning; divide by mag(…) or a component.`,
        right.range,
      )
    }
    if (left.components !== 1 && right.components !== 1) {
      throw new FormulaError(
        'kind',
        `The product of ${kindName(left.components)} and ${kindName(right.components)} is ambiguous; write dot(a, b) or cross(a, b).`,
        range,
      )
    }
    const dimensions =
      left.dimensions && right.dimensions ? (operator === '*' ? multiply : divide)(left.dimensions, right.dimensions) : null
    return this.joined({ kind: 'zip', name: operator }, [left, right], Math.max(left.components, right.components), dimensions, range)
  }

  private sum(name: '+' | '-', left: Typed, right: Typed, range: Range): Typed {
    const dimensions = this.alike(name === '+' ? 'added to' : 'subtracted from', left, right)
    return this.joined({ kind: 'zip', name }, [left, right], left.components, dimensions, range)
  }

  /** Two of one kind and unit. @returns their unit */
  private alike(verb: string, left: Typed, right: Typed): Dimensions | null {
    if (left.components !== right.components) {
      throw new FormulaError('kind', `${kindName(right.components)} cannot be ${verb} ${kindName(left.components)}.`, right.range)
    }
    if (left.dimensions && right.dimensions && !sameDimensions(left.dimensions, right.dimensions)) {
      const named = (d: Dimensions): string => (sameDimensions(d, dimensionless) ? 'a plain number' : unitName(d))
      const hint =
        right.operation.kind === 'number' && sameDimensions(right.dimensions, dimensionless)
          ? `; give it a unit: 1 '${unitName(left.dimensions)}'`
          : ''
      throw new FormulaError('units', `${named(right.dimensions)} cannot be ${verb} ${named(left.dimensions)}${hint}.`, right.range)
    }
    return left.dimensions && right.dimensions
  }

  private power(left: Typed, right: Typed, range: Range): Typed {
    if (left.components !== 1 || right.components !== 1) {
      throw new FormulaError('kind', `Only scalars have powers; write mag(…)^2 or dot(a, a).`, range)
    }
    if (right.dimensions && !sameDimensions(right.dimensions, dimensionless)) {
      throw new FormulaError('units', `An exponent has no unit, but this is in ${unitName(right.dimensions)}.`, right.range)
    }
    let dimensions = left.dimensions
    const exponent = constantOf(right)
    if (dimensions && !sameDimensions(dimensions, dimensionless)) {
      if (exponent === null)
        throw new FormulaError('units', `A quantity in ${unitName(dimensions)} can only be raised to a fixed number.`, right.range)
      dimensions = power(dimensions, exponent)
    }
    return this.joined({ kind: 'zip', name: '^' }, [left, right], 1, dimensions, range)
  }

  private call(name: string, args: Typed[], options: Record<string, string>, range: Range): Typed {
    const rule = Object.hasOwn(functions, name) ? functions[name]! : undefined
    const fewest = rule ? rule.takes.length : Object.hasOwn(meshFunctions, name) ? meshFunctions[name]!.takes : undefined
    if (fewest === undefined) {
      throw new FormulaError('unknown-function', `There is no function “${name}”${nearest(name)}.`, [range[0], range[0] + name.length])
    }
    const most = rule?.isOpen ? Infinity : fewest
    const option = Object.keys(options)[0]
    if (option) throw new FormulaError('option', `${name} takes no option “${option}”.`, range)
    if (args.length < fewest || args.length > most) {
      const number = `${fewest}${most > fewest ? ' or more' : ''} argument${most > 1 ? 's' : ''}`
      throw new FormulaError('arguments', `${name} takes ${number}, not ${args.length}.`, range)
    }
    if (rule) return this.pointwise(name, rule, rule.ofGradient ? [this.gradientOf(name, args[0]!)] : args, range)
    const [of] = args as [Typed]
    switch (name) {
      case 'if':
        return this.choice(args as [Typed, Typed, Typed], range)
      case 'smooth':
        return this.smooth(of, range)
      case 'cells':
        return this.cells(of, range)
      default:
        requireKind(name, of, name === 'grad' ? [1, 3] : [3])
        return this.gradient(name as GradientName, of, range)
    }
  }

  /** A function that is worked out position by position. */
  private pointwise(name: string, rule: PointFunction, args: Typed[], range: Range): Typed {
    args.forEach((argument, i) => requireKind(name, argument, rule.takes[Math.min(i, rule.takes.length - 1)]!))
    if (rule.isOfPair && args[0]!.components !== args[1]!.components)
      throw new FormulaError('kind', `${name} takes two of the same kind: as many components in both.`, args[1]!.range)
    const dimensions = this.unitOf(rule.unit, name, args)
    const components = rule.gives(args.map((argument) => argument.components))
    return this.joined({ kind: 'apply', name }, args, components, dimensions, range)
  }

  private unitOf(rule: UnitRule, name: string, args: Typed[]): Dimensions | null {
    const [first] = args as [Typed]
    const of = first.dimensions
    switch (rule) {
      case 'plain':
        if (of && !sameDimensions(of, dimensionless))
          throw new FormulaError('units', `${name} takes a number without a unit, but this is in ${unitName(of)}.`, first.range)
        return of && dimensionless
      case 'same':
        return args.slice(1).reduce((found: Dimensions | null, other) => this.alike('joined with', first, other) && found, of)
      case 'turned': {
        const angle = args[args.length - 1]!
        if (angle.dimensions && !sameDimensions(angle.dimensions, dimensionless))
          throw new FormulaError('units', `${name} takes an angle, but this is in ${unitName(angle.dimensions)}.`, angle.range)
        return this.unitOf('same', name, args.slice(0, -1))
      }
      case 'ratio':
        for (const other of args.slice(1)) this.alike('compared with', first, other)
        return dimensionless
      case 'product':
        return args.reduce((product: Dimensions | null, { dimensions: own }) => product && own && multiply(product, own), dimensionless)
      default:
        return of && power(of, { root: 0.5, square: 2, cube: 3 }[rule])
    }
  }

  private gradientOf(name: string, of: Typed): Typed {
    requireKind(name, of, [3])
    return this.gradient('grad', of, of.range)
  }

  /** Gradients live on cells, wherever their operand lives. */
  private gradient(name: GradientName, of: Typed, range: Range): Typed {
    if (of.onShape)
      throw new FormulaError('gradient-place', `${name} is taken in the cells of a region, where there is no normal.`, of.range)
    const { length } = this.scope
    const dimensions = of.dimensions && length && divide(of.dimensions, length.dimensions)
    const components = name === 'grad' ? 3 * of.components : name === 'div' ? 1 : 3
    return {
      operation: { kind: name, lengthFactor: length?.factor ?? 1 },
      of: [of],
      components,
      dimensions,
      place: 'cell',
      onShape: false,
      range,
    }
  }

  /** Values on cells as values on points; those on points go by the cells, which evens them out. */
  private smooth(of: Typed, range: Range): Typed {
    const own = this.cells(of, range, 'smooth')
    return own.place === 'cell' ? { ...own, operation: { kind: 'smooth' }, of: [own], place: 'point', range } : own
  }

  /** Values on points as values on cells; those on cells stay as they are. */
  private cells(of: Typed, range: Range, name = 'cells'): Typed {
    if (of.onShape)
      throw new FormulaError('gradient-place', `${name} is taken in the cells of a region, where there is no normal.`, of.range)
    return of.place === 'point' ? { ...of, operation: { kind: 'cells' }, of: [of], place: 'cell', range } : of
  }

  private joined(operation: Operation, of: Typed[], components: number, dimensions: Dimensions | null, range: Range): Typed {
    let place: Place = 'any'
    for (const part of of) {
      if (place !== 'any' && part.place !== 'any' && part.place !== place) {
        throw new FormulaError('places', `This mixes values on points with values on cells, which are never mixed silently.`, range)
      }
      if (part.place !== 'any') place = part.place
    }
    return { operation, of, components, dimensions, place, onShape: of.some((part) => part.onShape), range }
  }
}

/** Names of functions that begin alike, else all of them. */
function nearest(name: string): string {
  const all = [
    ...Object.keys(functions),
    ...Object.keys(meshFunctions),
    ...Object.keys(reductions),
    ...Object.keys(elsewhereFunctions),
    ...Object.keys(axesFunctions),
    ...Object.keys(placeFunctions),
  ]
  const alike = all.filter((own) => own.slice(0, 2) === name.slice(0, 2).toLowerCase())
  return alike.length ? `; did you mean ${alike.join(' or ')}?` : `; known are ${all.join(', ')}`
}

/** Value of a constant expression; null when it depends on anything. */
function constantOf(typed: Typed): number | null {
  const { operation, of } = typed
  if (operation.kind === 'number') return operation.value
  const values = of.map(constantOf)
  if (values.length === 0 || values.includes(null)) return null
  const [a, b] = values as [number, number]
  if (operation.kind === 'negate') return -a
  if (operation.kind === 'zip' && operation.name === '/') return a / b
  return null
}
