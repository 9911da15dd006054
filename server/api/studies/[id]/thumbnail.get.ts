/** The picture of a study in the library. */
import { createError, setResponseHeaders } from 'h3'

export default route(async (event, { studies }) => {
  const png = await studies.thumbnail(idOf(event, 'no-study'))
  if (!png) throw createError({ statusCode: 404 })
  setResponseHeaders(event, { 'Content-Type': 'image/png', 'Cache-Control': 'no-cache' })
  return png
})
