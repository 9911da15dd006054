/** A scratch file in memory. */
import type { ScratchFile } from '../../core/scratch'

export class MemoryScratch implements ScratchFile {
  private bytes = new Uint8Array(1 << 16)
  private end = 0
  isOpen = true

  append(bytes: Uint8Array): number {
    const at = this.end
    this.write(at, bytes)
    return at
  }

  write(at: number, bytes: Uint8Array): void {
    if (at + bytes.length > this.bytes.length) {
      const bigger = new Uint8Array(2 * (at + bytes.length))
      bigger.set(this.bytes)
      this.bytes = bigger
    }
    this.bytes.set(bytes, at)
    this.end = Math.max(this.end, at + bytes.length)
  }

  read(at: number, into: Uint8Array): void {
    if (!this.isOpen) throw new Error('a scratch file is read that was closed')
    into.set(this.bytes.subarray(at, at + into.length))
  }

  close(): void {
    this.isOpen = false
  }
}
