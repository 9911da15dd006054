/**
 * Stamps of source files, which reveal changes. A file is unchanged while its size and times are. Whether a larger file is the old one with
 * something appended is decided by digests of the ends of the old one.
 */
import { createHash } from 'node:crypto'
import { open, stat } from 'node:fs/promises'

/** Size, time of the last writing and of the last change in milliseconds, and the digest of both ends. */
export interface Stamp {
  size: number
  written: number
  changed: number
  ends: string
}

/** By name in the folder of the case. */
export type Stamps = Record<string, Stamp>

/** Bytes at each end that are digested. */
const END_BYTES = 4096

export async function stampOf(path: string): Promise<Stamp> {
  const { size, mtimeMs, ctimeMs } = await stat(path)
  return { size, written: mtimeMs, changed: ctimeMs, ends: await digestOfEnds(path, size) }
}

/** Of the first and the last bytes of the first `size` bytes of a file. */
async function digestOfEnds(path: string, size: number): Promise<string> {
  const file = await open(path, 'r')
  try {
    const n = Math.min(END_BYTES, size)
    const head = await file.read(new Uint8Array(n), 0, n, 0)
    const tail = await file.read(new Uint8Array(n), 0, n, size - n)
    return `${digest(head.buffer)} ${digest(tail.buffer)}`
  } finally {
    await file.close()
  }
}

function digest(bytes: Uint8Array): string {
  return createHash('sha1').update(bytes).digest('hex').slice(0, 20)
}

export async function exists(path: string): Promise<boolean> {
  return (await stat(path).catch(() => undefined)) !== undefined
}

/** Whether a file is as it was: of the same size and times. Where only its entry in the folder has changed, its ends tell. */
export async function isUnchanged(path: string, known: Stamp): Promise<boolean> {
  const found = await stat(path).catch(() => undefined)
  if (!found || found.size !== known.size || found.mtimeMs !== known.written) return false
  return found.ctimeMs === known.changed || (await digestOfEnds(path, found.size)) === known.ends
}

/** Whether a file is as it was but for what has been added behind: its beginning may differ, since it tells how much there is. */
export async function hasGrown(path: string, known: Stamp): Promise<boolean> {
  const found = await stat(path).catch(() => undefined)
  if (!found || found.size < known.size) return false
  if (await isUnchanged(path, known)) return true
  const [, tail] = (await digestOfEnds(path, known.size)).split(' ')
  return found.size > known.size && tail === known.ends.split(' ')[1]
}

export function sameStamp(a: Stamp, b: Stamp): boolean {
  return a.size === b.size && a.written === b.written && a.ends === b.ends
}
