/** The catalogue of files, without bringing them in. */
import { Type } from '@sinclair/typebox'
import { lookInside } from '../../cases/lookInside'
import { sourceOf } from '../../cases/sources'

const Body = Type.Object(
  {
    folder: Type.String({ minLength: 1, maxLength: 300 }),
    files: Type.Array(Type.String({ minLength: 1, maxLength: 1000 }), { minItems: 1, maxItems: 100_000 }),
  },
  { additionalProperties: false },
)

export default route(async (event, { store, settings }) => {
  const { folder, files } = await bodyOf(event, Body, 'What to look into')
  return lookInside(store, await sourceOf(settings, folder, files))
})
