/**
 * Reads a typed sentence such as `slice z 1.2 speed` into a step to be made: a word of the trade for the kind, then
 * axis, numbers with or without units, variables and parts in any order.
 */
import { inUnit, readNumber } from '../units/typedNumbers'
import type { TypedNumber } from '../units/typedNumbers'
import { parseUnit } from '../units/units'
import { stepKinds } from '../steps'
import type { Vector } from '../mesh/vectors'
import type { StepWishes } from './defaults'
import type { Study } from './studyModel'

export interface ParsedSentence {
  kind: string
  wishes: StepWishes
  /** Part ids that are named. */
  parts: string[]
  /** Variable or formula to colour by. */
  colour: string | null
  /** Words that mean nothing here. */
  unknown: string[]
}

/** Units that steps keep their numbers in. */
export interface SentenceUnits {
  length: string
  of(variable: string): string | null
  /** Unit in which numbers of such a unit are shown, and typed when nothing else is said. */
  shown(unit: string): string
}

/** What a word of the trade asks to be measured. */
const quantityWords: Record<string, StepWishes['quantity']> = {
  'mass flow': 'mass flow',
  area: 'size',
  volume: 'size',
  size: 'size',
  mean: 'mean',
  average: 'mean',
  integral: 'integral',
  flux: 'flux',
  'flow rate': 'flux',
  minimum: 'min',
  smallest: 'min',
  maximum: 'max',
  largest: 'max',
}

const axes: Record<string, Vector> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] }

const fillers = new Set(['at', 'of', 'on', 'the', 'by', 'in', 'with', 'and', 'through', 'across', 'coloured', 'colored', 'value'])

/** @returns null when no kind of step begins like this */
export function parseSentence(text: string, study: Study, units: SentenceUnits): ParsedSentence | null {
  const rest = text.trim()
  const kind = stepKinds
    .flatMap((k) => [k.title.toLowerCase(), ...k.words].map((word) => ({ id: k.id, word })))
    .filter(({ word }) => rest.toLowerCase() === word || rest.toLowerCase().startsWith(`${word} `))
    .sort((a, b) => b.word.length - a.word.length)[0]
  if (!kind) return null
  const result: ParsedSentence = { kind: kind.id, wishes: {}, parts: [], colour: null, unknown: [] }
  let after = rest.slice(kind.word.length)
  // longer names first: others may be words of theirs
  const named = [
    ...Object.entries(study.parts).map(([id, { name }]) => ({ id, name, isPart: true })),
    ...variablesOf(study)
      .filter(([, { name }]) => /\s/.test(name))
      .map(([id, { name }]) => ({ id, name, isPart: false })),
  ]
  for (const { id, name, isPart } of named.sort((a, b) => b.name.length - a.name.length)) {
    const at = after.toLowerCase().search(new RegExp(`(^|\\s)${escaped(name.toLowerCase())}(\\s|$)`))
    if (at < 0) continue
    if (isPart) result.parts.push(id)
    else result.colour = id
    after = `${after.slice(0, at)} ${after.slice(at + name.length + 1)}`
  }
  const quantity = kind.id === 'measure' ? Object.keys(quantityWords).find((w) => rest.toLowerCase().includes(w)) : undefined
  let axis = 2
  let number: TypedNumber | undefined
  for (const word of after.split(/[\s=]+|,(?!\d)/).filter(Boolean)) {
    const found = numberIn(word)
    const variable = variableOf(word, study)
    if (axes[word.toLowerCase()] && !variable) axis = 'xyz'.indexOf(word.toLowerCase())
    else if (found) number = found
    else if (variable) result.colour = variable
    else if (number && !number.unit && parseUnit(word)) number.unit = word
    else if (!fillers.has(word.toLowerCase()) && !quantity?.split(' ').includes(word.toLowerCase())) result.unknown.push(word)
  }
  // a surface with a value is the one where a field has it
  if (kind.id === 'show' && number && result.colour) result.kind = 'isosurface'
  const valueIn = (unit: string | null): number | undefined => {
    if (!number) return undefined
    if (unit === null && !number.unit) return number.value
    const value = unit === null ? null : inUnit(number, unit, units.shown(unit))
    if (value === null) result.unknown.push(number.unit!)
    return value ?? undefined
  }
  if (result.kind === 'slice') {
    result.wishes.normal = [0, 1, 2].map((d) => (d === axis ? 1 : 0)) as Vector
    const at = valueIn(units.length)
    if (at !== undefined) result.wishes.origin = result.wishes.normal.map((c) => (c === 0 ? 0 : at)) as Vector
  } else if (result.kind === 'isosurface') {
    if (result.colour) result.wishes.variable = result.colour
    const value = valueIn(result.colour && units.of(result.colour))
    if (value !== undefined) result.wishes.value = value
    result.colour = null
  } else if (result.colour && ['measure', 'plot'].includes(result.kind)) result.wishes.variable = result.colour
  if (quantity) result.wishes.quantity = quantityWords[quantity]!
  return result
}

/** A number, possibly followed by its unit without a space. */
function numberIn(word: string): TypedNumber | undefined {
  const found = readNumber(word)
  return found?.unit && !parseUnit(found.unit) ? undefined : found
}

function variablesOf(study: Study): [string, { name: string }][] {
  return [...Object.entries(study.formulas), ...Object.entries(study.variables)]
}

function variableOf(word: string, study: Study): string | null {
  const all = variablesOf(study)
  const found = all.find(([, v]) => v.name === word) ?? all.find(([, v]) => v.name.toLowerCase() === word.toLowerCase())
  return found?.[0] ?? null
}

function escaped(text: string): string {
  return text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
}
