/** Keeps the look of a chart under a name. */
import { Type } from '@sinclair/typebox'
import { ChartTemplateSchema } from '../../../core/study/chart'

const Body = Type.Object(
  { name: Type.String({ minLength: 1, maxLength: 100 }), template: ChartTemplateSchema },
  { additionalProperties: false },
)

export default route(async (event, { chartTemplates }) => {
  const { name, template } = await bodyOf(event, Body, 'The look of a chart')
  await chartTemplates.keep(name, template)
  return {}
})
