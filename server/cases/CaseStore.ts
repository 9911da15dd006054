/**
 * The stored cases, seen from the main thread: reads cases, and makes sure that meshes and fields are in the store before somebody
 * computes with them. Imports, field reads for evaluations, and looks into files have separate threads, so that none waits
 * for another.
 */
import { randomUUID } from 'node:crypto'
import { open, readdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { MessageChannel } from 'node:worker_threads'
import type { Piscina } from 'piscina'
import type { Catalogue } from '../../core/case/catalogue'
import { Cancelled, DataError, errorFromData, UserError } from '../../core/errors'
import type { ErrorData } from '../../core/errors'
import type { StoredRef } from '../../core/evaluate/Expressions'
import { fieldFile, meshFile, storedKey } from '../../core/store/storeKeys'
import type { MeshIndex } from '../../core/store/blockStore'
import { DiskBudget } from './DiskBudget'
import { CHANGED } from './files'
import type { CaseSource, ImportNews, ImportTask, TaskAnswer, TaskParts } from './messages'
import { exists, hasGrown, isUnchanged, sameStamp, stampOf } from './stamps'
import type { Stamps } from './stamps'

/** A case that can be computed on, as it is now. */
export interface CaseEntry {
  id: string
  /** Changes whenever it is imported again: nothing of an older generation is used. */
  generation: string
  source: CaseSource
  catalogue: Catalogue
}

export interface RunningImport {
  done: Promise<Catalogue>
  cancel(): void
}

/** Threads that read sources: for imports, for fields that evaluations need, and for catalogues. */
export interface ImportPools {
  importer: Piscina
  reader: Piscina
  looker: Piscina
}

/** One reading that may be waited for by several. */
interface Reading {
  done: Promise<void>
  cancel(): void
  askers: number
}

const STAMPS = 'sources.json'
/** Milliseconds after which nobody writes to a half written file any more. */
const ABANDONED = 3_600_000

export class CaseStore {
  private readonly readings = new Map<string, Reading>()
  /** Files that are known to be stored whole. */
  private readonly stored = new Set<string>()
  private readonly stamps = new Map<string, Promise<Stamps>>()
  private readonly disk: DiskBudget
  /** Called when the files of a case have changed. */
  onChanged: (caseId: string) => void = () => undefined

  /** @param budget  bytes: `import` for a whole case, `reading` for fields that evaluations need, `disk` for the store */
  constructor(
    private readonly root: string,
    private readonly pools: ImportPools,
    private readonly budget: { import: number; reading: number; disk: number },
  ) {
    this.disk = new DiskBudget(root, budget.disk)
  }

  folder(caseId: string, generation: string): string {
    return join(this.root, caseId, generation)
  }

  /** Reads a new case. Its folder is removed when it fails or is cancelled. */
  start(id: string, generation: string, source: CaseSource, onNews: (news: ImportNews) => void): RunningImport {
    const { result, cancel } = this.run({ task: 'case', source, generation, store: this.folder(id, generation) }, onNews)
    const done = result.then(
      async ({ result: catalogue, stamps }) => {
        await this.take(id, generation, stamps)
        return catalogue as Catalogue
      },
      async (error: unknown) => {
        await this.remove(id)
        throw error
      },
    )
    return { done, cancel }
  }

  /** The current contents of the source. */
  async look(source: CaseSource): Promise<Catalogue> {
    const { result } = await this.run({ task: 'catalogue', source, generation: '', store: join(this.root, 'look') }).result
    return result as Catalogue
  }

  /** Keys that tell the meshes of all moments apart, read in full. */
  async meshKeys({ id, generation, source, catalogue }: CaseEntry): Promise<string[]> {
    const { result } = await this.run({ task: 'versions', source, catalogue, generation, store: this.folder(id, generation) }).result
    return result as string[]
  }

  /**
   * Makes sure that a mesh or field is in the store; it is read when it is not.
   *
   * @param isDoubted  it was not found there although it should be
   * @throws UserError when the case has no such field; Cancelled when the signal aborts
   */
  async ensure(entry: CaseEntry, moment: number, ref: StoredRef, signal: AbortSignal, isDoubted = false): Promise<void> {
    const file = fileOf(entry, moment, ref)
    const path = join(this.folder(entry.id, entry.generation), file)
    this.disk.touch(entry.id, join(entry.generation, file))
    if (isDoubted) this.stored.delete(path)
    if (this.stored.has(path)) return
    if (await this.isStored(path)) {
      this.stored.add(path)
      return
    }
    if (ref.field !== null) await this.ensure(entry, moment, { part: ref.part, field: null }, signal)
    // the meshes of all parts are read together
    const { topology, coordinates } = entry.catalogue.moments[moment]!
    const name = ref.field === null ? `${entry.id} ${entry.generation} mesh ${topology} ${coordinates}` : path
    await this.wait(name, signal, () =>
      ref.field === null ? this.readMesh(entry, moment) : this.readField(entry, moment, ref.part, ref.field, path),
    )
    this.stored.add(path)
  }

  private async isStored(path: string): Promise<boolean> {
    const handle = await open(`${path}.json`, 'r').catch(() => undefined)
    await handle?.close()
    return handle !== undefined
  }

  /** Waits for a reading, begun if nobody else has; it stops when nobody waits any more. */
  private async wait(name: string, signal: AbortSignal, begin: () => Pick<Reading, 'done' | 'cancel'>): Promise<void> {
    if (signal.aborted) throw new Cancelled('Cancelled.')
    let reading = this.readings.get(name)
    if (!reading) {
      const begun = begin()
      const own: Reading = {
        ...begun,
        askers: 0,
        done: begun.done.finally(() => void (this.readings.get(name) === own && this.readings.delete(name))),
      }
      own.done.catch(() => undefined)
      this.readings.set(name, (reading = own))
    }
    const waited = reading
    waited.askers++
    const leave = (reject: (error: unknown) => void): void => {
      if (--waited.askers === 0) {
        if (this.readings.get(name) === waited) this.readings.delete(name)
        waited.cancel()
      }
      reject(new Cancelled('Cancelled.'))
    }
    await new Promise<void>((resolve, reject) => {
      const abort = (): void => leave(reject)
      signal.addEventListener('abort', abort, { once: true })
      waited.done.then(resolve, reject).finally(() => signal.removeEventListener('abort', abort))
    })
  }

  private readMesh(entry: CaseEntry, moment: number): Pick<Reading, 'done' | 'cancel'> {
    const { id, generation, source, catalogue } = entry
    const { result, cancel } = this.run({ task: 'mesh', source, generation, store: this.folder(id, generation), catalogue, moment })
    return { done: this.taken(entry, result), cancel }
  }

  private readField(entry: CaseEntry, moment: number, part: string, field: string, path: string): Pick<Reading, 'done' | 'cancel'> {
    const { id, generation, source, catalogue } = entry
    const store = this.folder(id, generation)
    let stop: (() => void) | undefined
    let isStopped = false
    const read = async (): Promise<void> => {
      const file = fileOf(entry, moment, { part, field: null })
      const index = JSON.parse(await readFile(join(store, `${file}.json`), 'utf8')) as MeshIndex
      if (isStopped) throw new Cancelled('Cancelled.')
      const { result, cancel } = this.run({
        task: 'field',
        source,
        generation,
        store,
        catalogue,
        part,
        field,
        moment,
        mesh: { file, index },
      })
      stop = cancel
      await this.taken(entry, result)
      await this.disk.trim(async (caseId, gone) => void this.stored.delete(join(this.root, caseId, gone)))
    }
    return {
      done: read().catch(async (error: unknown) => {
        await this.drop(path)
        throw error
      }),
      cancel: () => {
        isStopped = true
        stop?.()
      },
    }
  }

  /** Discards what was read if the files changed during the reading. */
  private async taken(entry: CaseEntry, result: Promise<TaskAnswer>): Promise<void> {
    try {
      const { stamps } = await result
      await this.take(entry.id, entry.generation, stamps)
    } catch (error) {
      if (error instanceof UserError && error.code === CHANGED) this.onChanged(entry.id)
      throw error
    }
  }

  private async drop(path: string): Promise<void> {
    await rm(`${path}.json`, { force: true })
    await rm(path, { force: true })
  }

  /** Remembers the stamps of files that were read. @throws UserError when one was read before and was another then */
  private async take(id: string, generation: string, found: Stamps): Promise<void> {
    const known = await this.knownStamps(id, generation)
    const before = Object.keys(known).length
    for (const [name, stamp] of Object.entries(found)) {
      if (known[name] && !sameStamp(known[name], stamp)) throw changed(name)
      known[name] = stamp
    }
    if (Object.keys(known).length > before) await this.writeStamps(id, generation, known)
  }

  private knownStamps(id: string, generation: string): Promise<Stamps> {
    const folder = this.folder(id, generation)
    let known = this.stamps.get(folder)
    if (!known) {
      known = readFile(join(folder, STAMPS), 'utf8').then(
        (text) => JSON.parse(text) as Stamps,
        () => ({}),
      )
      this.stamps.set(folder, known)
    }
    return known
  }

  private async writeStamps(id: string, generation: string, stamps: Stamps): Promise<void> {
    const path = join(this.folder(id, generation), STAMPS)
    const own = `${path}.${randomUUID()}.part`
    // without it a change is noticed less well, but nothing is wrong
    await writeFile(own, JSON.stringify(stamps))
      .then(() => rename(own, path))
      .catch(() => undefined)
  }

  /** Whether the files that a case was read from are as they were. @param isThorough  by their contents at both ends, too */
  async isUnchanged({ id, generation, source }: CaseEntry, isThorough: boolean): Promise<boolean> {
    const known = Object.entries(await this.knownStamps(id, generation))
    const same = await Promise.all(
      known.map(async ([name, stamp]) => {
        const path = join(source.folder, name)
        // missing files cannot be read again: what was stored of them is kept
        if (!(await exists(path))) return true
        if (!(await isUnchanged(path, stamp))) return false
        return !isThorough || (await stampOf(path).catch(() => undefined))?.ends === stamp.ends
      }),
    )
    return same.every(Boolean)
  }

  /** Whether they are as they were but for what was added behind. Then they count as they are now. */
  async haveGrown({ id, generation, source }: CaseEntry): Promise<boolean> {
    const known = await this.knownStamps(id, generation)
    const names = Object.keys(known)
    const grown = await Promise.all(names.map((name) => hasGrown(join(source.folder, name), known[name]!)))
    if (!grown.every(Boolean)) return false
    for (const name of names) known[name] = await stampOf(join(source.folder, name))
    await this.writeStamps(id, generation, known)
    return true
  }

  /** Writes a part to a temporary file in the store, which the caller deletes. @returns its path */
  async exportPart(entry: CaseEntry, part: string, fields: string[], moment: number, ending: string): Promise<string> {
    const { id, generation, source, catalogue } = entry
    const store = this.folder(id, generation)
    const file = join(store, `export-${randomUUID()}.${ending}`)
    await this.taken(entry, this.run({ task: 'export', source, generation, store, catalogue, part, fields, moment, file }).result)
    return file
  }

  /** Bytes of a whole small file of the store, such as the first look. */
  async file(caseId: string, generation: string, name: string): Promise<Buffer> {
    const bytes = await readFile(join(this.folder(caseId, generation), name)).catch(() => undefined)
    if (!bytes) throw new DataError('not-ready', 'The case has not been read so far yet; wait a moment.')
    return bytes
  }

  /** Removes the stored data of a case, or of some of its generations. */
  async remove(caseId: string, generations?: readonly string[]): Promise<void> {
    const folder = join(this.root, caseId)
    const gone = generations?.map((generation) => join(folder, generation)) ?? [folder]
    const isGone = (path: string): boolean => gone.some((prefix) => path.startsWith(prefix))
    for (const path of this.stored) if (isGone(path)) this.stored.delete(path)
    for (const path of this.stamps.keys()) if (isGone(path)) this.stamps.delete(path)
    for (const path of gone) await rm(path, { recursive: true, force: true })
  }

  /** Removes what a killed server left half written; what another one may be writing stays. */
  async sweep(caseId: string, generation: string): Promise<void> {
    const folder = this.folder(caseId, generation)
    for (const name of await readdir(folder).catch(() => [])) {
      if (!/\.part$|^scratch-|^export-/.test(name)) continue
      const { mtimeMs } = await stat(join(folder, name)).catch(() => ({ mtimeMs: Infinity }))
      if (Date.now() - mtimeMs > ABANDONED) await rm(join(folder, name), { force: true })
    }
  }

  private run(task: ImportJob, onNews?: (news: ImportNews) => void): { result: Promise<TaskAnswer>; cancel(): void } {
    const { port1, port2 } = new MessageChannel()
    const signal = new SharedArrayBuffer(4)
    if (onNews) port1.on('message', onNews)
    const isWanted = task.task === 'field'
    const full = { ...task, budget: isWanted ? this.budget.reading : this.budget.import, signal, port: port2 } as ImportTask
    const { importer, reader, looker } = this.pools
    const pool = task.task === 'catalogue' ? looker : isWanted ? reader : importer
    const result = (pool.run(full, { transferList: [port2] }) as Promise<TaskAnswer | { error: ErrorData }>).then((answer) => {
      if ('error' in answer) throw errorFromData(answer.error)
      return answer
    })
    return { result: result.finally(() => port1.close()), cancel: () => void Atomics.store(new Int32Array(signal), 0, 1) }
  }
}

function changed(name: string): UserError {
  return new UserError(CHANGED, `${name} has changed since the case was read; it is read anew.`)
}

/** @throws DataError when the case has no such part or field at the moment */
function fileOf({ catalogue, generation }: CaseEntry, moment: number, { part, field }: StoredRef): string {
  const key = storedKey(catalogue, generation, moment, part, field)
  if (key !== undefined) return field === null ? meshFile(key) : fieldFile(key)
  if (field === null) throw new DataError('no-part', `The case has no part “${part}” at this moment.`)
  throw new DataError('no-field', `${part} has no field “${field}” at this moment.`)
}

/** A task without what every task is given by the store. */
type Without<T, K extends PropertyKey> = T extends unknown ? Omit<T, K> : never
type ImportJob = Without<ImportTask, Exclude<keyof TaskParts, 'source' | 'store' | 'generation'>>
