/** Puts another name of a variable into all texts of a study that use it: formulas, and conditions of steps. Changes it in place. */
import { namesIn, parseFormula } from '../fields/formula/parse'
import { stepKind } from '../steps'
import type { Study } from './studyModel'
import { escaped } from './typedWords'

export function renameVariable(study: Study, from: string, to: string): void {
  eachText(study, (text) => renamed(text, from, to))
}

/** The same for axes, which stand in quotes. */
export function renameAxes(study: Study, from: string, to: string): void {
  const written = new RegExp(`\\b(in|radius|angle|height)\\(\\s*"${escaped(from)}"`, 'g')
  eachText(study, (text) => text.replace(written, (_, name: string) => `${name}("${to}"`))
}

/** All texts in the formula language. */
function eachText(study: Study, change: (text: string) => string): void {
  for (const formula of Object.values(study.formulas)) formula.text = change(formula.text)
  for (const { kind, settings } of Object.values(study.steps)) {
    const { conditions = [], calculates } = stepKind(kind)
    for (const setting of [...conditions, ...(calculates ? [calculates] : [])]) settings[setting] = change(String(settings[setting]))
  }
}

/** A text that cannot be read stays as it is. */
function renamed(text: string, from: string, to: string): string {
  try {
    if (!namesIn(parseFormula(text)).has(from)) return text
  } catch {
    return text
  }
  return text.replace(new RegExp(`(?<![\\p{L}\\p{N}_])${from}(?![\\p{L}\\p{N}_])`, 'gu'), to)
}
