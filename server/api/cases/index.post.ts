/** Brings a file, or several as one series, in as a case. */
import { Type } from '@sinclair/typebox'
import { sourceOf } from '../../cases/sources'

const Body = Type.Object(
  {
    name: Type.String({ minLength: 1, maxLength: 200 }),
    folder: Type.String({ minLength: 1, maxLength: 300 }),
    files: Type.Array(Type.String({ minLength: 1, maxLength: 1000 }), { minItems: 1, maxItems: 100_000 }),
  },
  { additionalProperties: false },
)

export default route(async (event, services) => {
  const { name, folder, files } = await bodyOf(event, Body, 'What to bring in')
  return { id: await services.bringIn(name, await sourceOf(services.settings, folder, files)) }
})
