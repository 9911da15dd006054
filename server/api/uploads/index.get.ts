/** How much of a file has arrived, for going on with it. */
import { getQuery } from 'h3'
import { arrived } from '../../cases/uploads'

export default route(async (event, { settings }) => {
  const { upload, name } = getQuery(event)
  return { arrived: await arrived(settings, String(upload), String(name)) }
})
