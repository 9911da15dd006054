/** A step as a file to keep, in an open format. */
import { Type } from '@sinclair/typebox'
import { setResponseHeader } from 'h3'
import { shapeFormats } from '../../core/formats/write/shape'
import { PlanSchema } from '../../core/study/plan'

const Body = Type.Object(
  {
    plan: PlanSchema,
    format: Type.Union(shapeFormats.map((format) => Type.Literal(format))),
    /** Names of fields and formulas. */
    variables: Type.Array(Type.String({ maxLength: 500 }), { maxItems: 200 }),
    name: Type.String({ minLength: 1, maxLength: 200 }),
  },
  { additionalProperties: false },
)

export default route(async (event, services) => {
  const { plan, ...file } = await bodyOf(event, Body, 'The request')
  checkSteps(plan)
  const result = await services.evaluations.evaluate(await services.ready(plan.case), plan, { what: 'file', ...file }, null)
  const { packet } = result as { packet: Uint8Array }
  setResponseHeader(event, 'Content-Type', 'application/octet-stream')
  return Buffer.from(packet.buffer, packet.byteOffset, packet.byteLength)
})
