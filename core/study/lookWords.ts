/** How a step is drawn, in words: what is found for it by name, and what is typed with numbers, such as “range 0 to 3 kPa”. */
import { MOST_LEVELS } from '../colour/scale'
import type { ColourMap } from '../colour/maps'
import { readNumbers } from '../units/typedNumbers'
import type { TypedNumber } from '../units/typedNumbers'
import { edgeForms, fades, lineForms, rangeModes } from './studyModel'
import type { Look } from './studyModel'

export const rangeWords: Record<Look['range']['mode'], string> = {
  everything: 'everything',
  moment: 'this moment',
  step: 'this step',
  view: 'in view',
  middle: 'middle 98 %',
  symmetric: 'symmetric',
  hand: 'by hand',
  locked: 'locked',
}

export const formWords: Record<(typeof lineForms)[number], string> = { flat: 'flat', tube: 'tubes', ribbon: 'ribbons' }

/** Undefined takes out what is optional. */
export type LookChange = { [K in keyof Look]?: Look[K] | undefined }

export interface LookWords {
  /** What changes, and into what. */
  title: readonly [string, string]
  words: string
  change: LookChange
}

export interface LookedAt {
  look: Look
  kind: 'surface' | 'lines' | 'points'
  /** Ends of the range as it is now, in the unit of the file. */
  ends: { min: number; max: number }
}

/** Colours without bands or levels. */
export const noBands = { bands: 0, levels: undefined, bandStep: undefined }
const shares = [25, 50, 75, 100]
/** Bands that are offered before a number is typed. */
export const BANDS = 12

/** All that can be chosen without a number. */
export function lookChoices({ look, kind, ends }: LookedAt, maps: readonly ColourMap[]): LookWords[] {
  const coloured = look.variable === null ? [] : [...colourChoices(look, ends), ...maps.map(ofMap)]
  if (kind === 'surface') return [...coloured, ...surfaceChoices()]
  return kind === 'lines' ? [...coloured, ...lineChoices()] : coloured
}

function ofMap({ id, title }: ColourMap): LookWords {
  return { title: ['Colours', title], words: 'colour map palette', change: { map: id } }
}

function colourChoices({ range, isReversed, isLog }: Look, ends: LookedAt['ends']): LookWords[] {
  const given = rangeModes.filter((mode) => mode !== 'hand')
  return [
    ...given.map((mode): LookWords => {
      const change = { range: { ...range, ...ends, mode } }
      return { title: ['Range', rangeWords[mode]], words: 'limits smallest largest scale', change }
    }),
    { title: ['Colours', 'smooth'], words: 'bands none continuous', change: noBands },
    { title: ['Bands', `${BANDS} equal`], words: 'colours steps', change: { ...noBands, bands: BANDS } },
    {
      title: ['Colours', isReversed ? 'not reversed' : 'reversed'],
      words: 'turn invert',
      change: { isReversed: !isReversed || undefined },
    },
    { title: ['Scale', isLog ? 'linear' : 'logarithmic'], words: 'log colours', change: { isLog: !isLog || undefined } },
    { title: ['Beyond the range', 'hidden'], words: 'colours', change: { low: 'hidden', high: 'hidden' } },
    { title: ['Beyond the range', 'held at the ends'], words: 'colours', change: { low: undefined, high: undefined } },
    { title: ['Fade out', 'none'], words: 'opacity by value seen through', change: { fade: undefined } },
    ...fades.map((fade): LookWords => ({ title: ['Fade out', fade], words: 'opacity by value seen through', change: { fade } })),
  ]
}

function surfaceChoices(): LookWords[] {
  return [
    ...edgeForms.map((edges): LookWords => ({ title: ['Edges', edges], words: 'mesh lines border', change: { edges } })),
    { title: ['Faces seen from behind', 'shown'], words: 'back', change: { isOneSided: undefined } },
    { title: ['Faces seen from behind', 'hidden'], words: 'back', change: { isOneSided: true } },
    ...shares.map((share): LookWords => {
      return { title: ['Opacity', `${share} %`], words: 'translucent transparent see through', change: { opacity: share / 100 } }
    }),
  ]
}

function lineChoices(): LookWords[] {
  return [
    ...lineForms.map((form): LookWords => {
      return { title: ['Lines', formWords[form]], words: 'form', change: { form } }
    }),
    { title: ['Rim of lines', 'drawn'], words: 'halo dark', change: { hasHalo: true } },
    { title: ['Rim of lines', 'none'], words: 'halo dark', change: { hasHalo: false } },
  ]
}

/** null: not possible. */
type Read = Omit<LookWords, 'words'> | null

/** Numbers that are typed behind a word, or before it. */
interface Typed extends LookedAt {
  numbers: TypedNumber[]
  /** In the unit of the file; null when its unit is of another kind. */
  stored: (number: TypedNumber) => number | null
}

const typed: { words: RegExp; isOnly?: LookedAt['kind']; read: (typed: Typed) => Read }[] = [
  { words: /^(?:colou?r )?range\b(?: from)?/i, read: readRange },
  { words: /^symmetric(?: about)?/i, read: readSymmetric },
  { words: /^(?:bands|colou?rs) (?:of|by)\b/i, read: readStep },
  { words: /^bands\b|\bbands$/i, read: readBands },
  { words: /^levels\b(?: at)?/i, read: readLevels },
  { words: /^opacity\b/i, isOnly: 'surface', read: readOpacity },
  { words: /^(?:line )?width\b/i, isOnly: 'lines', read: readWidth },
]

const BETWEEN = /\b(?:to|and)\b|…/gi

/** @returns null where the text is no look with numbers, or says one that is not possible */
export function readLook(text: string, at: LookedAt, stored: Typed['stored']): LookWords | null {
  const own = text.trim()
  for (const { words, isOnly, read } of typed) {
    if (!words.test(own) || (isOnly && isOnly !== at.kind) || (!isOnly && at.look.variable === null)) continue
    const numbers = readNumbers(own.replace(words, ' ').replace(BETWEEN, ' ').trim())
    const found = numbers && read({ ...at, numbers, stored })
    if (found) return { ...found, words: '' }
  }
  return null
}

/** As they were typed. */
function told(numbers: readonly TypedNumber[], between: string): string {
  return numbers.map(({ value, unit }) => (unit ? `${value} ${unit}` : `${value}`)).join(between)
}

function readRange({ look, numbers, stored }: Typed): Read {
  const [min, max] = numbers.map(stored)
  if (numbers.length !== 2 || min == null || max == null || !(max > min)) return null
  return { title: ['Range', told(numbers, ' to ')], change: { range: { ...look.range, mode: 'hand', min, max } } }
}

function readSymmetric({ look, ends, numbers, stored }: Typed): Read {
  const about = numbers.length === 1 ? stored(numbers[0]!) : null
  if (about === null) return null
  const range = { ...look.range, ...ends, mode: 'symmetric' as const, about }
  return { title: ['Range', `symmetric about ${told(numbers, '')}`], change: { range } }
}

function readStep({ numbers, stored }: Typed): Read {
  const step = numbers.length === 1 ? stored(numbers[0]!) : null
  if (step === null || !(step > 0)) return null
  return { title: ['Bands', `a step of ${told(numbers, '')}`], change: { ...noBands, bandStep: step } }
}

function readBands({ numbers }: Typed): Read {
  const [n] = numbers
  if (numbers.length !== 1 || n!.unit || !Number.isInteger(n!.value) || n!.value < 1 || n!.value > 256) return null
  return { title: ['Bands', `${n!.value} equal`], change: { ...noBands, bands: n!.value } }
}

function readLevels({ numbers, stored }: Typed): Read {
  const found = numbers.map(stored)
  if (found.length < 2 || found.length > MOST_LEVELS || found.includes(null)) return null
  const levels = [...new Set(found as number[])].sort((a, b) => a - b)
  return levels.length < 2 ? null : { title: ['Levels', told(numbers, ', ')], change: { ...noBands, levels } }
}

/** A share, or percent. */
function readOpacity({ numbers }: Typed): Read {
  const [n] = numbers
  if (numbers.length !== 1 || (n!.unit && n!.unit !== '%')) return null
  const opacity = n!.unit || n!.value > 1 ? n!.value / 100 : n!.value
  return opacity >= 0 && opacity <= 1 ? { title: ['Opacity', `${Number((100 * opacity).toPrecision(6))} %`], change: { opacity } } : null
}

function readWidth({ numbers }: Typed): Read {
  const [n] = numbers
  const isPoints = numbers.length === 1 && (!n!.unit || n!.unit === 'pt') && n!.value >= 0.1 && n!.value <= 50
  return isPoints ? { title: ['Width', `${n!.value} pt`], change: { width: n!.value, thickness: undefined } } : null
}
