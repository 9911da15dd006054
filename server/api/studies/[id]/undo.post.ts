/** Undoes the author's last edit. */
import { Type } from '@sinclair/typebox'

const Body = Type.Object({ author: Type.String({ minLength: 1, maxLength: 60 }) }, { additionalProperties: false })

export default route(async (event, { studies, events }) => {
  const id = idOf(event, 'no-study')
  const revision = await studies.undo(id, (await bodyOf(event, Body, 'The author')).author)
  events.send({ study: id, type: 'revision', data: revision })
  return revision
})
