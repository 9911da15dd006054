/**
 * A plan: what the server needs to compute one step of a study on one case. Ids are resolved to the case's own names;
 * looks are left out.
 */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'

/** Input of a step: a part by its name in the case, the outer surface of a region, or another step. */
export const PlanInputSchema = Type.Union([
  Type.Object({ part: Type.String() }, { additionalProperties: false }),
  Type.Object({ outer: Type.String() }, { additionalProperties: false }),
  Type.Object({ step: Type.String() }, { additionalProperties: false }),
])

export const PlanStepSchema = Type.Object(
  {
    kind: Type.String(),
    inputs: Type.Record(Type.String(), Type.Array(PlanInputSchema, { maxItems: 1000 })),
    settings: Type.Record(Type.String(), Type.Unknown()),
  },
  { additionalProperties: false },
)

export const PlanSchema = Type.Object(
  {
    case: Type.String({ format: 'uuid' }),
    moment: Type.Integer({ minimum: 0 }),
    steps: Type.Record(Type.String(), PlanStepSchema),
    /** Formula texts by name. */
    formulas: Type.Record(Type.String(), Type.String({ maxLength: 10_000 })),
    /** Names of the case's fields by the names the study uses. */
    fields: Type.Record(Type.String(), Type.String()),
    target: Type.String(),
    /** Variable whose values are wanted on the target, by its name in formulas; null for the shape alone. */
    variable: Type.Union([Type.String(), Type.Null()]),
  },
  { additionalProperties: false },
)

export type PlanInput = Static<typeof PlanInputSchema>
export type PlanStep = Static<typeof PlanStepSchema>
export type Plan = Static<typeof PlanSchema>
