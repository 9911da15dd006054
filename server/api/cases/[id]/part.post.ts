/** One part of a case with chosen fields as a file to keep, in an open format. */
import { createReadStream } from 'node:fs'
import { rm } from 'node:fs/promises'
import { Type } from '@sinclair/typebox'
import { sendStream, setResponseHeader } from 'h3'

const Body = Type.Object(
  {
    part: Type.String({ minLength: 1, maxLength: 500 }),
    fields: Type.Array(Type.String({ minLength: 1, maxLength: 500 }), { maxItems: 200 }),
    moment: Type.Integer({ minimum: 0 }),
    format: Type.Union(['vtu', 'vtp', 'stl', 'ply', 'csv'].map((format) => Type.Literal(format))),
  },
  { additionalProperties: false },
)

export default route(async (event, services) => {
  const { part, fields, moment, format } = await bodyOf(event, Body, 'The request')
  const path = await services.store.exportPart(await services.current(idOf(event, 'no-case')), part, fields, moment, format)
  setResponseHeader(event, 'Content-Type', 'application/octet-stream')
  const stream = createReadStream(path)
  stream.once('close', () => void rm(path, { force: true }))
  return sendStream(event, stream)
})
