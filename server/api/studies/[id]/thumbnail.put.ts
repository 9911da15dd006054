/** Keeps a small picture of a study, drawn by its workbench. */
import { readRawBody } from 'h3'
import { UserError } from '../../../../core/errors'

const MAX_BYTES = 400_000
const PNG = Buffer.from([0x89, 0x50, 0x4e, 0x47])

export default route(async (event, { studies }) => {
  const id = idOf(event, 'no-study')
  const png = await readRawBody(event, false)
  if (!png || png.length > MAX_BYTES || !png.subarray(0, 4).equals(PNG))
    throw new UserError('bad-picture', 'A thumbnail must be a PNG below 400 kB.')
  await studies.get(id)
  await studies.setThumbnail(id, png)
  return {}
})
