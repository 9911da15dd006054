/** Looks of charts that are kept, by name. */
export default route(async (_event, { chartTemplates }) => chartTemplates.all())
