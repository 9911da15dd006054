/** The history of a study. */
export default route(async (event, { studies }) => studies.revisions(idOf(event, 'no-study')))
