/** Expressions made by the program instead of typed, and expressions as text. */
import type { Expression, Range } from './parse'

/** What was made has no place in a text. */
const NOWHERE: Range = [0, 0]

export function nameOf(name: string): Expression {
  return { kind: 'name', name, range: [0, name.length] }
}

export function callOf(name: string, ...args: Expression[]): Expression {
  return { kind: 'call', name, arguments: args, options: {}, range: NOWHERE }
}

export function productOf(left: Expression, right: Expression): Expression {
  return { kind: 'binary', operator: '*', left, right, range: NOWHERE }
}

/** In coherent units, also where it is a field that keeps the unit of its file: as it must be to be calculated with. */
export function coherentOf(of: Expression): Expression {
  return productOf(of, numberOf(1, null))
}

/** Square of what a value in coherent units is off a number; of itself when there is none. Its mean is a variance. */
export function squareAbout(of: Expression, centre?: { value: number; unit: string | null }): Expression {
  const right = centre && numberOf(centre.value, centre.unit)
  const off = right ? differenceOf(of, right) : of
  return productOf(off, off)
}

export function differenceOf(left: Expression, right: Expression): Expression {
  return { kind: 'binary', operator: '-', left, right, range: NOWHERE }
}

/** @param unit  null for none */
export function numberOf(value: number, unit: string | null): Expression {
  return { kind: 'number', value, unit, range: NOWHERE }
}

const PLAIN_NAME = /^[\p{L}_][\p{L}\p{N}_]*$/u

/** As it would be typed. */
export function expressionText(e: Expression): string {
  switch (e.kind) {
    case 'number':
      return e.unit === null ? `${e.value}` : `${e.value} '${e.unit}'`
    case 'name':
      return PLAIN_NAME.test(e.name) ? e.name : `\`${e.name}\``
    case 'component':
      return `${inParentheses(e.of)}.${e.component}`
    case 'negate':
      return `-${inParentheses(e.of)}`
    case 'not':
      return `not ${inParentheses(e.of)}`
    case 'compare':
    case 'logic':
    case 'binary':
      return `${inParentheses(e.left)} ${e.operator} ${inParentheses(e.right)}`
    case 'call': {
      const { '': first, ...others } = e.options
      const options = Object.entries(others).map(([name, value]) => `${name} = "${value}"`)
      return `${e.name}(${[...(first === undefined ? [] : [`"${first}"`]), ...e.arguments.map(expressionText), ...options].join(', ')})`
    }
  }
}

/** Text for people: a name without quoting, otherwise the formula. */
export function labelOf(e: Expression): string {
  return e.kind === 'name' ? e.name : expressionText(e)
}

function inParentheses(e: Expression): string {
  return ['binary', 'negate', 'compare', 'logic', 'not'].includes(e.kind) ? `(${expressionText(e)})` : expressionText(e)
}
