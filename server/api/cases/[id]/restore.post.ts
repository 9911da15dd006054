/** Brings a case back that was taken out of the library. */
export default route(async (event, { cases }) => {
  await cases.setDeleted(idOf(event, 'no-case'), false)
  return {}
})
