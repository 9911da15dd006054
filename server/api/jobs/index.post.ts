/** Begins a job in the background, or finds the one that was asked for before. */
import { Type } from '@sinclair/typebox'
import { FrameSchema, PlanSchema } from '../../../core/evaluate/plan'
import { OverSchema } from '../../../core/study/over'

const Body = Type.Object(
  { plan: PlanSchema, step: Type.String({ maxLength: 500 }), over: OverSchema, base: FrameSchema },
  { additionalProperties: false },
)

export default route(async (event, { jobs }) => jobs.start(await bodyOf(event, Body, 'The request')))
