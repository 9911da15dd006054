/** Stops a job; the rows it has stay. */
export default route(async (event, { jobs }) => {
  await jobs.cancel(idOf(event, 'no-job'))
  return {}
})
