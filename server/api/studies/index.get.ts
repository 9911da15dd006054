/** All studies, last changed first. */
export default route(async (_event, { studies }) => studies.all())
