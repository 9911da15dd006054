/** What a reading or a curve is taken over: moments, values of a setting, cases, or several of these. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'

const closed = { additionalProperties: false }
const Id = Type.String({ pattern: '^[a-z][a-z0-9-]{0,60}$' })

export const ValuesAxisSchema = Type.Object(
  {
    is: Type.Literal('values'),
    /** Step whose setting takes the values. */
    step: Id,
    /** `plane`: the place of a plane along its normal. */
    setting: Type.String({ maxLength: 60 }),
    from: Type.Number(),
    to: Type.Number(),
    count: Type.Integer({ minimum: 1, maximum: 10_000 }),
  },
  closed,
)

export const OverAxisSchema = Type.Union([
  Type.Object({ is: Type.Literal('moments') }, closed),
  Type.Object({ is: Type.Literal('cases') }, closed),
  ValuesAxisSchema,
])

/** The first one runs slowest. */
export const OverSchema = Type.Array(OverAxisSchema, { minItems: 1, maxItems: 3 })

export type OverAxis = Static<typeof OverAxisSchema>
export type Over = Static<typeof OverSchema>

/** Values evenly from one end to the other. */
export function valuesOf({ from, to, count }: Pick<OverAxis & { is: 'values' }, 'from' | 'to' | 'count'>): number[] {
  if (count === 1) return [(from + to) / 2]
  return Array.from({ length: count }, (_, i) => from + ((to - from) * i) / (count - 1))
}
