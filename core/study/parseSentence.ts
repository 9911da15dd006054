/**
 * Reads a typed sentence such as `slice z 1.2 speed` into a step to be made: a word of the trade for the kind, then what stands in the
 * sentence of that kind. Numbers, names and choices go to the first token that takes them (`typedTokens.ts`), in whatever order they are
 * typed. What no token takes is named.
 */
import { stepKind, stepKinds } from '../steps'
import type { StepKind } from '../steps/StepKind'
import { plainSurroundings } from './defaults'
import type { Over, OverAxis } from './over'
import type { InputRef, Study } from './studyModel'
import { readTokens } from './typedTokens'
import type { Places, TypedUnits } from './typedTokens'

export interface ParsedSentence {
  kind: string
  settings: Record<string, unknown>
  /** Parts and steps that are named, by input. */
  inputs: Record<string, InputRef[]>
  /** Variable or formula to colour by. */
  colour: string | null
  /** What a reading or a curve is taken over. */
  over: Over | undefined
  /** Points that are made with it. */
  places: Places | undefined
  /** Words that mean nothing here. */
  unknown: string[]
}

/** The end of a sentence: over every moment, over all cases and times. */
const ALL = '(?:(?:over|every|all|each|the)\\s+)*'
const OVER = new RegExp(`\\s+over\\s+${ALL}(moments?|times?|cases?)(?:\\s+and\\s+${ALL}(moments?|times?|cases?))?$`, 'i')

/** @returns null when no kind of step begins like this */
export function parseSentence(text: string, study: Study, units: TypedUnits): ParsedSentence | null {
  const typed = withVerb(text.trim(), study)
  const candidates = stepKinds
    .flatMap((kind) => [kind.title.toLowerCase(), ...kind.words].map((word) => ({ kind, word })))
    .filter(({ word }) => typed.toLowerCase() === word || typed.toLowerCase().startsWith(`${word} `))
    .map(({ kind, word }) => ({ word, ...parseAs(kind, word, typed, study, units) }))
    .sort((a, b) => a.unknown.length - b.unknown.length || b.word.length - a.word.length || a.nOpen - b.nOpen)
  const best = candidates[0]
  if (!best) return null
  const { word, kind, settings, inputs, colour, over, places, unknown } = best
  // along a single place there is no curve: its value is a number, and over moments a curve
  if (stepKind(kind).curve && places?.places.length === 1) return parseSentence(`mean ${typed.slice(word.length)}`, study, units)
  return { kind, settings, inputs, colour, over, places, unknown }
}

/** “Plot 1 - Plot 2”, “Measure 1 / Measure 2”: with the word before it that such sentences begin with. */
function withVerb(typed: string, study: Study): string {
  const before = /^(.+?)\s*[-+*/−]\s/.exec(typed)?.[1]?.toLowerCase()
  const first = Object.values(study.steps).find(({ name }) => name.toLowerCase() === before)
  if (!first) return typed
  const { curve, reading } = stepKind(first.kind)
  return curve ? `work out ${typed.replaceAll('−', '-')}` : reading ? `calculate ${typed}` : typed
}

/** A sentence as one of a kind, and how many of its numbers are not given. */
function parseAs(kind: StepKind, word: string, typed: string, study: Study, units: TypedUnits): ParsedSentence & { nOpen: number } {
  const around = plainSurroundings(study, [0, 0, 0, 1, 1, 1])
  const end = kind.reading || kind.curve ? OVER.exec(typed.slice(word.length)) : null
  const rest = typed.slice(word.length, end ? word.length + end.index : undefined)
  const found = readTokens(kind, typed.slice(0, word.length), rest, { study, units, around })
  return { kind: kind.id, ...found, over: end ? overOf(end) : undefined }
}

function overOf([, first, second]: RegExpExecArray): Over {
  const axis = (word: string): OverAxis => ({ is: /^case/i.test(word) ? 'cases' : 'moments' })
  const [a, b] = [axis(first!), second === undefined ? undefined : axis(second)]
  return b && b.is !== a.is ? [a, b] : [a]
}
