/**
 * Computes targets of a plan and streams their answers as they are done (`core/evaluate/answers.ts`). A newer request of the same client
 * takes the place of this one, as does a closed connection.
 */
import type { ServerResponse } from 'node:http'
import { Type } from '@sinclair/typebox'
import { Cancelled } from '../../core/errors'
import { PlanSchema, TargetSchema } from '../../core/evaluate/plan'
import type { AnswerSink } from '../evaluate/Evaluations'

const Body = Type.Object(
  {
    /** Such as a tab; null for a request on its own. */
    client: Type.Union([Type.String({ maxLength: 200 }), Type.Null()]),
    plan: PlanSchema,
    targets: Type.Array(TargetSchema, { maxItems: 1000 }),
  },
  { additionalProperties: false },
)

export default route(async (event, services) => {
  const { client, plan, targets } = await bodyOf(event, Body, 'The request')
  const cases = await casesOf(
    services,
    plan,
    targets.map(({ frame }) => frame.case),
  )
  const { res } = event.node
  const closed = new AbortController()
  res.once('close', () => closed.abort())
  res.writeHead(200, { 'content-type': 'application/octet-stream', 'cache-control': 'no-store' })
  await services.evaluations.answer({ plan, targets, cases }, client, closed.signal, sinkOf(res, closed.signal))
  res.end()
})

/** Bytes are needed until they have been handed to the system. A write that fails means that the asker has gone. */
function sinkOf(res: ServerResponse, closed: AbortSignal): AnswerSink {
  return {
    write: (bytes) =>
      new Promise((resolve, reject) => {
        const gone = (): void => reject(new Cancelled('The connection is closed.'))
        if (closed.aborted) return gone()
        const buffer = Buffer.from(bytes.buffer as ArrayBuffer, bytes.byteOffset, bytes.byteLength)
        res.write(buffer, (error) => (error ? gone() : resolve()))
      }),
  }
}
