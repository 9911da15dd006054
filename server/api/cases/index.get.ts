/** All cases with their state and, while they are read, how far. */
export default route(async (_event, { cases, imports }) => {
  const rows = await cases.all()
  return rows.map((row) => ({ ...row, source: row.source.files, progress: imports.get(row.id)?.progress ?? null }))
})
