/**
 * Variables that are written where one is chosen: components, sizes, whole expressions. Each is a formula of the study, made once.
 */
import { expressionText, nameOf } from '../fields/formula/expressions'
import { componentNames } from '../fields/formula/typed'
import { freshId } from './studyModel'
import type { Study } from './studyModel'
import { parseUnit } from '../units/units'

/** A formula that may be in the study already. */
export interface Written {
  name: string
  text: string
}

/** Components of a vector or tensor and its size, each with the word that says which it is. */
export function partsOfVariable(name: string, components: number): (Written & { word: string })[] {
  const names = componentNames[components]
  if (!names) return []
  const written = expressionText(nameOf(name))
  const [word, size] = components === 3 ? ['size', `mag(${written})`] : components === 6 ? ['equivalent', `equivalent(${written})`] : []
  const own = names.map((component) => ({ word: component, name: `${name}_${component}`, text: `${written}.${component}` }))
  return word ? [...own, { word, name: `${word} of ${name}`, text: size! }] : own
}

/** What is written: `name = expression`, or an expression, which is its own name as far as it can be one. */
export function writtenFormula(text: string): Written {
  const [, name, formula] = /^\s*([\p{L}_][\p{L}\p{N}_ ]*?)\s*=(?!=)\s*(.*)$/su.exec(text) ?? []
  if (name !== undefined) return { name, text: formula!.trim() }
  const own = text.trim()
  const [, of, component] = /^([\p{L}_][\p{L}\p{N}_]*)\.([a-z]+)$/u.exec(own) ?? []
  if (of !== undefined) return { name: `${of}_${component}`, text: own }
  return { name: /[=`]/.test(own) ? 'formula' : own, text: own }
}

/** The formula of this text, if the study has one. */
export function knownFormula(study: Study, text: string): string | undefined {
  return Object.keys(study.formulas).find((id) => study.formulas[id]!.text === text)
}

/** The formula of a text, which is made if there is none. Changes a draft. */
export function formulaOf(study: Study, written: Written): string {
  return knownFormula(study, written.text) ?? addWritten(study, written)
}

/** Adds a formula under a name that is free. @returns its id */
export function addWritten(study: Study, { name, text }: Written): string {
  const id = freshId(name, study.formulas, study.variables)
  const taken = new Set([...Object.values(study.formulas), ...Object.values(study.variables)].map((own) => own.name))
  let free = name
  for (let i = 2; taken.has(free); i++) free = `${name} ${i}`
  study.formulas[id] = { name: free, rank: Object.keys(study.formulas).length + 1, text }
  return id
}

/** Text without spaces but those inside parentheses (three deep) and quotes. */
const PIECE = /(?:[^\s()"=,]|"[^"]*"|\((?:[^()]|\((?:[^()]|\([^()]*\))*\))*\))+/gu

/** Pieces of a sentence that look like expressions: `U.x`, `mag(U)^2`, `distance("Wall")`. They need not be right. */
export function expressionsIn(sentence: string): string[] {
  const pieces = sentence.match(PIECE) ?? []
  return pieces.filter((own) => /^[\p{L}_(`]/u.test(own) && /[\p{L}\p{N}_")`][.*/^+(-]/u.test(own) && !parseUnit(own))
}

/** The study with formulas that a sentence names, each by its text. */
export function withMentioned(study: Study, mentioned: readonly Written[]): Study {
  const own = mentioned.map(({ name, text }) => [text, { name, rank: 0, text }] as const)
  return { ...study, formulas: { ...study.formulas, ...Object.fromEntries(own) } }
}
