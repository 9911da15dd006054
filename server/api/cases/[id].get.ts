/** One case with its state and, while it is read, how far. */
export default route(async (event, { cases, imports }) => {
  const id = idOf(event, 'no-case')
  const row = await cases.get(id)
  return { ...row, source: row.source.files, progress: imports.get(id)?.progress ?? null }
})
