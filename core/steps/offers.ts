/** What a kind of step offers besides its computation: the sentence, handles, looks, and settings to begin with. */
import type { Box } from '../mesh/MeshBlock'
import type { Vector } from '../mesh/vectors'
import type { PeriodicMotion } from '../trace/PeriodicSides'

/**
 * A piece of a sentence: plain words, or a token that can be changed. Tokens name the setting or input they change;
 * the editor of each type stands in the app, what can be typed for it in `study/typedTokens.ts`.
 */
export type SentencePiece =
  | string
  | { token: 'input'; input: string }
  | { token: 'plane' }
  | { token: 'position'; setting: string }
  /** Several, one to a line. */
  | { token: 'positions'; setting: string }
  | { token: 'direction'; setting: string }
  /** Text of a condition in the formula language. */
  | { token: 'condition'; setting: string }
  /** An expression of numbers, which are called a, b, … in the order of an input. */
  | { token: 'calculation'; setting: string; input: string }
  | { token: 'number'; setting: string; quantity: NumberQuantity; variable?: string; unit?: string; sweep?: readonly [number, number] }
  /** Several values of a variable, in a unit, or plain numbers. */
  | { token: 'numbers'; setting: string; variable?: string; unit?: string; isPlain?: boolean }
  | { token: 'choice'; setting: string; options: readonly ChoiceOption[] }
  | {
      token: 'variable'
      setting: string /** `through`: vectors, and fluxes that stand on faces. */
      kind: 'any' | 'scalar' | 'vector' | 'through'
    }
  /** A case of the study, or the one that is shown. */
  | { token: 'case'; setting: string }
  | { token: 'colour' }

/** A token of one number or several. */
export type NumbersToken = Extract<SentencePiece, { token: 'number' | 'numbers' }>

/** Name of a number in a calculation, by its place among the inputs: a, b, … z, aa, … */
export function letterOf(i: number): string {
  return i < 26 ? String.fromCharCode(97 + i) : `${letterOf(Math.floor(i / 26) - 1)}${letterOf(i % 26)}`
}

/** `share`: from 0 to 1. `factor`: a plain number. `unit`: in the unit that the token names. */
export type NumberQuantity = 'length' | 'count' | 'variable' | 'share' | 'factor' | 'unit'

/** Numbers without a unit. */
export function isPlainQuantity(quantity: NumberQuantity): boolean {
  return quantity === 'count' || quantity === 'share' || quantity === 'factor'
}

/**
 * Unit in which the numbers of a token are kept; null for plain ones, and where it is not known.
 *
 * @param length  unit of the case
 */
export function unitOfNumbers(piece: NumbersToken, length: string | null, unitOf: (variable: string) => string | null): string | null {
  if (piece.unit !== undefined) return piece.unit
  if (piece.token === 'number' ? isPlainQuantity(piece.quantity) : piece.isPlain) return null
  return piece.token === 'number' && piece.quantity === 'length' ? length : unitOf(piece.variable ?? '')
}

export interface ChoiceOption {
  value: string
  /** What stands in parentheses explains the choice where there is room. */
  label: string
  /** Further words that mean it when typed. */
  words?: readonly string[]
}

/** Something of a step that is moved by hand: on the stage, or a value along its variable's range. */
export type Handle =
  | { handle: 'plane'; origin: string; normal: string }
  | { handle: 'point'; setting: string; title: string }
  /** A length from a point, sideways to an axis where there is one. */
  | { handle: 'radius'; origin: string; setting: string; axis?: string }
  | { handle: 'value'; setting: string; variable: string }
  /** From 0 to 1. */
  | { handle: 'share'; setting: string; title: string }

/** What a new step is made in. */
export interface Surroundings {
  /** Of everything. */
  box: Box
  /** The variable to take where none is named. @param quantity  liked best. @param other  not this one, if there is another */
  pick(components: 1 | 3 | 6, quantity?: string, other?: string): string
  /** The variable that numbers points or cells; '' if there is none. */
  numbering(place: 'point' | 'cell'): string
  /** Smallest and largest value of a variable, as far as they are known. */
  range(variable: string): readonly [number, number] | undefined
  /** A value of a variable as it stands in a formula. */
  written(variable: string, value: number): string
  /** A variable as it stands in a formula. */
  nameOf(variable: string): string
  /** How many steps there are that yield a number. */
  nReadings: number
  /** How periodic sides of the case lie on each other, for kinds that begin by it. */
  periodic?: PeriodicMotion
}

/** A place on a shape that was clicked. */
export interface Picked {
  position: Vector
  /** Normal of the plane of the step that was clicked, if it has one. */
  normal?: Vector
  /** Variable that it is coloured by. */
  variable: string | null
}

/** A step offered at a place that was clicked. */
export interface PickOffer {
  title: string
  /** It takes what was clicked as its input. */
  isOn: boolean
  settings(picked: Picked): Record<string, unknown>
}

/** Settings offered in the palette under a name of their own. */
export interface Preset {
  title: string
  words: string
  settings: Record<string, unknown>
}

/** How something is drawn in another place or form than it has in the case. */
export interface Drawn {
  /** Where a vector variable takes it, so many times over. */
  displaced?: { variable: string; factor: number; hasOutline: boolean }
  offset?: Vector
  arrows?: { length: 'equal' | 'size' | 'log'; scale: number }
  /** Numbers on lines, in the unit of a variable. */
  labels?: { variable: string }
}

export interface StepLook {
  /** Cuts are flat colour, so that equal colours are equal values; outer surfaces and isosurfaces are shaded. */
  isLit?: boolean
  isSmooth?: boolean
  /** To begin with. */
  width?: number
  plain?: string
  /** It lies where its input does, which is hidden when it is made. */
  takesPlace?: boolean
  /** Lines with a dark rim, as tubes. */
  hasHalo?: boolean
  /** It begins in one colour. */
  isPlain?: boolean
  /** It begins coloured by this column of its own. */
  column?: string
}
