/**
 * Uploads: files come in pieces, each appended to the previous ones, so that an interrupted upload continues where it stopped.
 * Files of one upload share a folder, paths and all, so that they find each other.
 */
import { createWriteStream } from 'node:fs'
import { mkdir, readdir, rename, rm, stat } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import type { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { UserError } from '../../core/errors'
import type { Settings } from '../settings'

export interface UploadPiece {
  /** Names the upload: its folder. */
  upload: string
  /** Name of the file with its folders. */
  name: string
  /** Where the piece begins in the file, and the file's whole size. */
  offset: number
  total: number
}

/** Uploads that were not finished within this time are removed. */
const ABANDONED_MS = 3 * 24 * 3600 * 1000

function pathOf({ uploads }: Settings, upload: string, name: string): string {
  if (!/^[a-z0-9-]{4,60}$/.test(upload)) throw new UserError('bad-upload', 'The upload has no usable name; try again.')
  const isUsable = name.split('/').every((segment) => /^[^/\\\0]{1,200}$/.test(segment) && !segment.startsWith('.')) && name.length <= 1000
  if (!isUsable) throw new UserError('bad-name', `“${name}” is no usable file name; rename the file.`)
  return join(uploads, upload, name)
}

/** Bytes of a file that have arrived. */
export async function arrived(settings: Settings, upload: string, name: string): Promise<number> {
  const path = pathOf(settings, upload, name)
  const found = (await stat(path).catch(() => undefined)) ?? (await stat(`${path}.part`).catch(() => undefined))
  return found?.size ?? 0
}

/**
 * Adds a piece. The file appears under its name when it is whole.
 *
 * @returns its name below the folder of uploads
 * @throws UserError when the piece does not follow what has arrived, or did not come whole
 */
export async function storePiece(settings: Settings, { upload, name, offset, total }: UploadPiece, body: Readable): Promise<string> {
  const path = pathOf(settings, upload, name)
  if (!(Number.isSafeInteger(offset) && Number.isSafeInteger(total) && offset >= 0 && offset <= total))
    throw new UserError('bad-upload', `The upload of “${name}” does not say where its piece belongs; try again.`)
  await mkdir(dirname(path), { recursive: true })
  const before = await arrived(settings, upload, name)
  if (offset !== before)
    throw new UserError('offset', `Of “${name}” ${before} bytes have arrived, the next piece begins at ${offset}; upload it again.`)
  try {
    await pipeline(body, createWriteStream(`${path}.part`, { flags: offset === 0 ? 'w' : 'a' }))
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOSPC')
      throw new UserError('no-space', 'The disk of the server is full; free some space.')
    throw new UserError('upload-cut', `“${name}” did not arrive whole; upload it again to go on where it stopped.`)
  }
  const { size } = await stat(`${path}.part`)
  if (size > total) {
    await rm(`${path}.part`)
    throw new UserError('bad-upload', `“${name}” is longer than it was said to be; upload it again.`)
  }
  if (size === total) await rename(`${path}.part`, path)
  return `${upload}/${name}`
}

/** Gives an upload up. */
export async function dropUpload(settings: Settings, upload: string): Promise<void> {
  await rm(dirname(pathOf(settings, upload, 'any')), { recursive: true, force: true })
}

/** Removes what nobody went on with. */
export async function dropAbandoned({ uploads }: Settings, now = Date.now()): Promise<void> {
  for (const upload of await readdir(uploads)) {
    const folder = join(uploads, upload)
    const names = await readdir(folder, { recursive: true }).catch(() => [])
    for (const name of names.filter((n) => n.endsWith('.part'))) {
      const { mtimeMs } = await stat(join(folder, name))
      if (now - mtimeMs > ABANDONED_MS) await rm(join(folder, name))
    }
  }
}
