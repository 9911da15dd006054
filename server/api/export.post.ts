/** A step as a file to keep, in an open format. */
import { Type } from '@sinclair/typebox'
import { setResponseHeader } from 'h3'
import { PlanSchema, TargetSchema } from '../../core/evaluate/plan'
import type { TargetOf } from '../../core/evaluate/plan'
import { UserError } from '../../core/errors'

const Body = Type.Object({ plan: PlanSchema, target: TargetSchema }, { additionalProperties: false })

export default route(async (event, services) => {
  const { plan, target } = await bodyOf(event, Body, 'The request')
  if (target.want !== 'file') throw new UserError('no-file', 'Only a file can be exported; ask for one.')
  const cases = await casesOf(services, plan, [target.frame.case])
  const closed = new AbortController()
  event.node.res.once('close', () => closed.abort())
  const bytes = await services.evaluations.file({ plan, targets: [], cases }, target as TargetOf<'file'>, closed.signal)
  setResponseHeader(event, 'Content-Type', 'application/octet-stream')
  return Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)
})
