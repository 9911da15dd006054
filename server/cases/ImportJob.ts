/** What the tasks of the importer share: the task, its progress, cancellation, and files that appear whole or not at all. */
import { randomUUID } from 'node:crypto'
import { open, rename, rm, statfs } from 'node:fs/promises'
import type { FileHandle } from 'node:fs/promises'
import { join } from 'node:path'
import { Cancelled, FormatError } from '../../core/errors'
import type { Sink } from '../../core/store/blockStore'
import type { ImportNews, ImportTask } from './messages'

export class ImportJob {
  private readonly signal: Int32Array
  /** The last message. */
  private share = 0

  constructor(readonly task: ImportTask) {
    this.signal = new Int32Array(task.signal)
  }

  check(): void {
    if (Atomics.load(this.signal, 0)) throw new Cancelled('Cancelled.')
  }

  tell(news: ImportNews): void {
    this.check()
    if (news.news === 'progress') this.share = news.share
    this.task.port.postMessage(news)
  }

  /** How far a long file is read, which says nothing of how far the whole is. */
  passing(name: string, share: number | undefined): void {
    this.tell({
      news: 'progress',
      share: this.share,
      what: share === undefined ? `reading ${name}` : `reading ${name}, ${Math.floor(100 * share)} %`,
    })
  }

  path(name: string): string {
    return join(this.task.store, name)
  }

  /** Writes bytes under a temporary name; the file appears whole or not at all. */
  async write<T>(name: string, fill: (append: Sink) => Promise<T>): Promise<T> {
    // two servers may store the same at once
    const temporary = this.path(`${name}.${randomUUID()}.part`)
    let handle: FileHandle | undefined
    try {
      handle = await open(temporary, 'w')
      const sink = handle
      // the next bytes are made while these are written
      let pending = Promise.resolve()
      const append = async (bytes: Uint8Array): Promise<void> => {
        await pending
        pending = sink.writeFile(bytes)
        // the next job or the code below reports the failure
        pending.catch(() => undefined)
      }
      const result = await fill({ append })
      await pending
      await handle.close()
      handle = undefined
      await rename(temporary, this.path(name))
      return result
    } catch (error) {
      await handle?.close()
      await rm(temporary, { force: true })
      throw diskError(error)
    }
  }

  /** A stored file and then its index, which means that the file is whole. */
  async writeIndexed<T>(file: string, fill: (append: Sink) => Promise<T>): Promise<T> {
    const index = await this.write(file, fill)
    await this.write(`${file}.json`, (sink) => sink.append(new TextEncoder().encode(JSON.stringify(index))))
    return index
  }

  /** Says what the store needs before anything is written. @throws FormatError when the disk has not so much left */
  async reserve(bytes: number): Promise<void> {
    const { bavail, bsize } = await statfs(this.task.store)
    const free = bavail * bsize
    this.tell({ news: 'progress', share: 0, what: `storing it takes about ${inWords(bytes)} of disk` })
    if (bytes > free)
      throw new FormatError(
        'no-space',
        `Storing this takes about ${inWords(bytes)} of disk, but only ${inWords(free)} are free; free some space or set STAVIK_DATA ` +
          `to another disk.`,
      )
  }
}

/** Bytes as people say them. */
export function inWords(bytes: number): string {
  return bytes >= 2 ** 30 ? `${(bytes / 2 ** 30).toFixed(1)} GiB` : `${Math.ceil(bytes / 2 ** 20)} MiB`
}

function diskError(error: unknown): unknown {
  const { code } = error as NodeJS.ErrnoException
  if (code === 'ENOSPC') return new FormatError('no-space', 'The disk is full; free some space or set STAVIK_DATA to another disk.')
  return error
}
