/** Takes a study out of the library; `restore` brings it back. */
export default route(async (event, { studies, events }) => {
  const id = idOf(event, 'no-study')
  await studies.get(id)
  await studies.setDeleted(id, true)
  events.send({ type: 'studies', data: {} })
  return {}
})
