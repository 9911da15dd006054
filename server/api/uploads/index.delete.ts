/** Gives an upload up: what has arrived of it is removed. */
import { getQuery } from 'h3'
import { dropUpload } from '../../cases/uploads'

export default route(async (event, { settings }) => {
  await dropUpload(settings, String(getQuery(event)['upload']))
  return {}
})
