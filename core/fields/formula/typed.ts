/** Checked expressions: what they are made of, with the kind, unit and place of every node. */
import { FormulaError } from '../../errors'
import type { Dimensions } from '../../units/units'
import type { Axes, AxesFrame } from './axes'
import type { Comparison, Range } from './parse'

export type ValueKind = 'scalar' | 'vector' | 'symmetric tensor' | 'tensor'

/** What the checker must know of a field; `factor` and `offset` bring its values to coherent SI. */
export interface FieldInfo {
  /** The name in the case, which may differ from the name in formulas. */
  name: string
  components: number
  place: 'point' | 'cell'
  /** null: the unit is unknown. */
  dimensions: Dimensions | null
  factor: number
  offset: number
}

/** A number, or the components of a vector, in coherent SI. */
export interface Numbers {
  values: readonly number[]
  /** null: the unit is unknown. */
  dimensions: Dimensions | null
}

/** Names an expression may use. */
export interface Scope {
  field(name: string): FieldInfo | undefined
  /** Text of another formula of the study. */
  formula(name: string): string | undefined
  /** Unit of `pos`; null when the length unit is unknown. */
  length: { dimensions: Dimensions; factor: number } | null
  /**
   * A number of the whole case, a constant of the part's material, or one that the user of the expression knows; in coherent SI.
   *
   * @throws FormulaError when it could be one but is not set
   */
  constant?(name: string, range: Range): Numbers | undefined
  /** Names on a part, or on all that reductions are taken over when they name none. undefined: there is no such part */
  on?(part: string | undefined): { scope: Scope; parts: readonly string[]; dimension: number } | undefined
  /** Axes of the study by their name. */
  axes?(name: string): Axes | undefined
  axesNames?: readonly string[]
  /** Walls of the region that is looked at, or of all. */
  walls?: readonly string[]
  hasPart?(name: string): boolean
  /** Other moments and cases. */
  others?: OtherFrames
  /** All names, for the error that lists them. */
  names(): string[]
}

/** A moment of a case, in which a part has a name of its own. */
export interface FramePlace {
  /** null: of this case */
  case: string | null
  moment: number
  part: string | null
}

/** What names mean in other frames. */
export interface OtherFrames {
  /** Of this frame. */
  moment: number
  /** In seconds. */
  times: readonly (number | null)[]
  atMoment(moment: number): { scope: Scope; place: FramePlace }
  /**
   * In another case at the moment that answers to this one, or on another part of this case. Undefined where neither is called so, or the
   * case has no part that answers to this one.
   */
  inCase(name: string): { scope: Scope; place: FramePlace } | undefined
  caseNames: readonly string[]
}

/** Where values live: `any` for constants, `element` for `normal`, which only a shape has. */
export type Place = 'any' | 'point' | 'cell'

export interface Typed {
  operation: Operation
  of: Typed[]
  components: number
  dimensions: Dimensions | null
  place: Place
  /** Whether `normal` is used anywhere below. */
  onShape: boolean
  /** Of components, where they are not those of x, y and z. */
  names?: readonly string[]
  /** True or false: 1 or 0, and not-a-number where it cannot be told. */
  isCondition?: true
  range: Range
}

export type Operation =
  | { kind: 'number'; value: number }
  | { kind: 'field'; field: FieldInfo }
  | { kind: 'pos'; factor: number }
  | { kind: 'normal' }
  | { kind: 'pick'; index: number }
  | { kind: 'negate' }
  | { kind: 'zip'; name: '+' | '-' | '*' | '/' | '^' }
  /** One of `functions.ts`. */
  | { kind: 'apply'; name: string }
  | { kind: 'compare'; name: Comparison }
  | { kind: 'and' | 'or' | 'not' | 'if' }
  /** Known only of a mesh: values are put in its place before the rest is compiled. */
  | { kind: GradientName; lengthFactor: number }
  | { kind: 'smooth' | 'cells' }
  | Elsewhere
  /** In axes of the study: of a value and the position, or of the position alone. */
  | { kind: 'axes'; what: 'turned' | 'moving' | 'radius' | 'angle' | 'height'; frame: AxesFrame }
  /** Distance to the nearest place of some surfaces. */
  | { kind: 'distance'; to: readonly string[]; factor: number }
  /** Volume of each cell. */
  | { kind: 'cell volume'; factor: number }
  /** On lines only: from their beginning. */
  | { kind: 'arc length'; factor: number }
  /** A number or vector of whole parts: as a text, and the parts it is taken over when it names none. */
  | { kind: 'reduced'; text: string; on: readonly string[] }

/** A sum by weights, the root of the sum of squares, the spread about the mean, or an extreme. */
export type Fold = 'sum' | 'squares' | 'spread' | 'min' | 'max' | 'when largest' | 'when smallest'

/** An expression in other frames: values are put in its place before the rest is compiled. */
export interface Elsewhere {
  kind: 'elsewhere'
  text: string
  fold: Fold
  places: readonly (FramePlace & { weight: number })[]
}

export type GradientName = 'grad' | 'div' | 'curl'

/** A number as it is, three as a vector. */
export function numbersOf(vector: Typed, [first, ...others]: readonly Typed[]): Typed {
  return others.length ? { ...vector, operation: { kind: 'apply', name: 'vec' }, of: [first!, ...others] } : first!
}

/** Whether an operation needs the neighbourhood of a position. */
export function looksAround({ kind }: Operation): boolean {
  return kind === 'grad' || kind === 'div' || kind === 'curl' || kind === 'smooth' || kind === 'cells'
}

/** Whether it is taken in the cells of a region. */
export function needsCells(operation: Operation): boolean {
  return (looksAround(operation) && operation.kind !== 'cells') || operation.kind === 'cell volume'
}

/** Whether values are put in place of an operation before the rest is compiled. */
export function isPutIn({ operation }: Typed): boolean {
  return looksAround(operation) || ['elsewhere', 'distance', 'cell volume', 'arc length'].includes(operation.kind)
}

/** Expressions in other frames in it. */
export function elsewhereIn({ operation, of }: Typed): Elsewhere[] {
  return operation.kind === 'elsewhere' ? [operation] : of.flatMap(elsewhereIn)
}

/** Surfaces that it takes distances to. */
export function distancesIn({ operation, of }: Typed): string[] {
  return operation.kind === 'distance' ? [...operation.to] : of.flatMap(distancesIn)
}

/** Reductions of whole parts in it. */
export function reductionsIn(typed: Typed): (Operation & { kind: 'reduced' })[] {
  const { operation, of } = typed
  return operation.kind === 'reduced' ? [operation] : of.flatMap(reductionsIn)
}

/** Whether some operation in it does. */
export function hasNeighbours({ operation, of }: Typed): boolean {
  return looksAround(operation) || of.some(hasNeighbours)
}

/** Names of components by their number, in the order of the core. */
export const componentNames: Record<number, string[]> = {
  3: ['x', 'y', 'z'],
  6: ['xx', 'yy', 'zz', 'xy', 'yz', 'xz'],
  9: ['xx', 'xy', 'xz', 'yx', 'yy', 'yz', 'zx', 'zy', 'zz'],
}

export function kindName(components: number): string {
  return { 1: 'a scalar', 3: 'a vector', 6: 'a symmetric tensor', 9: 'a tensor' }[components] ?? `${components} numbers`
}

/** Identifies a field: two names in formulas may refer to one field with different factors. */
export function fieldId({ name, factor, offset }: FieldInfo): string {
  return `${name}\n${factor}\n${offset}`
}

/** Fields an expression reads, each once, by `fieldId`. */
export function fieldsOf(typed: Typed, found = new Map<string, FieldInfo>()): Map<string, FieldInfo> {
  if (typed.operation.kind === 'field') found.set(fieldId(typed.operation.field), typed.operation.field)
  for (const part of typed.of) fieldsOf(part, found)
  return found
}

/** @throws FormulaError when a value is of a kind that a function does not take */
export function requireKind(name: string, { components, range }: Typed, takes: readonly number[]): void {
  if (takes.includes(components)) return
  throw new FormulaError('kind', `${name} takes ${takes.map(kindName).join(' or ')}, but this is ${kindName(components)}.`, range)
}
