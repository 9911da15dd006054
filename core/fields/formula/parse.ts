/**
 * The grammar of formulas, by recursive descent.
 *
 *     condition  = conjunction { "or" conjunction }
 *     conjunction = denial { "and" denial }
 *     denial     = "not" denial | comparison
 *     comparison = sum [ ("<" | "<=" | ">" | ">=" | "==" | "!=") sum ]
 *     sum        = product { ("+" | "-") product }
 *     product    = negation { ("*" | "/") negation }
 *     negation   = "-" negation | power
 *     power      = postfix [ "^" negation ]                 right-associative, binds tighter than a sign before it
 *     postfix    = primary { "." component }
 *     primary    = number [ unit ] | name [ "(" arguments ")" ] | "`" any name "`" | "(" condition ")"
 *     unit       = quoted text, or a unit that is known without quotes, as long as it can be: 0.5 m/s * rho
 *     arguments  = condition { "," condition } { "," word "=" ( text | condition ) }
 *     component  = x | y | z | xx | xy | …
 *
 * Every node keeps the range of characters it came from, so that errors point at the very place.
 */
import { FormulaError } from '../../errors'
import { parseUnit } from '../../units/units'
import { expressionText } from './expressions'

export type Range = [number, number]

export type Expression =
  | { kind: 'number'; value: number; unit: string | null; range: Range }
  | { kind: 'name'; name: string; range: Range }
  | { kind: 'component'; of: Expression; component: string; range: Range }
  | { kind: 'negate'; of: Expression; range: Range }
  | { kind: 'binary'; operator: '+' | '-' | '*' | '/' | '^'; left: Expression; right: Expression; range: Range }
  | { kind: 'compare'; operator: Comparison; left: Expression; right: Expression; range: Range }
  | { kind: 'logic'; operator: 'and' | 'or'; left: Expression; right: Expression; range: Range }
  | { kind: 'not'; of: Expression; range: Range }
  | { kind: 'call'; name: string; arguments: Expression[]; options: Record<string, string>; range: Range }

export const comparisons = ['<=', '>=', '==', '!=', '<', '>'] as const
export type Comparison = (typeof comparisons)[number]

interface Token {
  kind: 'number' | 'name' | 'text' | 'sign' | 'end'
  text: string
  range: Range
  /** A name written in backticks may hold any sign and is never a function. */
  quoted?: boolean
}

const NUMBER = /(\d+\.?\d*(?:[eE][+-]?\d+)?|\.\d+(?:[eE][+-]?\d+)?)/
const OTHERS = /([\p{L}_][\p{L}\p{N}_]*)|`([^`]+)`|'([^']*)'|"([^"]*)"|(<=|>=|==|!=|[-+*/^().,=<>])/u
/** What may be a unit behind a number; a sign is of an exponent only. */
const BARE_UNIT = /\s*([\p{L}°%](?:[\p{L}\p{N}°%·*/⁻⁰¹²³⁴-⁹]|\^-?\d| (?=\p{L}))*)/uy
const TOKEN = new RegExp(`\\s*(?:${NUMBER.source}|${OTHERS.source})`, 'uy')

/** Depth of nesting; keeps hostile input from exhausting the stack. */
const MAX_DEPTH = 200
const MAX_LENGTH = 10_000

/** @throws FormulaError with the range of the offending characters */
export function parseFormula(text: string): Expression {
  if (text.length > MAX_LENGTH) {
    throw new FormulaError('too-long', `The formula has more than ${MAX_LENGTH} characters; split it into several.`, [0, text.length])
  }
  return new Parser(tokenize(text)).whole()
}

function tokenize(text: string): Token[] {
  const tokens: Token[] = []
  let at = 0
  while (at < text.length) {
    TOKEN.lastIndex = at
    const match = TOKEN.exec(text)
    if (!match) {
      const rest = text.slice(at)
      if (rest.trim() === '') break
      const where = at + rest.search(/\S/)
      const sign = text[where]!
      throw new FormulaError('bad-character', `“${sign}” cannot stand here${/['"`]/.test(sign) ? '; a closing mark is missing.' : '.'}`, [
        where,
        where + 1,
      ])
    }
    const start = at + match[0].search(/\S/)
    at = TOKEN.lastIndex
    const range: Range = [start, at]
    if (match[1] !== undefined) {
      tokens.push({ kind: 'number', text: match[1], range })
      const unit = bareUnit(text, at)
      if (!unit) continue
      tokens.push(unit)
      at = unit.range[1]
    } else if (match[2] !== undefined) tokens.push({ kind: 'name', text: match[2], range })
    else if (match[3] !== undefined) tokens.push({ kind: 'name', text: match[3], range, quoted: true })
    else if (match[6] !== undefined) tokens.push({ kind: 'sign', text: match[6], range })
    else tokens.push({ kind: 'text', text: (match[4] ?? match[5])!, range })
  }
  tokens.push({ kind: 'end', text: '', range: [text.length, text.length] })
  return tokens
}

/** The longest unit that stands behind a number without quotes: in `2 m/s*T`, metres per second. */
function bareUnit(text: string, from: number): Token | undefined {
  BARE_UNIT.lastIndex = from
  const [, whole] = BARE_UNIT.exec(text) ?? []
  if (whole === undefined) return undefined
  const start = BARE_UNIT.lastIndex - whole.length
  const ends = [...whole.matchAll(/[*/· ]/g)].map(({ index }) => index)
  for (const end of [whole.length, ...ends.reverse()]) {
    const unit = whole.slice(0, end)
    if (parseUnit(unit)) return { kind: 'text', text: unit, range: [start, start + end] }
  }
  return undefined
}

class Parser {
  private at = 0
  private depth = 0

  constructor(private readonly tokens: Token[]) {}

  whole(): Expression {
    if (this.peek.kind === 'end') throw new FormulaError('empty', 'The formula is empty; write for example mag(U).', [0, 0])
    const expression = this.condition()
    if (!this.isAt('end')) throw this.unexpected('an operator is missing before it')
    return expression
  }

  private get peek(): Token {
    return this.tokens[this.at]!
  }

  private isAt(kind: Token['kind']): boolean {
    return this.peek.kind === kind
  }

  private take(sign: string): boolean {
    if (this.peek.kind !== 'sign' || this.peek.text !== sign) return false
    this.at++
    return true
  }

  private unexpected(hint: string): FormulaError {
    const { kind, text, range } = this.peek
    const what = kind === 'end' ? 'The formula ends too early' : `“${text}” is not expected here`
    return new FormulaError('syntax', `${what}; ${hint}.`, range)
  }

  private nest<T>(parse: () => T): T {
    if (++this.depth > MAX_DEPTH)
      throw new FormulaError('too-deep', 'The formula is nested too deeply; split it into several.', this.peek.range)
    const result = parse()
    this.depth--
    return result
  }

  /** A word that joins conditions; in backticks it is a name. */
  private takeWord(word: string): boolean {
    const { kind, text, quoted } = this.peek
    if (kind !== 'name' || quoted || text !== word) return false
    this.at++
    return true
  }

  private condition(): Expression {
    return this.logic('or', () => this.logic('and', () => this.denial()))
  }

  private logic(operator: 'and' | 'or', operand: () => Expression): Expression {
    let left = operand()
    while (this.takeWord(operator)) {
      const right = operand()
      left = { kind: 'logic', operator, left, right, range: [left.range[0], right.range[1]] }
    }
    return left
  }

  private denial(): Expression {
    return this.nest(() => {
      const start = this.peek.range[0]
      if (!this.takeWord('not')) return this.comparison()
      const of = this.denial()
      return { kind: 'not', of, range: [start, of.range[1]] }
    })
  }

  private comparison(): Expression {
    const left = this.sum()
    const operator = comparisons.find((sign) => this.take(sign))
    if (!operator) return left
    const right = this.sum()
    if (comparisons.some((sign) => this.peek.kind === 'sign' && this.peek.text === sign))
      throw this.unexpected('join two comparisons by “and”')
    return { kind: 'compare', operator, left, right, range: [left.range[0], right.range[1]] }
  }

  private sum(): Expression {
    return this.chain(['+', '-'], () => this.chain(['*', '/'], () => this.negation()))
  }

  private chain(operators: ('+' | '-' | '*' | '/')[], operand: () => Expression): Expression {
    let left = operand()
    for (;;) {
      const operator = operators.find((sign) => this.take(sign))
      if (!operator) return left
      const right = operand()
      left = { kind: 'binary', operator, left, right, range: [left.range[0], right.range[1]] }
    }
  }

  private negation(): Expression {
    return this.nest(() => {
      const start = this.peek.range[0]
      if (!this.take('-')) return this.power()
      const of = this.negation()
      return { kind: 'negate', of, range: [start, of.range[1]] }
    })
  }

  private power(): Expression {
    const left = this.postfix()
    if (!this.take('^')) return left
    const right = this.negation()
    return { kind: 'binary', operator: '^', left, right, range: [left.range[0], right.range[1]] }
  }

  private postfix(): Expression {
    let of = this.primary()
    while (this.take('.')) {
      const { kind, text, range } = this.peek
      if (kind !== 'name') throw this.unexpected('a component such as x, y or z must follow the dot')
      this.at++
      of = { kind: 'component', of, component: text, range: [of.range[0], range[1]] }
    }
    return of
  }

  private primary(): Expression {
    const token = this.peek
    if (token.kind === 'number') {
      this.at++
      const unit = this.peek.kind === 'text' ? this.tokens[this.at++]! : null
      return { kind: 'number', value: Number(token.text), unit: unit?.text ?? null, range: [token.range[0], (unit ?? token).range[1]] }
    }
    if (token.kind === 'name') {
      this.at++
      if (!token.quoted && this.take('(')) return this.call(token)
      return { kind: 'name', name: token.text, range: token.range }
    }
    if (this.take('(')) {
      const inner = this.nest(() => this.condition())
      const end = this.peek.range[1]
      if (!this.take(')')) throw this.unexpected('a closing parenthesis is missing')
      return { ...inner, range: [token.range[0], end] }
    }
    throw this.unexpected('a number, a field or a parenthesis must stand here')
  }

  private call(token: Token): Expression {
    const args: Expression[] = []
    const options: Record<string, string> = {}
    if (!this.take(')')) {
      do this.argument(args, options)
      while (this.take(','))
      if (!this.take(')')) throw this.unexpected('a comma or a closing parenthesis is missing')
    }
    return { kind: 'call', name: token.text, arguments: args, options, range: [token.range[0], this.tokens[this.at - 1]!.range[1]] }
  }

  private argument(args: Expression[], options: Record<string, string>): void {
    const next = this.tokens[this.at + 1]
    if (this.peek.kind === 'name' && next?.kind === 'sign' && next.text === '=') {
      const option = this.peek.text
      this.at += 2
      // what is written without marks is kept as it would be typed
      options[option] = this.isAt('text') ? this.tokens[this.at++]!.text : expressionText(this.nest(() => this.condition()))
      return
    }
    if (Object.keys(options).some((name) => name !== '')) throw this.unexpected('named options come last')
    // a name in quotes, which only comes first: of a case, of axes, of a part
    if (this.isAt('text') && !args.length && options[''] === undefined) {
      options[''] = this.tokens[this.at++]!.text
      return
    }
    args.push(this.nest(() => this.condition()))
  }
}

/** Names of fields and formulas that an expression uses. */
export function namesIn(expression: Expression, found = new Set<string>()): Set<string> {
  switch (expression.kind) {
    case 'name':
      found.add(expression.name)
      break
    case 'component':
    case 'negate':
    case 'not':
      namesIn(expression.of, found)
      break
    case 'compare':
    case 'logic':
    case 'binary':
      namesIn(expression.left, found)
      namesIn(expression.right, found)
      break
    case 'call':
      for (const argument of expression.arguments) namesIn(argument, found)
      // what a mean is weighted by is kept as a text
      if (expression.options['by'] !== undefined) namesIn(parseFormula(expression.options['by']), found)
  }
  return found
}
