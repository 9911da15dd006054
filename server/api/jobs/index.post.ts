/** Begins a job in the background, or finds the one that was asked for before. */
import { Type } from '@sinclair/typebox'
import { FrameSchema, PlanSchema } from '../../../core/evaluate/plan'
import { OverSchema } from '../../../core/study/over'

const closed = { additionalProperties: false }
const Id = Type.String({ maxLength: 500 })
const Of = Type.Union([Type.Object({ step: Id }, closed), Type.Object({ variable: Id }, closed)])
const Body = Type.Object({ plan: PlanSchema, of: Of, over: OverSchema, base: FrameSchema }, closed)

export default route(async (event, { jobs }) => jobs.start(await bodyOf(event, Body, 'The request')))
