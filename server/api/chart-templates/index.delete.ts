/** Removes a look of charts that was kept; the browser can keep it again. */
import { Type } from '@sinclair/typebox'

const Body = Type.Object({ name: Type.String({ minLength: 1, maxLength: 100 }) }, { additionalProperties: false })

export default route(async (event, { chartTemplates }) => {
  const { name } = await bodyOf(event, Body, 'The name of a look')
  await chartTemplates.remove(name)
  return {}
})
