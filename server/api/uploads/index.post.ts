/** One file of an upload, as the raw body. */
import { getQuery } from 'h3'
import { storeUpload } from '../../work/sources'

export default route(async (event, { settings }) => {
  const { upload, name } = getQuery(event)
  return { file: await storeUpload(settings, String(upload), String(name), event.node.req) }
})
