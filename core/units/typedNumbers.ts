/** Numbers as people type them: with a unit behind them or without, a comma or a point. */
import { parseUnit, sameDimensions } from './units'

export interface TypedNumber {
  value: number
  unit: string | undefined
}

const NUMBER = '[-+−]?(?:\\d+[.,]?\\d*|[.,]\\d+)(?:e[-+]?\\d+)?'

/** @returns undefined if the text does not start with a number */
export function readNumber(text: string): TypedNumber | undefined {
  const [, digits, unit] = new RegExp(`^\\s*(${NUMBER})\\s*(\\S.*?)?\\s*$`, 'i').exec(text) ?? []
  return digits === undefined ? undefined : { value: numberOf(digits), unit }
}

/** A number and its unit, if it has one. @param example  of one, for what was written instead. @returns a sentence on what is wrong */
export function readAmount(text: string, example: string): TypedNumber | string {
  const found = readNumber(text)
  if (!found) return `“${text}” is no number; write one with its unit, such as ${example}.`
  if (found.unit && !parseUnit(found.unit)) return `“${found.unit}” is no unit that is known here.`
  return found
}

/**
 * Several numbers, separated by commas or spaces: a decimal comma is not possible here. Those without a unit have the last one
 * that is named.
 *
 * @returns undefined if the text is no list of `n` numbers, or of any number of them
 */
export function readNumbers(text: string, n?: number): TypedNumber[] | undefined {
  const item = /\s*([-+−]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?)\s*([^\s\d,;+−-][^\s,;]*)?\s*(?:[,;]|(?=\s|$)|$)/giy
  const found = [...text.matchAll(item)]
  if (found.length !== (n ?? found.length) || found.reduce((length, [all]) => length + all.length, 0) !== text.length) return undefined
  const last = found.map(([, , unit]) => unit).findLast((unit) => unit !== undefined)
  return found.map(([, digits, unit = last]) => ({ value: numberOf(digits!), unit }))
}

/** A number in a unit. @param plain  the unit it has when none is typed. @returns null when it has a unit of another kind */
export function inUnit({ value, unit }: TypedNumber, target: string, plain = target): number | null {
  if (unit === undefined && plain === target) return value
  const [from, to] = [parseUnit(unit ?? plain), parseUnit(target)]
  return from && to && sameDimensions(from.dimensions, to.dimensions) ? (value * from.factor + from.offset - to.offset) / to.factor : null
}

function numberOf(digits: string): number {
  return Number(digits.replace('−', '-').replace(',', '.'))
}
