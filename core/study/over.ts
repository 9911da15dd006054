/** What a reading or a curve is taken over: moments, values of a setting, cases, or several of these. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'

const closed = { additionalProperties: false }
const Id = Type.String({ pattern: '^[a-z][a-z0-9-]{0,60}$' })

const values = {
  is: Type.Literal('values'),
  from: Type.Number(),
  to: Type.Number(),
  count: Type.Integer({ minimum: 1, maximum: 10_000 }),
}

/** What takes the values: a setting of a step (`plane`: the place of a plane along its normal), or a constant of the study. */
export const settingValues = { ...values, step: Id, setting: Type.String({ maxLength: 60 }) }
export const constantValues = { ...values, formula: Id }

export const OverAxisSchema = Type.Union([
  Type.Object({ is: Type.Literal('moments') }, closed),
  Type.Object({ is: Type.Literal('cases') }, closed),
  Type.Object(settingValues, closed),
  Type.Object(constantValues, closed),
])

/** The first one runs slowest. */
export const OverSchema = Type.Array(OverAxisSchema, { minItems: 1, maxItems: 3 })

export type OverAxis = Static<typeof OverAxisSchema>
export type Over = Static<typeof OverSchema>

export type ValuesAxis = OverAxis & { is: 'values' }

/** What is not taken over values, in words. */
export const overWords = { moments: 'every moment', cases: 'every case' } as const

/** Values evenly from one end to the other. */
export function valuesOf({ from, to, count }: Pick<ValuesAxis, 'from' | 'to' | 'count'>): number[] {
  if (count === 1) return [(from + to) / 2]
  // without the last digits, which are those of the machine: the ends are met and constants are written as one would
  return Array.from({ length: count }, (_, i) => Number((from + ((to - from) * i) / (count - 1)).toPrecision(12)))
}
