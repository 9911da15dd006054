/** Appends an edit to a study and tells all its tabs. */
import { Type } from '@sinclair/typebox'
import { PatchSchema } from '../../../../core/study/patches'

const Body = Type.Object(
  {
    base: Type.Integer({ minimum: 0 }),
    patches: Type.Array(PatchSchema, { minItems: 1, maxItems: 5000 }),
    inverse: Type.Array(PatchSchema, { maxItems: 5000 }),
    title: Type.String({ minLength: 1, maxLength: 200 }),
    author: Type.String({ minLength: 1, maxLength: 60 }),
  },
  { additionalProperties: false },
)

export default route(async (event, { studies, events }) => {
  const id = idOf(event, 'no-study')
  const revision = await studies.edit(id, await bodyOf(event, Body, 'The edit'))
  events.send({ study: id, type: 'revision', data: revision })
  return revision
})
