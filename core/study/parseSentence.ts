/**
 * Reads a typed sentence such as `slice z 1.2 speed` into a step to be made: a word of the trade for the kind, then
 * axis, numbers, variables and parts in any order.
 */
import { stepKinds } from '../steps'
import type { Vector } from '../steps/vectors'
import type { StepWishes } from './defaults'
import type { Study } from './studyModel'

export interface ParsedSentence {
  kind: string
  wishes: StepWishes
  /** Part ids that are named. */
  parts: string[]
  /** Variable or formula to colour by. */
  colour: string | null
}

/** What a word of the trade asks to be measured. */
const quantityWords: Record<string, StepWishes['quantity']> = {
  'mass flow': 'mass flow', area: 'size', volume: 'size', size: 'size', mean: 'mean', average: 'mean', integral: 'integral', flux: 'flux', 'flow rate': 'flux', minimum: 'min', smallest: 'min', maximum: 'max', largest: 'max',
}

const axes: Record<string, Vector> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] }

/** @returns null when no kind of step begins like this */
export function parseSentence(text: string, study: Study): ParsedSentence | null {
  const rest = text.trim()
  const kind = stepKinds
    .flatMap((k) => [k.title.toLowerCase(), ...k.words].map((word) => ({ id: k.id, word })))
    .filter(({ word }) => rest.toLowerCase() === word || rest.toLowerCase().startsWith(`${word} `))
    .sort((a, b) => b.word.length - a.word.length)[0]
  if (!kind) return null
  const result: ParsedSentence = { kind: kind.id, wishes: {}, parts: [], colour: null }
  let after = rest.slice(kind.word.length)
  // longer names first: others may be words of theirs
  const named = [...Object.entries(study.parts).map(([id, { name }]) => ({ id, name, isPart: true })), ...variablesOf(study).filter(([, { name }]) => /\s/.test(name)).map(([id, { name }]) => ({ id, name, isPart: false }))]
  for (const { id, name, isPart } of named.sort((a, b) => b.name.length - a.name.length)) {
    const at = after.toLowerCase().search(new RegExp(`(^|\\s)${escaped(name.toLowerCase())}(\\s|$)`))
    if (at < 0) continue
    if (isPart) result.parts.push(id)
    else result.colour = id
    after = `${after.slice(0, at)} ${after.slice(at + name.length + 1)}`
  }
  let axis = 2
  let number: number | undefined
  for (const word of after.split(/[\s=,]+/).filter(Boolean)) {
    const value = Number(word.replace(',', '.'))
    if (axes[word.toLowerCase()] && !variableOf(word, study)) axis = 'xyz'.indexOf(word.toLowerCase())
    else if (Number.isFinite(value)) number = value
    else result.colour = variableOf(word, study) ?? result.colour
  }
  if (kind.id === 'slice') {
    result.wishes.normal = [0, 1, 2].map((d) => (d === axis ? 1 : 0)) as Vector
    if (number !== undefined) result.wishes.origin = result.wishes.normal.map((c) => (c === 0 ? 0 : number!)) as Vector
  } else if (kind.id === 'isosurface') {
    if (result.colour) result.wishes.variable = result.colour
    if (number !== undefined) result.wishes.value = number
    result.colour = null
  } else if (result.colour && ['measure', 'plot'].includes(kind.id)) result.wishes.variable = result.colour
  if (kind.id === 'measure') {
    const word = Object.keys(quantityWords).find((w) => rest.toLowerCase().includes(w))
    if (word) result.wishes.quantity = quantityWords[word]!
  }
  return result
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
