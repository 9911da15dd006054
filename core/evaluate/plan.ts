/**
 * The input of evaluation: a plan, which is a study without its looks, and targets, each of a step in a frame.
 *
 * A frame is a case, a moment and tokens whose values override those of the study; a request may contain several frames.
 */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import type { Catalogue } from '../case/catalogue'
import { VectorSchema } from '../mesh/vectors'
import { shapeFormats } from '../formats/write/shape'
import { AxesSchema, FormulaSchema, StepSchema, StudyPartSchema, VariableSchema } from '../study/studyModel'
import { MOST_CHUNKS } from './chunks'
import { stepKind } from '../steps'
import type { Step, Study } from '../study/studyModel'

const closed = { additionalProperties: false }
const Id = Type.String({ maxLength: 500 })

/** A part, the outer surface of a region, or another step. */
const InputRefSchema = Type.Union([
  Type.Object({ part: Id }, closed),
  Type.Object({ outer: Id }, closed),
  Type.Object({ step: Id }, closed),
])

const PlanStepSchema = Type.Object(
  {
    kind: StepSchema.properties.kind,
    inputs: Type.Record(Type.String(), Type.Array(InputRefSchema, { maxItems: 1000 })),
    settings: StepSchema.properties.settings,
    cases: StepSchema.properties.cases,
  },
  closed,
)

export const PlanSchema = Type.Object(
  {
    /** Ids of cases by their ids in the study. */
    cases: Type.Record(Id, Type.String({ format: 'uuid' })),
    /** What formulas call them, where there are several. */
    caseNames: Type.Optional(Type.Record(Id, Type.String({ maxLength: 200 }))),
    parts: Type.Record(Id, Type.Pick(StudyPartSchema, ['name', 'binding'], closed)),
    variables: Type.Record(Id, Type.Pick(VariableSchema, ['name', 'binding'], closed)),
    formulas: Type.Record(Id, Type.Pick(FormulaSchema, ['name', 'text'], closed)),
    axes: Type.Optional(Type.Record(Id, Type.Omit(AxesSchema, ['rank'], closed))),
    steps: Type.Record(Id, PlanStepSchema),
  },
  closed,
)

export const FrameSchema = Type.Object(
  {
    /** Id of the case in the study. */
    case: Id,
    moment: Type.Integer({ minimum: 0 }),
    /** Overridden settings, by `step.setting`. */
    tokens: Type.Optional(Type.Record(Type.String({ maxLength: 200 }), Type.Unknown())),
    /** Overridden constants of the study, by the ids of their formulas, each in the unit that stands there. */
    constants: Type.Optional(Type.Record(Id, Type.Number())),
  },
  closed,
)

/** Seen now, an exhibit, what is likely to be wanted next, or a row of a job. */
export const priorities = { seen: 0, exhibit: 1, ahead: 2, job: 3 } as const

const Priority = Type.Integer({ minimum: 0, maximum: 2 })
const Variables = Type.Array(Id, { maxItems: 200 })

export const TargetSchema = Type.Union([
  Type.Object(
    {
      want: Type.Literal('picture'),
      step: Id,
      frame: FrameSchema,
      /** Variables whose values are wanted on the shape. */
      variables: Variables,
      /** Key of the shape that the asker has. */
      have: Type.Optional(Type.String({ maxLength: 64 })),
      /** Names of the chunks of that shape, empty ones for those without: what the asker has is not sent again. */
      haveChunks: Type.Optional(Type.Array(Type.String({ maxLength: 64 }), { maxItems: MOST_CHUNKS })),
      /** Names of the values (`of` in their answers) that the asker has on that shape. */
      haveValues: Type.Optional(Type.Array(Type.String({ maxLength: 64 }), { maxItems: 200 })),
      /** Values as vectors and tensors instead of their magnitudes. */
      isWhole: Type.Optional(Type.Boolean()),
      /** A vector variable whose values are wanted as vectors besides. */
      vectors: Type.Optional(Id),
      priority: Priority,
    },
    closed,
  ),
  Type.Object({ want: Type.Literal('outcome'), step: Id, frame: FrameSchema, priority: Priority }, closed),
  Type.Object({ want: Type.Literal('range'), frame: FrameSchema, variable: Id, priority: Priority }, closed),
  Type.Object(
    { want: Type.Literal('probe'), frame: FrameSchema, at: VectorSchema, parts: Type.Array(Id, { maxItems: 1000 }), priority: Priority },
    closed,
  ),
  Type.Object(
    {
      want: Type.Literal('file'),
      step: Id,
      frame: FrameSchema,
      format: Type.Union(shapeFormats.map((format) => Type.Literal(format))),
      variables: Variables,
      name: Type.String({ minLength: 1, maxLength: 200 }),
      priority: Priority,
    },
    closed,
  ),
])

export type Plan = Static<typeof PlanSchema>
export type PlanStep = Static<typeof PlanStepSchema>
export type InputRef = Static<typeof InputRefSchema>
export type Frame = Static<typeof FrameSchema>
export type Target = Static<typeof TargetSchema>
export type TargetOf<W extends Target['want']> = Extract<Target, { want: W }>

/** The parts of a study that results depend on. */
export function planOf({ cases, parts, variables, formulas, axes, steps }: Study): Plan {
  const each = <T, U>(map: Record<string, T>, pick: (entry: T) => U): Record<string, U> =>
    Object.fromEntries(Object.entries(map).map(([id, entry]) => [id, pick(entry)]))
  return {
    cases: each(cases, (entry) => entry.case),
    ...(Object.keys(cases).length > 1 && { caseNames: each(cases, (entry) => entry.name) }),
    parts: each(parts, ({ name, binding }) => ({ name, binding })),
    variables: each(variables, ({ name, binding }) => ({ name, binding })),
    formulas: each(formulas, ({ name, text }) => ({ name, text })),
    ...(Object.keys(axes).length && { axes: each(axes, ({ rank: _, ...own }) => own) }),
    steps: each(steps, (step) => ({
      ...{ kind: step.kind, inputs: step.inputs, settings: computedSettings(step) },
      ...(step.cases && { cases: each(step.cases, (own) => computedSettings({ ...step, settings: own })) }),
    })),
  }
}

/** Settings without those that only the drawing uses: changing these asks for nothing. */
function computedSettings({ kind, settings, isMuted }: Step): Step['settings'] {
  const { drawnSettings, moves } = stepKind(kind)
  if (!drawnSettings || (!isMuted && moves?.(settings))) return settings
  return Object.fromEntries(Object.entries(settings).filter(([name]) => !drawnSettings.includes(name)))
}

/** A plan without steps, in which parts and fields are called as in the case; `case` stands for the case itself. */
export function plainPlan(id: string, { parts, fields }: Pick<Catalogue, 'parts' | 'fields'>): Plan {
  return {
    cases: { case: id },
    parts: Object.fromEntries(parts.map(({ name }) => [name, { name, binding: { case: [name] } }])),
    variables: Object.fromEntries(fields.map(({ name }) => [name, { name, binding: { case: { field: name } } }])),
    formulas: {},
    steps: {},
  }
}
