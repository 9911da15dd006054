/**
 * What a kind of step is: its settings, its sentence, and how it is computed. One file per kind, one line in `index.ts`.
 */
import type { Static, TObject } from '@sinclair/typebox'
import type { FieldValues, PartBlocks } from '../mesh/MeshBlock'
import type { Part } from '../study/caseModel'
import type { PlanInput, PlanStep } from '../study/plan'
import type { Quantity } from '../study/Evaluator'
import type { Shape, ShapeValues } from './Shape'

/** Inputs a step may have. `accepts` names what fits; the first input of a kind is the one drawn in the rail. */
export interface InputSpec {
  name: string
  accepts: readonly InputClass[]
  isOptional?: boolean
  isList?: boolean
  /** What to say when nothing is chosen, where it is not “choose a part or a step”. */
  missing?: string
}

/** What a part or step offers to others. */
export type InputClass = 'region' | 'surface' | 'lines' | 'table'

/**
 * A piece of a sentence: plain words, or a token that can be changed. Tokens name the setting or input they change;
 * the editor of each type stands in the app.
 */
export type SentencePiece =
  | string
  | { token: 'input'; input: string }
  | { token: 'plane' }
  | { token: 'position'; setting: string }
  | { token: 'number'; setting: string; quantity: 'length' | 'count' | 'variable'; variable?: string }
  | { token: 'choice'; setting: string; options: readonly { value: string; label: string }[] }
  | { token: 'variable'; setting: string; /** `through`: vectors, and fluxes that stand on faces. */
    kind: 'any' | 'scalar' | 'vector' | 'through' }
  | { token: 'colour' }

/** A measured number with how it came about. */
export interface Reading {
  value: number
  unit: string | null
  /** One phrase a step: "sum over 4,812 triangles of Drain, 0.126 m²". */
  madeOf: string[]
  cautions: string[]
}

export interface Series {
  name: string
  x: Float64Array
  /** Not-a-number is a gap. */
  y: Float64Array
}

export interface Curve {
  x: Quantity
  y: Quantity
  series: Series[]
  notes: string[]
}

/** What a computation sees of the study. */
export interface StepContext {
  settings: PlanStep['settings']
  lengthUnit: string | null
  check(): void
  inputs(name: string): PlanInput[]
  /** Volume parts among an input's parts. */
  regions(name: string): PartBlocks[]
  /** All parts among an input. */
  parts(name: string): PartBlocks[]
  /** All of an input as one shape. @throws DataError when nothing is chosen */
  shape(name: string): Shape
  catalogueOf(part: string): Part | undefined
  values(expression: string, shape: Shape): ShapeValues & Quantity
  blockValues(expression: string, part: PartBlocks, block: number): FieldValues
  /** `isFlux`: a field of what flows through each face. */
  quantity(expression: string, part: string): Quantity & { components: number; place: 'point' | 'cell' | 'any'; isFlux: boolean }
  /** Another step as it stands in the plan. */
  outline(stepId: string): PlanStep | undefined
}

export interface StepKind<Settings extends TObject = TObject> {
  id: string
  /** Raised when the same settings would yield something else: part of every key. */
  version: number
  title: string
  /** Words of the trade that find it in the palette. */
  words: readonly string[]
  settings: Settings
  inputs: readonly InputSpec[]
  /** What the step offers as an input to others; undefined when nothing. */
  yields(settings: Static<Settings>, inputClass: InputClass | undefined): InputClass | undefined
  /** @param inputClass  of the first input */
  sentence(settings: Static<Settings>, inputClass?: InputClass): SentencePiece[]
  /** Whether it is coloured by a variable. */
  hasColour: boolean
  /** Variables its shape depends on: part of the shape key. */
  shapeVariables(settings: Record<string, unknown>): string[]
  /** All variables in its settings. */
  variables(settings: Record<string, unknown>): string[]
  shape?(context: StepContext): Shape
  reading?(context: StepContext): Reading
  curve?(context: StepContext): Curve
}

/** Fills what most kinds share. */
export function defineStep<S extends TObject>(
  kind: Omit<StepKind<S>, 'shapeVariables' | 'variables' | 'hasColour'> & Partial<StepKind<S>>,
): StepKind<S> {
  return {
    hasColour: false,
    shapeVariables: () => [],
    variables: (settings) => (typeof settings['variable'] === 'string' ? [settings['variable']] : []),
    ...kind,
  }
}

/** Settings of a context, typed: they were checked at the border. */
export function settingsOf<S extends TObject>(_schema: S, context: StepContext): Static<S> {
  return context.settings as Static<S>
}
