/** Nodes of the graph: what they compute, and what steps take as inputs. */
import type { CheckSubject } from '../check/checkSubject'
import type { Key } from '../digest'
import { DataError } from '../errors'
import type { Expression } from '../fields/formula/parse'
import { yieldsVolumes } from '../steps/StepKind'
import type { InputSpec, PlannedInput, StepKind } from '../steps/StepKind'
import type { Expressions, StoredRef } from './Expressions'
import type { FramePlan } from './FramePlan'
import type { Had } from './chunks'
import type { Frame, TargetOf } from './plan'

/** What a node computes. */
export type Task =
  | { do: 'part'; part: string; isOuter: boolean }
  | { do: 'shape'; step: string }
  /** What comes of one share of the blocks that a step looks at. */
  | { do: 'share'; step: string; share: number; of: number }
  /** The outside of one share of the blocks of a volume. */
  | { do: 'outside'; step: string; share: number; of: number }
  /** What a step must know of its first input. */
  | { do: 'survey'; step: string }
  /** On one of the nodes that the shape of a step is, and of its pieces on one share. */
  | { do: 'values'; step: string; variable: Expression; at: number; share: number; of: number }
  /** A shape, or values on it, as the browser gets them. `had`: in chunks, of which the asker has those of these names. */
  | { do: 'shape picture'; step: string; had?: Had }
  | { do: 'values picture'; step: string; variable: Expression; isWhole: boolean; had?: Had }
  | { do: 'outcome'; step: string }
  | { do: 'range'; variable: Expression; parts: readonly string[] }
  | { do: 'probe'; at: [number, number, number]; parts: string[] }
  | { do: 'file'; target: TargetOf<'file'> }
  | { do: 'check'; subject: CheckSubject }

export interface Node {
  key: Key
  frame: Frame
  task: Task
  /** Nodes whose results it reads. */
  needs: readonly Node[]
  /** Meshes and fields of the case that must be in the store. */
  reads: readonly StoredRef[]
  /** Its result can refer to those of its needs: who reads it reads them too. */
  isOfNeeds?: true
}

/** Nodes whose results must be there while a node is computed. */
export function allNeeds({ needs }: Pick<Node, 'needs'>): Node[] {
  return needs.flatMap((need) => (need.isOfNeeds ? [...need.needs, need] : [need]))
}

/** The shape of a step: one node, or several where a step passes on the shapes of its inputs or threads share it. */
export interface ShapeNodes {
  key: Key
  nodes: readonly Node[]
  /** Parts of the case that it can lie in. */
  parts: readonly string[]
  /** How many threads share its pieces for the values on it, where they are many. */
  shares?: number
}

/** The volume that a step yields. It is no node: its blocks are made by those who need them. */
export interface PlannedDomain {
  key: Key
  parts: readonly string[]
  reads: readonly StoredRef[]
  /** Nodes whose results its condition reads. */
  needs: readonly Node[]
}

/** What goes into a step. */
export interface PlannedInputs {
  keys: unknown[]
  /** Inputs that are taken as shapes. */
  shapes: ShapeNodes[]
  needs: Node[]
  /** Parts of the case that the result can lie in. */
  parts: string[]
  all: string[]
  reads: StoredRef[]
  hasDomain: boolean
}

/** Steps on top of each other. */
const MAX_CHAIN = 1000

/** Whether a kind takes regions as surfaces. */
export function takesShapes({ passesOn, takesOutside }: StepKind): boolean {
  return passesOn !== undefined || takesOutside === true
}

/** Whether an input is taken as a volume. */
export function isDomain(at: FramePlan, spec: InputSpec | undefined, input: PlannedInput, depth = 0): boolean {
  if (!spec || !spec.accepts.includes('region')) return false
  if ('step' in input) {
    const { kind } = at.step(input.step)
    const first = kind.inputs[0]
    // a circle is noticed where keys are made
    if (!yieldsVolumes(kind) || !first || depth > MAX_CHAIN) return false
    return at.inputs(input.step, first.name).some((inner) => isDomain(at, first, inner, depth + 1))
  }
  if (input.isOuter) return false
  return at.catalogue.parts.find(({ name }) => name === input.part)?.dimension === 3
}

export function missing(spec: InputSpec): DataError {
  return new DataError('no-input', spec.missing ?? `Nothing is chosen for “${spec.name}”; choose a part or a step.`)
}

export function withoutVariables(settings: Readonly<Record<string, unknown>>, variables: readonly string[]): Record<string, unknown> {
  return Object.fromEntries(Object.entries(settings).filter(([name]) => !variables.includes(name)))
}

/** Unit that a variable has on some parts, and the factors that bring plain fields to it. */
export function unitsOf(expressions: Expressions, variable: Expression, parts: readonly string[]): unknown {
  return parts.map((part) => expressions.fields(variable, part).map(({ name, unit }) => [part, name, unit]))
}

/** Into how many nodes work on the blocks of a volume is divided, and cells of the case for which one more is worth while. */
const MOST_SHARES = 8
const CELLS_A_SHARE = 200_000
/** Values on a shape are made faster than the shape: fewer nodes wait less for each other. */
const MOST_VALUE_SHARES = 4

export function sharesOf(nCells: number, most = MOST_SHARES): number {
  return Math.max(1, Math.min(most, Math.ceil(nCells / CELLS_A_SHARE)))
}

export function valueSharesOf(nCells: number): number {
  return sharesOf(nCells, MOST_VALUE_SHARES)
}

/** Only the outside of a volume is sent in chunks. */
export function inChunks({ shares }: ShapeNodes, had: Had = []): { had?: Had } {
  return shares ? { had } : {}
}
