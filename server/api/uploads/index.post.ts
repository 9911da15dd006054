/** One piece of a file of an upload, as the raw body; the whole file when no place is given. */
import { getQuery } from 'h3'
import { storePiece } from '../../cases/uploads'

export default route(async (event, { settings }) => {
  const { upload, name, offset = 0, total } = getQuery(event)
  const size = Number(total ?? event.node.req.headers['content-length'] ?? NaN)
  return {
    file: await storePiece(settings, { upload: String(upload), name: String(name), offset: Number(offset), total: size }, event.node.req),
  }
})
