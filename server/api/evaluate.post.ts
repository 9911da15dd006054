/**
 * Computes a step: its shape and values as a packet, or a reading, curve, range or probe as JSON. A newer request of the
 * same slot cancels this one, as does a closed connection.
 */
import { Type } from '@sinclair/typebox'
import { setResponseHeader } from 'h3'
import { VectorSchema } from '../../core/steps/vectors'
import { PlanSchema } from '../../core/study/plan'

const Wanted = Type.Union([
  Type.Object({ what: Type.Literal('result'), haveShape: Type.Union([Type.String(), Type.Null()]) }),
  Type.Object({ what: Type.Literal('reading') }),
  Type.Object({ what: Type.Literal('curve') }),
  Type.Object({ what: Type.Literal('range'), moments: Type.Array(Type.Integer()) }),
  Type.Object({ what: Type.Literal('probe'), at: VectorSchema, parts: Type.Array(Type.String(), { maxItems: 1000 }) }),
])
const Body = Type.Object(
  { plan: PlanSchema, wanted: Wanted, slot: Type.Union([Type.String({ maxLength: 200 }), Type.Null()]) },
  { additionalProperties: false },
)

export default route(async (event, services) => {
  const { plan, wanted, slot } = await bodyOf(event, Body, 'The request')
  checkSteps(plan)
  const stored = await services.ready(plan.case)
  if (slot !== null) event.node.res.once('close', () => event.node.res.writableEnded || services.evaluations.cancel(slot))
  const start = performance.now()
  const result = await services.evaluations.evaluate(stored, plan, wanted, slot)
  setResponseHeader(event, 'Server-Timing', `compute;dur=${(performance.now() - start).toFixed(1)}`)
  if (!('packet' in result)) return 'json' in result ? result.json : null
  setResponseHeader(event, 'Content-Type', 'application/octet-stream')
  return Buffer.from(result.packet.buffer, result.packet.byteOffset, result.packet.byteLength)
})
