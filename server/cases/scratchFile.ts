/** A scratch file on disk, gone when it is closed. */
import { randomUUID } from 'node:crypto'
import { closeSync, mkdirSync, openSync, readSync, rmSync, writeSync } from 'node:fs'
import { join } from 'node:path'
import { FormatError } from '../../core/errors'
import type { ScratchFile } from '../../core/scratch'

export class DiskScratch implements ScratchFile {
  private readonly handle: number
  private end = 0
  private isOpen = true

  constructor(
    readonly path: string,
    flags = 'w+',
  ) {
    this.handle = openSync(path, flags)
  }

  /** The file of another thread, which removes it in the end. */
  static existing(path: string): DiskScratch {
    return new DiskScratch(path, 'r+')
  }

  /** One without a name: gone as well when the process ends. */
  static unnamed(folder: string): DiskScratch {
    mkdirSync(folder, { recursive: true })
    const file = new DiskScratch(join(folder, `scratch-${randomUUID()}`))
    rmSync(file.path)
    return file
  }

  append(bytes: Uint8Array): number {
    const at = this.end
    this.write(at, bytes)
    return at
  }

  write(at: number, bytes: Uint8Array): void {
    for (let done = 0; done < bytes.length;) done += writeSync(this.handle, bytes, done, bytes.length - done, at + done)
    this.end = Math.max(this.end, at + bytes.length)
  }

  read(at: number, into: Uint8Array): void {
    for (let done = 0; done < into.length;) {
      const n = readSync(this.handle, into, done, into.length - done, at + done)
      if (n === 0)
        throw new FormatError('scratch', 'A scratch file of the store became shorter while it was used; bring the case in again.')
      done += n
    }
  }

  close(): void {
    // closed twice, the handle might be that of another file
    if (!this.isOpen) return
    this.isOpen = false
    closeSync(this.handle)
    rmSync(this.path, { force: true })
  }
}
