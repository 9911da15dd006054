/** Removes a look of charts that was kept; the browser can keep it again. */
import { Type } from '@sinclair/typebox'
import { KeptTemplateSchema } from '../../../core/study/chart'

export default route(async (event, { chartTemplates }) => {
  const { name } = await bodyOf(event, Type.Pick(KeptTemplateSchema, ['name'], { additionalProperties: false }), 'The name of a look')
  await chartTemplates.remove(name)
  return {}
})
