/** Keeps the look of a chart under a name. */
import { KeptTemplateSchema } from '../../../core/study/chart'

export default route(async (event, { chartTemplates }) => {
  await chartTemplates.keep(await bodyOf(event, KeptTemplateSchema, 'The look of a chart'))
  return {}
})
