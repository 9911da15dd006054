/**
 * Runs one step over many frames. Each frame gives a row; rows that are known, from this job or another, are not computed again. A frame
 * that fails gives a row with a sentence.
 */
import type { Key } from '../digest'
import { Cancelled, UserError } from '../errors'

export interface JobRow {
  /** Place in the list of frames. */
  frame: number
  /** Of the outcome. */
  key: Key | null
  /** A reading or a curve as JSON; null where it failed. */
  value: unknown
  failure: string | null
}

/** Where rows are kept. */
export interface RowStore {
  /** Frames that have a row. */
  done(): Promise<Set<number>>
  /** What another frame or job has found under a key. */
  known(key: Key): Promise<unknown>
  add(rows: readonly JobRow[]): Promise<void>
}

export interface JobWork {
  total: number
  /** Frames that are computed at a time. */
  atOnce: number
  /** Key of a frame and how its outcome is computed. @throws UserError */
  frame(i: number): { key: Key; ask(): Promise<unknown> }
  /** Called when rows have been stored. */
  onRows(done: number): void
  signal: AbortSignal
}

/** Milliseconds between writes of rows. */
const WRITE_EVERY = 250

/** @throws Cancelled, and what the store throws */
export async function runJob(work: JobWork, store: RowStore): Promise<void> {
  const done = await store.done()
  const open = Array.from({ length: work.total }, (_, i) => i).filter((i) => !done.has(i))
  const waiting: JobRow[] = []
  let written = done.size
  let last = performance.now()
  const write = async (): Promise<void> => {
    const rows = waiting.splice(0)
    last = performance.now()
    if (!rows.length) return
    await store.add(rows)
    written += rows.length
    work.onRows(written)
  }
  let writing: Promise<void> = Promise.resolve()
  const runner = async (): Promise<void> => {
    for (let i = open.shift(); i !== undefined; i = open.shift()) {
      waiting.push(await rowOf(i, work, store))
      if (performance.now() - last >= WRITE_EVERY) writing = writing.then(write)
      await writing
    }
  }
  try {
    await Promise.all(Array.from({ length: work.atOnce }, runner))
  } finally {
    await write()
  }
}

async function rowOf(i: number, work: JobWork, store: RowStore): Promise<JobRow> {
  if (work.signal.aborted) throw new Cancelled('Cancelled.')
  let key: Key | null = null
  try {
    const frame = work.frame(i)
    key = frame.key
    const value = (await store.known(key)) ?? (await frame.ask())
    return { frame: i, key, value, failure: null }
  } catch (error) {
    if (!(error instanceof UserError)) throw error
    return { frame: i, key, value: null, failure: error.message }
  }
}

/** Rows in memory. */
export class MemoryRows implements RowStore {
  readonly rows: JobRow[] = []
  private readonly values = new Map<Key, unknown>()

  async done(): Promise<Set<number>> {
    return new Set(this.rows.map(({ frame }) => frame))
  }

  async known(key: Key): Promise<unknown> {
    return this.values.get(key)
  }

  async add(rows: readonly JobRow[]): Promise<void> {
    this.rows.push(...rows)
    for (const { key, value } of rows) if (key !== null && value !== null) this.values.set(key, value)
  }
}
