/** Looks for what was written to the files of a case since it was read. */
export default route(async (event, services) => ({ found: await services.lookAgain(idOf(event, 'no-case')) }))
