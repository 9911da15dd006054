/** The sentence of a step as plain text, for titles and for the palette. */
import { axisName } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { stepKind } from '../steps'
import { plainSurroundings } from './defaults'
import type { Study } from './studyModel'
import { isPlainQuantity } from '../steps/offers'
import type { NumbersToken, SentencePiece } from '../steps/offers'
import type { InputClass } from '../steps/StepKind'

/** How the words of a study are shown. */
export interface SentenceWords {
  inputs(name: string): string
  inputClass: InputClass | undefined
  variable(id: string): string
  /** Of a case of the study; empty for the one that is shown. */
  case(id: string): string
  length(value: number): string
  value(variable: string, value: number): string
  /** In the unit that a token names. */
  inUnit(value: number, unit: string): string
}

/** @param isShort  without the word that names the kind, and without the colour */
export function sentenceText(kindId: string, settings: Readonly<Record<string, unknown>>, words: SentenceWords, isShort = false): string {
  const kind = stepKind(kindId)
  const pieces = kind.sentence(settings, words.inputClass)
  const colour = pieces.findIndex((piece) => typeof piece !== 'string' && piece.token === 'colour')
  const shown = pieces.slice(isShort && typeof pieces[0] === 'string' ? 1 : 0, colour < 0 ? undefined : Math.max(0, colour - 1))
  return shown
    .map((piece) => pieceText(piece, settings, words))
    .join('')
    .trim()
}

/** What a reading is a number of, without what it is taken over: for axes and heads of tables, such as “mean of T”. */
export function quantityText(kindId: string, settings: Readonly<Record<string, unknown>>, words: SentenceWords): string {
  const pieces = stepKind(kindId).sentence(settings, words.inputClass)
  const end = pieces.findIndex((piece) => typeof piece !== 'string' && piece.token === 'input')
  const before = pieces.slice(1, end < 0 ? undefined : end)
  // the words that lead to the input say nothing without it
  const own = typeof before[before.length - 1] === 'string' ? before.slice(0, -1) : before
  const text = own
    .map((piece) => pieceText(piece, settings, words))
    .join('')
    .trim()
  return text || stepKind(kindId).title.toLowerCase()
}

/** The kind and what was given of its sentence: for a step that is not made yet. @param settings  those that were given */
export function givenText(
  kindId: string,
  study: Study,
  settings: Readonly<Record<string, unknown>>,
  inputs: Readonly<Record<string, unknown>>,
  words: SentenceWords,
): string {
  const { title, sentence, defaults } = stepKind(kindId)
  const known = title.toLowerCase().split(' ')
  const all = defaults(plainSurroundings(study, [0, 0, 0, 1, 1, 1]), settings)
  const pieces = sentence(all, words.inputClass)
  const given = pieces.flatMap((piece, i) => {
    if (typeof piece === 'string' || !isGiven(piece, settings, inputs)) return []
    const before = pieces[i - 1]
    const chosen = before === ' ' ? pieces[i - 2] : undefined
    // a choice that leads to it is said with it
    const isLead = chosen !== undefined && typeof chosen !== 'string' && chosen.token === 'choice' && !isGiven(chosen, settings, inputs)
    const leading = isLead ? pieceText(chosen, all, words) : i > 1 && typeof before === 'string' ? before : ''
    const lead = leading.split(/[ ,]+/).filter((word) => word && !known.includes(word))
    if (piece.token === 'plane' && !('origin' in settings)) return [`across ${axisName(settings['normal'] as Vector) ?? 'a direction'}`]
    return [[...lead, pieceText(piece, settings, words)].join(' ')]
  })
  return [title, ...given].join(' ')
}

function isGiven(piece: Exclude<SentencePiece, string>, settings: Readonly<Record<string, unknown>>, inputs: object): boolean {
  if (piece.token === 'input') return piece.input in inputs
  if (piece.token === 'plane') return 'origin' in settings || 'normal' in settings
  return piece.token !== 'colour' && piece.setting in settings
}

function pieceText(piece: SentencePiece, settings: Readonly<Record<string, unknown>>, words: SentenceWords): string {
  if (typeof piece === 'string') return piece
  const vector = (setting: string): Vector => settings[setting] as Vector
  switch (piece.token) {
    case 'input':
      return words.inputs(piece.input)
    case 'variable':
      return words.variable(String(settings[piece.setting]))
    case 'case':
      return words.case(String(settings[piece.setting]))
    case 'choice':
      return piece.options.find(({ value }) => value === settings[piece.setting])?.label.replace(/ \(.*/, '') ?? ''
    case 'plane': {
      const name = axisName(vector('normal'))
      const at = vector('origin').reduce((sum, c, d) => sum + c * (vector('normal')[d] ?? 0), 0)
      return name ? `${name} = ${words.length(at)}` : 'a plane'
    }
    case 'position':
      return placeText(vector(piece.setting), words)
    case 'positions':
      return placesText(settings[piece.setting] as Vector[], words)
    case 'direction':
      return axisName(vector(piece.setting)) ?? 'a direction'
    case 'condition':
    case 'calculation':
      return String(settings[piece.setting])
    case 'numbers':
      return (settings[piece.setting] as number[]).map((value) => numberText(piece, value, words)).join(', ')
    case 'number':
      return numberText(piece, Number(settings[piece.setting]), words)
    case 'colour':
      return ''
  }
}

export function placesText(places: readonly Vector[], words: SentenceWords): string {
  return places.map((place) => placeText(place, words)).join('; ')
}

/** The unit once, behind the last number. */
function placeText(place: Vector, { length }: SentenceWords): string {
  const texts = place.map(length)
  const unit = / \D+$/.exec(texts[2] ?? '')?.[0] ?? ''
  return texts.map((text, i) => (i < 2 && text.endsWith(unit) ? text.slice(0, text.length - unit.length) : text)).join(', ')
}

function numberText(piece: NumbersToken, value: number, words: SentenceWords): string {
  if (piece.unit !== undefined) return words.inUnit(value, piece.unit)
  if (piece.token === 'number' && isPlainQuantity(piece.quantity)) return String(value)
  return piece.token === 'number' && piece.quantity === 'length' ? words.length(value) : words.value(piece.variable ?? '', value)
}
