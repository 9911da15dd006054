/** The outer surface of a case as a packet: ready before the case is. */
import { setResponseHeader } from 'h3'

export default route(async (event, { store }) => {
  setResponseHeader(event, 'Content-Type', 'application/octet-stream')
  return store.file(idOf(event, 'no-case'), 'first-look.packet')
})
