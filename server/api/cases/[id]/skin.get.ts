/** The outer surface of a case as a packet: ready before the case is. */
import { setResponseHeader } from 'h3'

export default route(async (event, { store, cases }) => {
  setResponseHeader(event, 'Content-Type', 'application/octet-stream')
  const { id, generation } = await cases.get(idOf(event, 'no-case'))
  return store.file(id, generation, 'first-look.packet')
})
