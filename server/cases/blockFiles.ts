/** Files of stored cases, read at once: for threads that compute. Files stay open while they are used. */
import { closeSync, openSync, readFileSync, readSync } from 'node:fs'
import { join } from 'node:path'
import type { CaseFiles } from '../../core/store/StoredCase'

/** Open files, and indices kept at a time. */
const KEPT = 128

export class BlockFiles implements CaseFiles {
  private readonly handles = new Map<string, number>()
  private readonly indices = new Map<string, unknown>()
  /** Bytes read so far. */
  bytesRead = 0

  /** @param folder  of a generation of a case */
  constructor(private readonly folder: string) {}

  read(file: string, start: number, into: Uint8Array): void {
    const handle = this.open(file)
    for (let at = 0; at < into.length;) {
      const n = readSync(handle, into, at, Math.min(into.length - at, 2 ** 30), start + at)
      if (n === 0) throw new Error(`${file} ends too early`)
      at += n
    }
    this.bytesRead += into.length
  }

  index<T>(file: string): T | undefined {
    const known = this.indices.get(file)
    if (known) return known as T
    let text: string
    try {
      // the file may have been removed for room while its index is remembered: without it there is no index, either
      text = readFileSync(join(this.folder, `${file}.json`), 'utf8')
      this.open(file)
    } catch {
      return undefined
    }
    const index = JSON.parse(text) as T
    this.indices.set(file, index)
    if (this.indices.size > KEPT) this.indices.delete(this.indices.keys().next().value!)
    return index
  }

  close(): void {
    for (const handle of this.handles.values()) closeSync(handle)
    this.handles.clear()
    this.indices.clear()
  }

  private open(file: string): number {
    let handle = this.handles.get(file)
    if (handle !== undefined) this.handles.delete(file)
    else handle = openSync(join(this.folder, file), 'r')
    this.handles.set(file, handle)
    if (this.handles.size > KEPT) {
      const [oldest, old] = this.handles.entries().next().value!
      this.handles.delete(oldest)
      closeSync(old)
    }
    return handle
  }
}
