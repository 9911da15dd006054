/**
 * One shared memory for blocks, shapes and values, used by any number of threads.
 *
 *     header, directory of entries, hash table, page map    at the start
 *     pages of 64 KiB                                       the rest
 *
 * An entry is one packet (`packet.ts`) under a key of 128 bits, in consecutive pages. Any thread finds, makes and evicts entries under
 * one lock; without asking the main thread. An entry that is being made is `filling`: other threads that want it wait for it instead
 * of making it again. An entry that is pinned by a thread is not evicted; views on it are valid only while the scope that pinned it is
 * open (`within`, `hold`).
 *
 * Room is made by evicting the run of pages without pins whose newest use is oldest: O(pages), 0.1 ms at 1 GiB. Without such a run the
 * call ends as NoRoom; no thread waits for room while it holds pins.
 */
import { ArenaDirectory, FILLER, FILLING, FREE, KIND, MADE, NoRoom, PAGE_BYTES, PAGES, PINS, READY, STATE } from './ArenaDirectory'
import type { ArenaKey, EntryKind } from './ArenaDirectory'
import { decodePacket } from './packet'
import type { Packet } from './packet'

export { arenaKey, makeArenaMemory, NoRoom, PAGE_BYTES } from './ArenaDirectory'
export type { ArenaKey } from './ArenaDirectory'

/** A thread that waits for another looks this often whether it was cancelled, in milliseconds. */
const LOOK_UP = 50

/** Pinned entries, released together. */
class Scope {
  readonly entries: number[] = []
}

export class Arena {
  private readonly directory: ArenaDirectory
  /** How often this thread has pinned each entry. */
  private readonly counts: Int32Array
  /** Decoded packets by entry; a stamp tells whether the entry still holds the same packet. */
  private readonly decoded = new Map<number, { stamp: number; packet: Packet }>()
  private scope = new Scope()
  private readonly bit: number

  /** @param thread  number of this thread, below MAX_THREADS; no two share one */
  constructor(memory: WebAssembly.Memory, thread: number) {
    this.directory = new ArenaDirectory(memory, thread)
    this.counts = new Int32Array(this.directory.nEntries)
    this.bit = 1 << thread
  }

  /** Bytes that entries may take. */
  get size(): number {
    return this.directory.nPages * PAGE_BYTES
  }

  /** Pages that entries take. */
  usedPages(): number {
    return this.directory.usedPages()
  }

  /** Whether an entry is there and whole. It may be evicted right afterwards. */
  has(key: ArenaKey): boolean {
    return this.directory.locked(() => {
      const e = this.directory.find(key)
      return e >= 0 && this.directory.word(e, STATE) === READY
    })
  }

  /** The packet under a key, pinned in the current scope; undefined when it is not there or not whole. */
  get<Meta>(key: ArenaKey): Packet<Meta> | undefined {
    const e = this.directory.locked(() => this.pinReady(key))
    return e < 0 ? undefined : (this.decode(e) as Packet<Meta>)
  }

  /** Bytes of the packet under a key, pinned in the current scope; undefined when it is not there. */
  bytes(key: ArenaKey): Uint8Array | undefined {
    const e = this.directory.locked(() => this.pinReady(key))
    return e < 0 ? undefined : this.directory.bytesOf(e)
  }

  /**
   * The packet under a key, pinned in the current scope. Where there is none, `fill` makes it: it asks once for room and writes the
   * packet there. While one thread makes it the others wait.
   *
   * @param check  called while waiting and before the entry appears; throws to cancel, and then nothing is left of it
   * @throws NoRoom
   */
  obtain<Meta>(
    key: ArenaKey,
    kind: EntryKind,
    fill: (take: (bytes: number) => Uint8Array<ArrayBuffer>) => void,
    check: () => void,
  ): Packet<Meta> {
    for (;;) {
      const [e, found] = this.directory.locked(() => this.findOrBegin(key, kind))
      if (found === 'begun') this.make(e, fill, check)
      if (found !== 'waiting') return this.decode(e) as Packet<Meta>
      Atomics.wait(this.directory.i32, this.directory.at(e, STATE), FILLING, LOOK_UP)
      check()
    }
  }

  /** Runs `work`; what it pins is released at its end. */
  within<T>(work: () => T): T {
    const outer = this.scope
    const own = (this.scope = new Scope())
    try {
      return work()
    } finally {
      this.scope = outer
      this.release(own)
    }
  }

  /** Keeps what `load` pins until `release` is called. */
  hold<T>(load: () => T): { value: T; release(): void } {
    const outer = this.scope
    const own = (this.scope = new Scope())
    try {
      return { value: load(), release: () => this.release(own) }
    } catch (error) {
      this.release(own)
      throw error
    } finally {
      this.scope = outer
    }
  }

  /** Releases everything that this thread has pinned. */
  releaseAll(): void {
    this.scope = new Scope()
    this.directory.locked(() => {
      for (let e = 0; e < this.counts.length; e++) {
        if (!this.counts[e]) continue
        this.counts[e] = 0
        this.unpin(e)
      }
    })
  }

  /** Pins of all threads; 0 when nothing is in use. */
  pinned(): number {
    let n = 0
    for (let e = 0; e < this.counts.length; e++) if (this.directory.word(e, STATE) !== FREE && this.directory.word(e, PINS) !== 0) n++
    return n
  }

  /** Cleans up after a thread that has ended: its lock, its pins, and entries it was filling. */
  bury(thread: number): void {
    this.directory.freeLock(thread)
    this.directory.locked(() => {
      const n = this.counts.length
      for (let e = 0; e < n; e++) {
        Atomics.and(this.directory.i32, this.directory.at(e, PINS), ~(1 << thread))
        if (this.directory.word(e, STATE) === FILLING && this.directory.word(e, FILLER) === thread) this.directory.set(e, STATE, FREE)
      }
      this.directory.rebuild()
    })
  }

  private make(e: number, fill: (take: (bytes: number) => Uint8Array<ArrayBuffer>) => void, check: () => void): void {
    try {
      fill((bytes) => this.take(e, bytes))
      check()
      if (!this.directory.word(e, PAGES)) throw new Error('nothing was written under this key')
    } catch (error) {
      this.directory.locked(() => {
        this.counts[e] = 0
        this.directory.set(e, PINS, 0)
        const at = this.scope.entries.lastIndexOf(e)
        if (at >= 0) this.scope.entries.splice(at, 1)
        this.directory.evict(e)
      })
      throw error
    }
    this.directory.locked(() => this.directory.publish(e))
  }

  /** Allocates the pages of the current entry. */
  private take(e: number, bytes: number): Uint8Array<ArrayBuffer> {
    if (this.directory.locked(() => this.directory.allot(e, bytes)) < 0) throw new NoRoom(`${bytes} bytes`)
    return this.directory.bytesOf(e)
  }

  /** The entry of a key: pinned when it is ready; begun by this thread and pinned when there is none; else another thread makes it. */
  private findOrBegin(key: ArenaKey, kind: EntryKind): [number, 'ready' | 'begun' | 'waiting'] {
    const found = this.directory.find(key)
    if (found >= 0 && this.directory.word(found, STATE) === READY) {
      this.pin(found)
      return [found, 'ready']
    }
    if (found >= 0) {
      if (this.directory.word(found, FILLER) === this.directory.thread) throw new Error('an entry asks for itself while it is made')
      return [found, 'waiting']
    }
    const e = this.directory.begin(key, kind)
    this.pin(e)
    return [e, 'begun']
  }

  private pinReady(key: ArenaKey): number {
    const e = this.directory.find(key)
    if (e < 0 || this.directory.word(e, STATE) !== READY) return -1
    this.pin(e)
    return e
  }

  private pin(e: number): void {
    this.directory.touch(e)
    this.scope.entries.push(e)
    if (this.counts[e]!++ === 0) Atomics.or(this.directory.i32, this.directory.at(e, PINS), this.bit)
  }

  private release({ entries }: Scope): void {
    if (!entries.length) return
    this.directory.locked(() => {
      for (const e of entries.splice(0)) {
        // `releaseAll` may have been called meanwhile
        if (this.counts[e]! > 0 && --this.counts[e]! === 0) this.unpin(e)
      }
    })
  }

  private unpin(e: number): void {
    const { directory } = this
    Atomics.and(directory.i32, directory.at(e, PINS), ~this.bit)
    if (!directory.isStrict || directory.word(e, KIND) !== 1 || directory.word(e, PINS) !== 0 || directory.word(e, STATE) !== READY) return
    directory.spoil(e)
    directory.evict(e)
  }

  /** Views on the packet of a pinned entry. */
  private decode(e: number): Packet {
    const stamp = this.directory.word(e, MADE)
    const known = this.decoded.get(e)
    if (known?.stamp === stamp) return known.packet
    const { buffer, byteOffset, byteLength } = this.directory.bytesOf(e)
    const packet = decodePacket(buffer, byteOffset, byteOffset + byteLength)
    this.decoded.set(e, { stamp, packet })
    return packet
  }
}
