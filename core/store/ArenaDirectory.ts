/**
 * The directory of the arena: its entries, their pages, and which entries are evicted. It is stored in the shared memory itself and
 * changed only under its lock.
 */
export const PAGE_BYTES = 2 ** 16

/** 128 bits. */
export type ArenaKey = readonly [number, number, number, number]

/** @param digits  32 hexadecimal ones, see `digest.ts` */
export function arenaKey(digits: string): ArenaKey {
  const word = (at: number): number => parseInt(digits.slice(at, at + 8), 16) | 0
  return [word(0), word(8), word(16), word(24)]
}

/** No run of unpinned pages is long enough. */
export class NoRoom extends Error {}

/** Words of the header. */
const LOCK = 0
const CLOCK = 1
const N_ENTRIES = 2
const N_PAGES = 3
const FIRST_PAGE = 4
const N_BUCKETS = 5
const FREE_ENTRY = 6
const STRICT = 7
const STAMP = 8
const ENTRIES_AT = 16

/** Words of an entry; the first four are its key. */
const WORDS = 16
export const STATE = 4
export const FILLER = 5
export const PINS = 6
const LAST_USE = 7
const PAGE = 8
export const PAGES = 9
const BYTES = 10
const NEXT = 11
export const MADE = 12
export const KIND = 13

/** States. */
export const FREE = 0
export const FILLING = 1
export const READY = 2

/** Blocks can be read again at any time; in strict mode they are overwritten as soon as nobody pins them. */
export type EntryKind = 'block' | 'result'

/** Pins are one bit a thread. */
export const MAX_THREADS = 32

export interface ArenaOptions {
  /** Tests: overwrite blocks at once when they are released, so that a view that was kept too long shows. */
  isStrict?: boolean
}

/** Makes the memory of an arena; its size is fixed, and only pages that are used become resident. */
export function makeArenaMemory(bytes: number, { isStrict = false }: ArenaOptions = {}): WebAssembly.Memory {
  const all = Math.max(4, Math.floor(bytes / PAGE_BYTES))
  const words = (n: number): number => ENTRIES_AT + n * WORDS + 2 * n + n
  const head = Math.ceil((4 * words(all)) / PAGE_BYTES)
  const memory = new WebAssembly.Memory({ initial: all, maximum: all, shared: true })
  const n = all - head
  const i32 = new Int32Array(memory.buffer, 0, words(n))
  i32[N_ENTRIES] = n
  i32[N_PAGES] = n
  i32[FIRST_PAGE] = head
  i32[N_BUCKETS] = 2 * n
  i32[STRICT] = Number(isStrict)
  i32.fill(-1, ENTRIES_AT + n * WORDS)
  for (let e = 0; e < n; e++) i32[ENTRIES_AT + e * WORDS + NEXT] = e + 1 < n ? e + 1 : -1
  i32[FREE_ENTRY] = 0
  return memory
}

/** Layout of the memory, and the changes that are made under the lock. */
export class ArenaDirectory {
  readonly i32: Int32Array
  readonly nEntries: number
  readonly nPages: number
  private readonly buckets: number
  private readonly map: number

  constructor(
    readonly memory: WebAssembly.Memory,
    readonly thread: number,
  ) {
    const head = new Int32Array(memory.buffer, 0, ENTRIES_AT)
    this.nEntries = head[N_ENTRIES]!
    this.nPages = head[N_PAGES]!
    this.buckets = ENTRIES_AT + this.nEntries * WORDS
    this.map = this.buckets + head[N_BUCKETS]!
    this.i32 = new Int32Array(memory.buffer, 0, this.map + this.nPages)
  }

  /** Pages that entries take. */
  usedPages(): number {
    let n = 0
    for (let p = 0; p < this.nPages; p++) if (this.i32[this.map + p]! >= 0) n++
    return n
  }

  locked<T>(work: () => T): T {
    const { i32, thread } = this
    for (;;) {
      const holder = Atomics.compareExchange(i32, LOCK, 0, thread + 1)
      if (holder === 0) break
      Atomics.wait(i32, LOCK, holder, 1)
    }
    try {
      return work()
    } finally {
      Atomics.store(i32, LOCK, 0)
      Atomics.notify(i32, LOCK, 1)
    }
  }

  /** Frees the lock of a thread that has ended, if it held it. */
  freeLock(thread: number): void {
    Atomics.compareExchange(this.i32, LOCK, thread + 1, 0)
  }

  find(key: ArenaKey): number {
    let e = this.i32[this.bucketOf(key)]!
    while (e >= 0 && !this.hasKey(e, key)) e = this.word(e, NEXT)
    return e
  }

  /** A new entry that is being made by this thread. @throws NoRoom */
  begin(key: ArenaKey, kind: EntryKind): number {
    const e = this.freeEntry()
    for (let i = 0; i < 4; i++) this.set(e, i, key[i]!)
    this.set(e, PINS, 0)
    this.set(e, PAGES, 0)
    this.set(e, FILLER, this.thread)
    this.set(e, KIND, kind === 'block' ? 1 : 0)
    const bucket = this.bucketOf(key)
    this.set(e, NEXT, this.i32[bucket]!)
    this.i32[bucket] = e
    Atomics.store(this.i32, this.at(e, STATE), FILLING)
    return e
  }

  /** Gives pages to an entry that is being made. @returns the first byte; -1 when there is no room */
  allot(e: number, bytes: number): number {
    const pages = Math.max(1, Math.ceil(bytes / PAGE_BYTES))
    const page = this.makeRoom(pages)
    if (page < 0) return -1
    this.set(e, PAGE, page)
    this.set(e, PAGES, pages)
    this.set(e, BYTES, bytes)
    this.i32.fill(e, this.map + page, this.map + page + pages)
    return this.byteOf(page)
  }

  /** Marks the entry as complete. */
  publish(e: number): void {
    this.set(e, MADE, ++this.i32[STAMP]!)
    this.set(e, FILLER, -1)
    Atomics.store(this.i32, this.at(e, STATE), READY)
    Atomics.notify(this.i32, this.at(e, STATE))
  }

  touch(e: number): void {
    this.set(e, LAST_USE, ++this.i32[CLOCK]!)
  }

  /** Whether blocks are overwritten as soon as nobody pins them. */
  get isStrict(): boolean {
    return this.i32[STRICT] === 1
  }

  bytesOf(e: number): Uint8Array<ArrayBuffer> {
    return new Uint8Array(this.memory.buffer as unknown as ArrayBuffer, this.byteOf(this.word(e, PAGE)), this.word(e, BYTES) >>> 0)
  }

  /** Overwrites all pages of an entry. */
  spoil(e: number): void {
    new Uint8Array(this.memory.buffer, this.byteOf(this.word(e, PAGE)), this.word(e, PAGES) * PAGE_BYTES).fill(0xff)
  }

  evict(e: number): void {
    const page = this.map + this.word(e, PAGE)
    this.i32.fill(-1, page, page + this.word(e, PAGES))
    this.set(e, PAGES, 0)
    const bucket = this.bucketOf(this.keyOf(e))
    if (this.i32[bucket] === e) this.i32[bucket] = this.word(e, NEXT)
    else {
      let before = this.i32[bucket]!
      while (before >= 0 && this.word(before, NEXT) !== e) before = this.word(before, NEXT)
      if (before >= 0) this.set(before, NEXT, this.word(e, NEXT))
    }
    this.set(e, NEXT, this.i32[FREE_ENTRY]!)
    this.i32[FREE_ENTRY] = e
    Atomics.store(this.i32, this.at(e, STATE), FREE)
    Atomics.notify(this.i32, this.at(e, STATE))
  }

  private freeEntry(): number {
    if (this.i32[FREE_ENTRY]! < 0) this.makeRoom(1)
    const e = this.i32[FREE_ENTRY]!
    if (e < 0) throw new NoRoom('no entry is free')
    this.i32[FREE_ENTRY] = this.word(e, NEXT)
    return e
  }

  /** Rebuilds page map, hash table and free list from the entries: the dead thread may have stopped within a change. */
  rebuild(): void {
    const n = this.nEntries
    this.i32.fill(-1, this.buckets)
    this.i32[FREE_ENTRY] = -1
    for (let e = n - 1; e >= 0; e--) {
      if (this.word(e, STATE) === FREE) {
        this.set(e, PAGES, 0)
        this.set(e, NEXT, this.i32[FREE_ENTRY]!)
        this.i32[FREE_ENTRY] = e
        Atomics.notify(this.i32, this.at(e, STATE))
        continue
      }
      const bucket = this.bucketOf(this.keyOf(e))
      this.set(e, NEXT, this.i32[bucket]!)
      this.i32[bucket] = e
      const page = this.map + this.word(e, PAGE)
      this.i32.fill(e, page, page + this.word(e, PAGES))
    }
  }

  /** First of so many consecutive pages without pins, emptied; -1 when there are none. */
  private makeRoom(pages: number): number {
    const best = this.oldestRun(pages)
    if (best < 0) return -1
    for (let p = best; p < best + pages; p++) {
      const e = this.i32[this.map + p]!
      if (e >= 0) this.evict(e)
    }
    return best
  }

  /** The run of pages whose newest use is oldest, by a sliding maximum over the page map (Lemire, Nordic J. Comp. 13, 2006). */
  private oldestRun(pages: number): number {
    const { i32, map, nPages } = this
    const queue = new Int32Array(Math.min(nPages, pages + 1))
    const uses = new Int32Array(queue.length)
    const size = queue.length
    let head = 0
    let length = 0
    let from = 0
    let best = -1
    let oldest = Infinity
    for (let p = 0; p < nPages; p++) {
      const e = i32[map + p]!
      if (e >= 0 && (this.word(e, STATE) === FILLING || this.word(e, PINS) !== 0)) {
        length = 0
        from = p + 1
        continue
      }
      const use = e < 0 ? 0 : this.word(e, LAST_USE)
      while (length && uses[(head + length - 1) % size]! <= use) length--
      queue[(head + length) % size] = p
      uses[(head + length) % size] = use
      length++
      const start = p - pages + 1
      if (start < from) continue
      while (queue[head]! < start) {
        head = (head + 1) % size
        length--
      }
      if (uses[head]! >= oldest) continue
      oldest = uses[head]!
      best = start
      if (oldest === 0) return best
    }
    return best
  }

  at(e: number, word: number): number {
    return ENTRIES_AT + e * WORDS + word
  }

  word(e: number, word: number): number {
    return this.i32[ENTRIES_AT + e * WORDS + word]!
  }

  set(e: number, word: number, value: number): void {
    this.i32[ENTRIES_AT + e * WORDS + word] = value
  }

  private hasKey(e: number, key: ArenaKey): boolean {
    return this.word(e, 0) === key[0] && this.word(e, 1) === key[1] && this.word(e, 2) === key[2] && this.word(e, 3) === key[3]
  }

  private keyOf(e: number): ArenaKey {
    return [this.word(e, 0), this.word(e, 1), this.word(e, 2), this.word(e, 3)]
  }

  private bucketOf(key: ArenaKey): number {
    const h = (key[0] ^ Math.imul(key[1], 0x85ebca6b) ^ Math.imul(key[2], 0xc2b2ae35) ^ Math.imul(key[3], 0x9e3779b1)) >>> 0
    return this.buckets + (h % this.i32[N_BUCKETS]!)
  }

  /** First byte of a page; a product, since shifts have 31 bits only. */
  private byteOf(page: number): number {
    return (this.i32[FIRST_PAGE]! + page) * PAGE_BYTES
  }
}
