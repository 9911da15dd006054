/** A study with its revision, and the cases it uses. */
export default route(async (event, { studies, cases, imports }) => {
  const { document, revision } = await studies.get(idOf(event, 'no-study'))
  const attached = []
  for (const { case: id } of Object.values(document.cases)) {
    const row = await cases.get(id).catch(() => null)
    attached.push(row ? { id, name: row.name, state: row.state, failure: row.failure, catalogue: row.catalogue, progress: imports.get(id)?.progress ?? null } : { id, name: '', state: 'gone', failure: null, catalogue: null, progress: null })
  }
  return { document, revision, cases: attached }
})
