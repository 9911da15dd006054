/** A study with its revision, and the cases it uses. */
export default route(async (event, { studies, cases, imports }) => {
  const { document, revision } = await studies.get(idOf(event, 'no-study'))
  const attached = []
  for (const { case: id } of Object.values(document.cases)) {
    const row = await cases.get(id).catch(() => null)
    const progress = imports.get(id)?.progress ?? null
    if (row)
      attached.push({
        id,
        name: row.name,
        state: row.state,
        failure: row.failure,
        catalogue: row.catalogue,
        progress,
        version: row.version,
      })
    else attached.push({ id, name: '', state: 'gone', failure: null, catalogue: null, progress: null, version: 0 })
  }
  return { document, revision, cases: attached }
})
