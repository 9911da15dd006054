/** Cancels the reading of a case, or takes a read one out of the library; `restore` brings it back. */
export default route(async (event, { cases, imports }) => {
  const id = idOf(event, 'no-case')
  const running = imports.get(id)
  if (running) {
    running.running.cancel()
    return { cancelled: true }
  }
  await cases.get(id)
  await cases.setDeleted(id, true)
  return { cancelled: false }
})
