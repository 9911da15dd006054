/** What is found in the text of a sentence: names, numbers, and places such as “at 0.3 0.2 0.5 m” or “from 0 0 0 to 1 0 0”. */
import { parseFormula } from '../fields/formula/parse'
import { stepKind } from '../steps'
import { letterOf } from '../steps/offers'
import type { InputClass } from '../steps/StepKind'
import { readNumber } from '../units/typedNumbers'
import type { TypedNumber } from '../units/typedNumbers'
import { parseUnit } from '../units/units'
import type { Study } from './studyModel'

/** A word, or a number with a decimal comma. */
const WORD = /(?:[^\s=;,]|,(?=\d))+/gu
const LEADS = new Set(['at', 'from', 'to'])

/** @returns three numbers for each place, and the text with spaces where they stood */
export function takePlaces(text: string): { places: TypedNumber[][]; rest: string } {
  const words = [...text.matchAll(WORD)].map(([word], i, all) => ({ word, start: all[i]!.index, end: all[i]!.index + word.length }))
  const places: TypedNumber[][] = []
  let rest = text
  for (let i = 0; i < words.length; i++) {
    if (!LEADS.has(words[i]!.word.toLowerCase())) continue
    const numbers = numbersBehind(words, i + 1)
    // what is left over is a number of something else
    const n = numbers.length - (numbers.length % 3)
    if (!n) continue
    for (let k = 0; k < n; k += 3) places.push(numbers.slice(k, k + 3))
    const [from, to] = [words[i]!.start, words[numbers[n - 1]!.last]!.end]
    rest = rest.slice(0, from) + ' '.repeat(to - from) + rest.slice(to)
    i = numbers[n - 1]!.last
  }
  return { places, rest }
}

/** Numbers with their units from a word on, as far as they go, each with its last word. */
function numbersBehind(words: readonly { word: string }[], from: number): (TypedNumber & { last: number })[] {
  const numbers: (TypedNumber & { last: number })[] = []
  for (let i = from; i < words.length; i++) {
    const { word } = words[i]!
    const number = numberIn(word)
    const before = numbers[numbers.length - 1]
    if (number) numbers.push({ ...number, last: i })
    else if (before && !before.unit && parseUnit(word)) Object.assign(before, { unit: word, last: i })
    else break
  }
  return numbers
}

/** A number, possibly followed by its unit without a space. */
export function numberIn(word: string): TypedNumber | undefined {
  const found = readNumber(word)
  return found?.unit && !parseUnit(found.unit) ? undefined : found
}

/** Where a name stands between spaces: the place of the space before it, -1 for nowhere. */
export function whereIn(text: string, name: string, isExact = false): number {
  const at = new RegExp(`[\\s=]${escaped(name)}(?=[\\s=,])`, isExact ? 'u' : 'iu').exec(text)
  return at ? at.index : -1
}

/** As a regular expression that stands for itself. */
export function escaped(text: string): string {
  return text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
}

/** Whether a text can be read as an expression. */
export function isFormula(text: string): boolean {
  try {
    parseFormula(text)
    return true
  } catch {
    return false
  }
}

/** Names of readings as the letters that stand for them, in the order in which they come. */
export function lettered(text: string, study: Study): { text: string; named: string[] } {
  const readings = Object.entries(study.steps).filter(([, { kind }]) => stepKind(kind).reading)
  const names = readings.map(([id, { name }]) => ({ id, name })).sort((a, b) => b.name.length - a.name.length)
  if (!names.length) return { text, named: [] }
  const any = new RegExp(`(?<![\\p{L}\\p{N}_])(${names.map(({ name }) => escaped(name)).join('|')})(?![\\p{L}\\p{N}_])`, 'giu')
  const named: string[] = []
  const written = text.replace(any, (all) => {
    const { id } = names.find(({ name }) => name.toLowerCase() === all.toLowerCase())!
    if (!named.includes(id)) named.push(id)
    return letterOf(named.indexOf(id))
  })
  return { text: written, named }
}

/** Words of sentences that mean nothing by themselves. */
export const fillers: ReadonlySet<string> = new Set('at of on from the by in with and through across coloured colored value to'.split(' '))

export function variablesOf(study: Study): [string, { name: string }][] {
  return [...Object.entries(study.formulas), ...Object.entries(study.variables)]
}

/** Name of the single part of a case, where no other case has it. */
export function onlyPartOf(study: Study, caseId: string): string | undefined {
  const own = Object.values(study.parts).filter(({ binding }) => binding[caseId] != null)
  return own.length === 1 && Object.keys(own[0]!.binding).length === 1 ? own[0]!.name : undefined
}

/** All behind “where”, up to a comma that is not inside parentheses or to the colour. */
export function conditionIn(text: string): { condition: string; rest: string } | undefined {
  const start = /\swhere\s/i.exec(text)
  if (!start) return undefined
  const from = start.index + start[0].length
  let depth = 0
  let to = from
  for (; to < text.length; to++) {
    const sign = text[to]!
    if (sign === '(') depth++
    else if (sign === ')') depth--
    else if ((sign === ',' && depth === 0) || /^\scolou?red by\s/i.test(text.slice(to))) break
  }
  return { condition: text.slice(from, to).trim(), rest: `${text.slice(0, start.index)} ${text.slice(to)}` }
}

/** Unit that values of a variable are shown in; null where plain numbers are meant or nothing is known. */
export function shownUnit(
  study: Study,
  name: string,
  units: { of(variable: string): string | null; shown(unit: string): string },
): string | null {
  const [id] = variablesOf(study).find(([, own]) => own.name === name) ?? []
  const unit = id === undefined ? null : units.of(id)
  return unit === null || unit === '1' ? null : units.shown(unit)
}

/** A name, a comparison and a number with nothing behind it that makes more of it. */
const COMPARED = /([\p{L}_][\p{L}\p{N}_]*)(\s*(?:[<>]=?|==|!=)\s*)(-?\d[\d.]*(?:[eE][-+]?\d+)?)(?=\s*(?:$|\)|,|(?:and|or)\s))/gu

/** A condition in which numbers that a variable is compared with have the unit that it is shown in, as numbers of sentences have. */
export function withUnits(condition: string, unitOf: (name: string) => string | null): string {
  return condition.replace(COMPARED, (whole, name: string) => {
    const unit = unitOf(name)
    return unit === null ? whole : `${whole} '${unit}'`
  })
}

/** Whether what is made for an input can be made of several things: streaks from two lines are those of what is let go on both. */
export function takesSeveral(kind: string | undefined, of: InputClass): boolean {
  return kind !== undefined && stepKind(kind).inputs.some(({ isList, accepts }) => isList && accepts.includes(of))
}
