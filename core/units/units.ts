/**
 * Units by dimension arithmetic over the seven base units of the SI (SI Brochure, 9th edition, 2019).
 *
 * A unit is its exponents, a factor to coherent SI and, for temperature levels, an offset. An unknown unit is `null`
 * and stays unknown in every product.
 */
import { FormulaError } from '../errors'

/** Exponents of m, kg, s, K, A, mol, cd. */
export type Dimensions = readonly [number, number, number, number, number, number, number]

export interface Unit {
  dimensions: Dimensions
  /** Value in SI = factor × value + offset. */
  factor: number
  offset: number
}

export const dimensionless: Dimensions = [0, 0, 0, 0, 0, 0, 0]

function unit(dimensions: Partial<Record<'m' | 'kg' | 's' | 'K' | 'A' | 'mol' | 'cd', number>>, factor = 1, offset = 0): Unit {
  const d = dimensions
  return { dimensions: [d.m ?? 0, d.kg ?? 0, d.s ?? 0, d.K ?? 0, d.A ?? 0, d.mol ?? 0, d.cd ?? 0], factor, offset }
}

/** Units that take SI prefixes. */
const prefixable: Record<string, Unit> = {
  m: unit({ m: 1 }),
  g: unit({ kg: 1 }, 1e-3),
  s: unit({ s: 1 }),
  K: unit({ K: 1 }),
  A: unit({ A: 1 }),
  mol: unit({ mol: 1 }),
  cd: unit({ cd: 1 }),
  Hz: unit({ s: -1 }),
  N: unit({ m: 1, kg: 1, s: -2 }),
  Pa: unit({ m: -1, kg: 1, s: -2 }),
  J: unit({ m: 2, kg: 1, s: -2 }),
  W: unit({ m: 2, kg: 1, s: -3 }),
  V: unit({ m: 2, kg: 1, s: -3, A: -1 }),
  L: unit({ m: 3 }, 1e-3),
  l: unit({ m: 3 }, 1e-3),
  bar: unit({ m: -1, kg: 1, s: -2 }, 1e5),
  rad: unit({}),
}

const plain: Record<string, Unit> = {
  '1': unit({}),
  '%': unit({}, 0.01),
  '°': unit({}, Math.PI / 180),
  deg: unit({}, Math.PI / 180),
  min: unit({ s: 1 }, 60),
  h: unit({ s: 1 }, 3600),
  d: unit({ s: 1 }, 86400),
  t: unit({ kg: 1 }, 1000),
  '°C': unit({ K: 1 }, 1, 273.15),
  degC: unit({ K: 1 }, 1, 273.15),
  in: unit({ m: 1 }, 0.0254),
  ft: unit({ m: 1 }, 0.3048),
  lb: unit({ kg: 1 }, 0.45359237),
  psi: unit({ m: -1, kg: 1, s: -2 }, 6894.757293168361),
  rpm: unit({ s: -1 }, (2 * Math.PI) / 60),
}

const prefixes: Record<string, number> = {
  T: 1e12,
  G: 1e9,
  M: 1e6,
  k: 1e3,
  h: 1e2,
  d: 1e-1,
  c: 1e-2,
  m: 1e-3,
  µ: 1e-6,
  μ: 1e-6,
  u: 1e-6,
  n: 1e-9,
  p: 1e-12,
}

const superscripts: Record<string, string> = {
  '⁰': '0',
  '¹': '1',
  '²': '2',
  '³': '3',
  '⁴': '4',
  '⁵': '5',
  '⁶': '6',
  '⁷': '7',
  '⁸': '8',
  '⁹': '9',
  '⁻': '-',
}

/** Symbols by exponents, in the order in which they are preferred. */
const derived: readonly (readonly [string, Dimensions])[] = [
  ['Pa', prefixable['Pa']!.dimensions],
  ['N', prefixable['N']!.dimensions],
  ['J', prefixable['J']!.dimensions],
  ['W', prefixable['W']!.dimensions],
  ['V', prefixable['V']!.dimensions],
  ['Pa·s', [-1, 1, -1, 0, 0, 0, 0]],
  ['W/m²', [0, 1, -3, 0, 0, 0, 0]],
  ['W/m³', [-1, 1, -3, 0, 0, 0, 0]],
  ['Pa/m', [-2, 1, -2, 0, 0, 0, 0]],
]

/**
 * Reads a unit such as `m/s`, `kg/m^3`, `m²/s²`, `kPa`, `°C`. After one `/` every factor up to the next `·` or `*`
 * divides once: `J/kg/K` and `J/(kg K)` are the same.
 *
 * @returns null when the text is not a unit
 */
export function parseUnit(text: string): Unit | null {
  const cleaned = text
    .trim()
    .replace(/[⁰¹²³⁴⁵⁶⁷⁸⁹⁻]+/g, (run) => '^' + [...run].map((ch) => superscripts[ch]).join(''))
    .replace(/\*\*/g, '^')
  if (cleaned === '' || cleaned === '-') return cleaned === '-' ? unit({}) : null
  const tokens = cleaned.match(/[()/·*]|\^?-?\d+(?:\.\d+)?|[^\s()/·*^\d-]+/g)
  if (!tokens || tokens.join('').length !== cleaned.replace(/\s/g, '').length) return null
  const reader = { tokens, at: 0 }
  const result = product(reader)
  const isOpen = /^[·*/]$/.test(tokens[tokens.length - 1]!)
  return reader.at === tokens.length && !isOpen ? result : null
}

function product(reader: { tokens: string[]; at: number }): Unit | null {
  let result: Unit | null = null
  let sign = 1
  while (reader.at < reader.tokens.length && reader.tokens[reader.at] !== ')') {
    const token = reader.tokens[reader.at++]!
    if (token === '·' || token === '*' || token === '/') {
      sign = token === '/' ? -1 : 1
      continue
    }
    let factor: Unit | null
    if (token === '(') {
      factor = product(reader)
      if (reader.tokens[reader.at++] !== ')') return null
    } else factor = symbol(token)
    if (!factor) return null
    const next = reader.tokens[reader.at]
    if (next && /^\^?-?\d/.test(next)) {
      reader.at++
      factor = powerUnit(factor, Number(next.replace('^', '')))
    }
    if (sign < 0) factor = powerUnit(factor, -1)
    sign = 1
    result = result ? multiplyUnits(result, factor) : factor
  }
  return result
}

/** An entry of a table, not what every object inherits. */
function own<T>(table: Record<string, T>, key: string): T | undefined {
  return Object.hasOwn(table, key) ? table[key] : undefined
}

function symbol(token: string): Unit | null {
  const exact = own(plain, token) ?? own(prefixable, token)
  if (exact) return exact
  const prefix = own(prefixes, token[0]!)
  const base = own(prefixable, token.slice(1))
  return prefix && base ? { ...base, factor: prefix * base.factor } : null
}

/** What a value in one unit is multiplied by to be in another; 1 where one of them is unknown or they do not fit. */
export function factorBetween(from: string | null, to: string | null): number {
  const [own, wanted] = [from, to].map((unit) => (unit === null ? null : parseUnit(unit)))
  return own && wanted && sameDimensions(own.dimensions, wanted.dimensions) ? own.factor / wanted.factor : 1
}

/** From one length unit to another; where one is unknown both are taken to be the same. */
export function lengthFactor(from: string | null, to: string | null): number {
  return from === null || to === null ? 1 : factorBetween(from, to)
}

export function multiplyUnits(a: Unit, b: Unit): Unit {
  return { dimensions: multiply(a.dimensions, b.dimensions), factor: a.factor * b.factor, offset: 0 }
}

function powerUnit(a: Unit, exponent: number): Unit {
  return { dimensions: power(a.dimensions, exponent), factor: a.factor ** exponent, offset: 0 }
}

export function multiply(a: Dimensions, b: Dimensions): Dimensions {
  return a.map((x, i) => x + b[i]!) as unknown as Dimensions
}

export function divide(a: Dimensions, b: Dimensions): Dimensions {
  return a.map((x, i) => x - b[i]!) as unknown as Dimensions
}

export function power(a: Dimensions, exponent: number): Dimensions {
  return a.map((x) => x * exponent || 0) as unknown as Dimensions
}

export function sameDimensions(a: Dimensions, b: Dimensions): boolean {
  return a.every((x, i) => Math.abs(x - b[i]!) < 1e-9)
}

/** Whether values in two units are of one kind; of units that are not known only if both are the same text, or both are missing. */
export function isSameKind(a: string | null, b: string | null): boolean {
  const [own, other] = [a, b].map((unit) => (unit === null ? null : parseUnit(unit)))
  return own && other ? sameDimensions(own.dimensions, other.dimensions) : a === b
}

/** Name of the coherent SI unit of a dimension: `m³/s`, `Pa`, `K`; `1` for plain numbers. */
export function unitName(dimensions: Dimensions): string {
  if (sameDimensions(dimensions, dimensionless)) return '1'
  for (const [name, d] of derived) if (sameDimensions(d, dimensions)) return name
  const symbols = ['m', 'kg', 's', 'K', 'A', 'mol', 'cd']
  const order = [1, 0, 2, 3, 4, 5, 6]
  const above = order.filter((i) => dimensions[i]! > 0)
  const below = order.filter((i) => dimensions[i]! < 0)
  const write = (i: number, sign: number): string => symbols[i]! + superscript(sign * dimensions[i]!)
  if (above.length === 0) return below.map((i) => write(i, 1)).join('·')
  const top = above.map((i) => write(i, 1)).join('·')
  return below.length ? `${top}/${below.map((i) => write(i, -1)).join('/')}` : top
}

function superscript(exponent: number): string {
  if (exponent === 1) return ''
  if (!Number.isInteger(exponent)) return '^' + exponent
  return [...String(exponent)].map((ch) => Object.keys(superscripts).find((key) => superscripts[key] === ch)).join('')
}

/** The unit of a name that must be one. @throws FormulaError */
export function requireUnit(text: string, range?: [number, number]): Unit {
  const found = parseUnit(text)
  if (!found) throw new FormulaError('unknown-unit', `“${text}” is not a unit; write for example m/s, kg/m^3 or °C.`, range)
  return found
}
