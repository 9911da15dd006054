/** Brings a study back that was taken out of the library. */
export default route(async (event, { studies, events }) => {
  await studies.setDeleted(idOf(event, 'no-study'), false)
  events.send({ type: 'studies', data: {} })
  return {}
})
