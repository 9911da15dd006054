/** Puts another name of a variable into all texts of a study that use it: formulas, and conditions of steps. Changes it in place. */
import { namesIn, parseFormula } from '../fields/formula/parse'
import { stepKind } from '../steps'
import type { Study } from './studyModel'

export function renameVariable(study: Study, from: string, to: string): void {
  for (const formula of Object.values(study.formulas)) formula.text = renamed(formula.text, from, to)
  for (const { kind, settings } of Object.values(study.steps))
    for (const setting of stepKind(kind).conditions ?? []) settings[setting] = renamed(String(settings[setting]), from, to)
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
