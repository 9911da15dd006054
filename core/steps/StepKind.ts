/**
 * What a kind of step is: its settings, its sentence, and how it is computed. One file per kind, one line in `index.ts`.
 */
import type { Static, TObject } from '@sinclair/typebox'
import type { Field, Moment, Part } from '../case/catalogue'
import type { ConditionTree } from '../fields/formula/conditions'
import type { Expression } from '../fields/formula/parse'
import type { Numbers } from '../fields/formula/typed'
import type { Curve, Quantity, Reading } from '../measure/results'
import type { Domain, DomainBlock, DomainMesh } from '../mesh/Domain'
import type { FieldValues, GroupRanges, PartBlocks } from '../mesh/MeshBlock'
import type { Drawn, Handle, PickOffer, Preset, SentencePiece, StepLook, Surroundings } from './offers'
import type { Condition } from '../shapes/condition'
import type { Moved } from '../shapes/moved'
import type { FactTable, Shape, ShapeValues } from '../shapes/Shape'
import type { PacketArray } from '../store/packet'

/** Inputs a step may have. `accepts` names what fits; the first input of a kind is the one drawn in the rail. */
export interface InputSpec {
  name: string
  accepts: readonly InputClass[]
  isOptional?: boolean
  /** What stands in the sentence where an optional one is not chosen. */
  none?: string
  isList?: boolean
  /** What to say when nothing is chosen, where it is not “choose a part or a step”. */
  missing?: string
  /** Kind of the step that is made where a new step finds nothing that fits. */
  makes?: string
  /** Settings of what is made. */
  makesWith?: Readonly<Record<string, unknown>>
  /** How many a new step takes of a list of readings or curves. */
  atFirst?: number
  /** A new step has it only where the first input is of this class. */
  onlyFor?: InputClass
  /** A new step takes all surfaces that bound the region of this other input. */
  bounds?: string
  /** A new step lies where this is, which is hidden: for inputs besides the first (`StepLook.takesPlace`). */
  isCovered?: boolean
  /** A new step takes lines or surfaces without the variable, where there is no region. */
  isForBare?: boolean
  /** Where the case that is shown has not got it, it is that of a case that has. */
  isAnywhere?: boolean
  /** Only parts of the case, whole: no steps, and not the outside of a region. */
  isPart?: boolean
}

/** What a part or step offers to others. */
export type InputClass = 'region' | 'surface' | 'lines' | 'table' | 'reading' | 'curve'

/** Whether numbers or curves of other steps are taken, not shapes. */
export function takesOutcomes({ accepts }: InputSpec): boolean {
  return accepts.includes('reading') || accepts.includes('curve')
}

/** An input of a step with the case's own names: a part, the outer surface of a region, or another step. */
export type PlannedInput = { part: string; isOuter: boolean } | { step: string }

/** The study and the case as a computation sees them, in one frame. */
export interface StepContext {
  settings: Readonly<Record<string, unknown>>
  /** A variable of the settings, as an expression that its name stands for. */
  variable(setting: string): Expression
  lengthUnit: string | null
  /** Throws to cancel. */
  check(): void
  /** Says which share of a long computation is done. */
  progress(share: number): void
  inputs(name: string): readonly PlannedInput[]
  /** The volume of an input: regions, and what steps keep of them. */
  domain(name: string): Domain
  /** Whether something of an input is no volume. */
  hasShapes(name: string): boolean
  /** All parts among an input. */
  parts(name: string): PartBlocks[]
  /** All of an input as one shape. @throws DataError when nothing is chosen */
  shape(name: string): Shape
  catalogueOf(part: string): Part | undefined
  /** Fields of the case at this moment that formulas can use, and by which name. */
  fields(): readonly { field: Field; called: string }[]
  /** Surfaces of the case that bound a region. */
  surfacesOf(region: string): readonly Part[]
  /** The same with their shapes, of all regions of the first input: for kinds that look at them. */
  boundary(): { part: Part; shape: Shape }[]
  /** What the steps of an input read, in their order. */
  readings(name: string): Reading[]
  /** The curves of the steps of an input, in their order. */
  curves(name: string): Curve[]
  /**
   * An expression of numbers, of which some are known by name: constant formulas of the study and reductions are known anyway.
   *
   * @throws FormulaError
   */
  calculate(text: string, known: Readonly<Record<string, Numbers>>): Numbers
  values(expression: Expression, shape: Shape): ShapeValues & Quantity
  /** @param parts  all that are looked at together */
  blockValues(expression: Expression, parts: readonly string[], part: PartBlocks, block: number): FieldValues
  /** On what is left of a block of a domain: evaluated on the block of the case and then mapped. */
  domainValues(expression: Expression, domain: Domain, block: DomainBlock, mesh: DomainMesh): FieldValues
  /** Extremes of each group of cells (2 × nGroups) of a block that is whole. */
  groupRanges(expression: Expression, domain: Domain, block: DomainBlock): GroupRanges | undefined
  /** Conditions under which steps keep what an input yields, the first one first; what lies in a volume fulfils all of them. */
  conditions(name: string): Condition[]
  /** Where cuts find the points of an input, if steps move it. */
  moved(name: string): Moved | undefined
  /** The same step in the frame that an input is taken from; itself where that is its own. */
  elsewhere(name: string): StepContext
  /** All moments of the case, and the one that is looked at. */
  moments(): { all: readonly Moment[]; own: number }
  /** The same step at another moment: for kinds that go through them. */
  atMoment(moment: number): StepContext
  /** What the step found out about all of the input that it surveys. */
  survey(): Survey
  /** A setting that holds a condition, as comparisons. */
  condition(setting: string): ConditionTree
  /** Kind, place and unit of an expression on parts together; `plain` is the field if it is just a field. */
  quantity(
    expression: Expression,
    parts: readonly string[],
  ): {
    unit: string | null
    components: number
    place: 'point' | 'cell' | 'any' | 'mixed'
    isCondition: boolean
    names?: readonly string[]
    plain: Field | undefined
  }
  /** What the study calls an expression: the name of a formula that means the same, or else the expression itself. */
  named(expression: Expression, parts: readonly string[]): string
}

/**
 * A computation split into units, such as blocks, whose results are merged in order. A unit depends only on the context and on its
 * own value. Blocks that it requests are released when it ends.
 */
export interface Work<Unit, Result> {
  /** Of volumes its units are many blocks, and what comes of some of them is a shape of its own: threads share them. */
  isShared?: boolean
  units(context: StepContext): readonly Unit[]
  unit(context: StepContext, unit: Unit): Result
  merge(context: StepContext, results: readonly Result[]): Shape
}

/** Work with hidden types of units and results. */
export type AnyWork = Work<unknown, unknown>

export function workOf<Unit, Result>(work: Work<Unit, Result>): AnyWork {
  return work as AnyWork
}

export interface StepKind<Settings extends TObject = TObject> {
  id: string
  /** Raised when the same settings would yield something else: part of every key. */
  version: number
  title: string
  /** Words of the trade that find it in the palette. */
  words: readonly string[]
  /** Path data of its icon, drawn with a line in a square of 24. */
  icon: string
  settings: Settings
  inputs: readonly InputSpec[]
  /** Parts of a case that it can be made of; where there is none it is not offered. */
  fits?(part: Pick<Part, 'cells' | 'points' | 'dimension'>): boolean
  /** What its inputs take under some settings, for a new step. */
  narrowed?(settings: Static<Settings>): readonly InputSpec[]
  /** Whether it would yield nothing of another step: a new one is not made of that. */
  isEmptyOn?(settings: Static<Settings>, other: OtherStep): boolean
  /** What it yields was traced: a new step starts from it only where that is said. */
  isTraced?: boolean
  /** What it yields as lines are points, which nothing runs along. */
  isPoints?(settings: Static<Settings>): boolean
  /** Settings to begin with, which make sense where the step is made. @param wishes  those that are given */
  defaults(around: Surroundings, wishes: Partial<Static<Settings>>): Static<Settings>
  /** What it begins with depends on how periodic sides lie on each other. */
  isBegunByPeriodic?: boolean
  /** Settings to begin with where one of its inputs is what the flow leaves through. */
  begunAtOutlets?: { input: string; settings: Partial<Static<Settings>> }
  presets?: readonly Preset[]
  onPick?: PickOffer
  handles?(settings: Static<Settings>): readonly Handle[]
  look?: StepLook
  /** What the step offers as an input to others; undefined when nothing. */
  yields(settings: Static<Settings>, inputClass: InputClass | undefined): InputClass | undefined
  /** @param inputClass  of the first input */
  sentence(settings: Static<Settings>, inputClass?: InputClass): SentencePiece[]
  /** Whether it is coloured by a variable. */
  hasColour: boolean
  /** Settings that hold a variable which is in use. */
  variables(settings: Record<string, unknown>): string[]
  /** Those of them that its shape depends on: part of the shape key. */
  shapeVariables: readonly string[]
  /** Those of its settings that are the text of a condition, on which its result depends. */
  conditions?: readonly string[]
  /** Its shape is one for all moments: it looks at the volume of its first input and at the variables of its shape at each of them. */
  isThroughMoments?(settings: Static<Settings>): boolean
  /** Input of which it looks at the outside too, where that is a volume. */
  looksAtOutside?(settings: Static<Settings>): string | undefined
  /** It looks at the surfaces that bound the regions of its first input, and what they are for. */
  looksAtBoundary?: boolean
  /** Its shape depends on which moment it is, whatever the data there. */
  isOfMoment?: boolean
  /** Settings that show it at a time between two moments, if it follows the moments. @param time  s */
  atTime?(settings: Static<Settings>, time: number): Partial<Static<Settings>> | undefined
  /** Its shape depends on the units of length and of its variables, not only on their numbers. */
  needsUnits?: boolean
  /** Settings that only the drawing uses, all with defaults: they are no part of what is computed. */
  drawnSettings?: readonly string[]
  /** Where cuts through it find it, if that is not where it is in the case: then its drawn settings are computed with. */
  moves?(settings: Static<Settings>): Movement | undefined
  /** How it is drawn, and with it what is made of it. */
  drawn?(settings: Static<Settings>): Drawn
  /** Its shape is that of its inputs as it is: regions count by their outer surface. `volume`: to others it passes them on as regions. */
  passesOn?: 'outside' | 'volume'
  shape?: AnyWork
  /** It takes regions by their outer surface. */
  takesOutside?: boolean
  /** What must be known of all of an input before any of it is kept, whatever the settings are: computed once. */
  survey?(context: StepContext): Survey
  /** That input; the first one when absent. */
  surveyed?: string
  /** Settings that hold a variable of an input, which may be of another case: the names of both. */
  sourceVariables?: Record<string, string>
  /** Case in the study that an input is taken from; the one that is shown when empty. */
  caseOf?(settings: Static<Settings>, input: string): string
  /** Facts about what it yields. */
  facts?(context: StepContext): Facts
  /** It yields the part of its first input in which this holds: of a volume a volume, of a surface or of lines a part of them. */
  keeps?(context: StepContext): Condition
  reading?(context: StepContext): Reading
  curve?(context: StepContext): Curve
  /** The setting that holds an expression of numbers, in which formulas of the study may stand. */
  calculates?: string
  /** By a setting that is chosen: others that only hold with it, which begin anew. */
  beginsAnew?: Readonly<Record<string, readonly string[]>>
  /** Variables that begin with a ready formula of this name (`shelf.ts`) where the case has no field of that kind. */
  ready?: Readonly<Record<string, string>>
  /** Settings of a new one, once it is known in what units the readings are that it takes. */
  begunWith?(units: readonly (string | null)[]): Static<Settings>
}

/** What a step may be made of. */
export interface OtherStep {
  kind: string
  settings: Readonly<Record<string, unknown>>
  isPoints: boolean
}

/** By a vector that a setting names, so many times over. */
export interface Movement {
  setting: string
  factor: number
}

/** Something found out: JSON and arrays. */
export interface Survey {
  meta: unknown
  arrays: Record<string, PacketArray>
}

export interface Facts {
  notes: string[]
  table?: FactTable
}

/** Fills what most kinds share. */
export function defineStep<S extends TObject>(
  kind: Omit<StepKind<S>, 'shapeVariables' | 'variables' | 'hasColour'> & Partial<StepKind<S>>,
): StepKind<S> {
  return {
    hasColour: false,
    shapeVariables: [],
    variables: () => ('variable' in kind.settings.properties ? ['variable'] : []),
    ...kind,
  }
}

/** Whether it yields something to draw. */
export function hasShape({ shape, passesOn, keeps }: StepKind): boolean {
  return shape !== undefined || passesOn !== undefined || keeps !== undefined
}

/** Whether it yields of a volume a volume. */
export function yieldsVolumes({ keeps, passesOn }: StepKind): boolean {
  return keeps !== undefined || passesOn === 'volume'
}

/** Settings of a context, typed: they were checked at the border. */
export function settingsOf<S extends TObject>(_schema: S, context: StepContext): Static<S> {
  return context.settings as Static<S>
}
