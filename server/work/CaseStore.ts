/**
 * The stored cases, seen from the main thread: makes sure that meshes and fields are in the store, and lends their
 * blocks as shared memory within one byte budget.
 */
import { randomUUID } from 'node:crypto'
import { open, rm } from 'node:fs/promises'
import type { FileHandle } from 'node:fs/promises'
import { join } from 'node:path'
import { MessageChannel } from 'node:worker_threads'
import type { Piscina } from 'piscina'
import { DataError, errorFromData } from '../../core/errors'
import type { ErrorData } from '../../core/errors'
import type { FieldIndex, MeshIndex } from '../../core/store/blockStore'
import type { Catalogue } from '../../core/study/caseModel'
import { ByteCache } from './ByteCache'
import { countShared } from './collect'
import { DiskBudget } from './DiskBudget'
import { SIGNAL } from './messages'
import type { CaseSource, ImportNews, ImportTask, StoredField, StoredMesh } from './messages'
import { fieldFile, meshFile, readIndex } from './storeFiles'

export interface StoredCase {
  id: string
  source: CaseSource
  catalogue: Catalogue
}

export interface RunningImport {
  done: Promise<Catalogue>
  cancel(): void
}

export class CaseStore {
  private readonly blocks: ByteCache<SharedArrayBuffer>
  private readonly meshes = new Map<string, Promise<StoredMesh>>()
  private readonly fields = new Map<string, Promise<StoredField>>()
  private readonly files = new Map<string, Promise<FileHandle>>()
  private readonly reads = new Map<string, Promise<SharedArrayBuffer>>()
  private readonly disk: DiskBudget

  constructor(
    private readonly root: string,
    private readonly pools: ImportPools,
    private readonly budget: { blocks: number; import: number; disk: number },
  ) {
    this.blocks = new ByteCache(budget.blocks)
    this.disk = new DiskBudget(root, budget.disk)
  }

  folder(caseId: string): string {
    return join(this.root, caseId)
  }

  /** Reads a new case. Its folder is removed when it fails or is cancelled. */
  start(id: string, source: CaseSource, onNews: (news: ImportNews) => void): RunningImport {
    const { result, cancel } = this.run({ task: 'case', source, store: this.folder(id) }, onNews)
    const done = result.then(
      (value) => (value as { catalogue: Catalogue }).catalogue,
      async (error: unknown) => {
        await this.remove(id)
        throw error
      },
    )
    return { done, cancel }
  }

  /** What the source holds now, read anew. */
  async look(source: CaseSource): Promise<Catalogue> {
    const found = await this.run({ task: 'catalogue', source, store: this.root }).result
    return (found as { catalogue: Catalogue }).catalogue
  }

  /** Keys that tell the meshes of all moments apart, read in full. */
  async meshKeys({ source, catalogue }: StoredCase): Promise<string[]> {
    return ((await this.run({ task: 'versions', source, catalogue, store: this.root }).result) as { keys: string[] }).keys
  }

  /** The mesh of a part at a moment; stored first when it is not yet. */
  mesh(stored: StoredCase, part: string, moment: number): Promise<StoredMesh> {
    const { catalogue } = stored
    const at = catalogue.parts.findIndex((p) => p.name === part)
    const version = catalogue.moments[moment]?.topology
    if (at < 0 || version === undefined) return Promise.reject(new DataError('no-part', `The case has no part “${part}” at this moment.`))
    const file = meshFile(at, version)
    return once(this.meshes, `${stored.id} ${file}`, async () => {
      const path = join(this.folder(stored.id), file)
      let index = await readIndex<MeshIndex>(path)
      if (!index) {
        await this.run({ task: 'mesh', source: stored.source, store: this.folder(stored.id), catalogue, moment }).result
        index = await readIndex<MeshIndex>(path)
      }
      return { file, index: index! }
    })
  }

  /** Values of a field on a part at a moment; stored first when they are not yet. */
  field(stored: StoredCase, part: string, field: string, moment: number): Promise<StoredField> {
    const { catalogue } = stored
    const at = catalogue.parts.findIndex((p) => p.name === part)
    const entry = catalogue.fields.findIndex((f) => f.name === field && f.parts.includes(part))
    if (entry < 0 || !catalogue.fields[entry]!.moments.includes(moment)) {
      return Promise.reject(new DataError('no-field', `${part} has no field “${field}” at this moment.`))
    }
    const file = fieldFile(at, entry, moment)
    this.disk.touch(stored.id, file)
    return once(this.fields, `${stored.id} ${file}`, async () => {
      const index = await readIndex<FieldIndex>(join(this.folder(stored.id), file))
      if (index) return { file, index }
      const mesh = await this.mesh(stored, part, moment)
      const task = { task: 'field' as const, source: stored.source, store: this.folder(stored.id), catalogue, part, field, moment, mesh }
      const written = (await this.run(task).result) as StoredField
      await this.disk.trim((caseId, gone) => this.forget(caseId, gone))
      return written
    })
  }

  /** Writes a part to a file of its own in the store, which the caller takes away. @returns its path */
  async exportPart({ id, source, catalogue }: StoredCase, part: string, fields: string[], moment: number, ending: string): Promise<string> {
    const file = join(this.folder(id), `export-${randomUUID()}.${ending}`)
    await this.run({ task: 'export', source, store: this.folder(id), catalogue, part, fields, moment, file }).result
    return file
  }

  private async forget(caseId: string, file: string): Promise<void> {
    const key = `${caseId} ${file}`
    this.fields.delete(key)
    const handle = this.files.get(key)
    this.files.delete(key)
    await (await handle)?.close()
  }

  /** Bytes of one block as shared memory. */
  async block(caseId: string, file: string, start: number, end: number): Promise<SharedArrayBuffer> {
    const key = `${caseId} ${file} ${start}`
    this.disk.touch(caseId, file)
    const kept = this.blocks.get(key)
    if (kept) return kept
    return once(this.reads, key, async () => {
      const handle = await once(this.files, `${caseId} ${file}`, () => open(join(this.folder(caseId), file), 'r'))
      const block = new SharedArrayBuffer(end - start)
      await handle.read(new Uint8Array(block), 0, end - start, start)
      this.blocks.set(key, block, end - start)
      countShared(end - start)
      return block
    }).finally(() => this.reads.delete(key))
  }

  /** Bytes of a whole small file of the store, such as the first look. */
  async file(caseId: string, name: string): Promise<Buffer> {
    const handle = await open(join(this.folder(caseId), name), 'r').catch(() => undefined)
    if (!handle) throw new DataError('not-ready', 'The case has not been read so far yet; wait a moment.')
    try {
      return await handle.readFile()
    } finally {
      await handle.close()
    }
  }

  async remove(caseId: string): Promise<void> {
    const isOf = (key: string): boolean => key.startsWith(`${caseId} `)
    this.blocks.deleteWhere(isOf)
    for (const map of [this.meshes, this.fields]) for (const key of map.keys()) if (isOf(key)) map.delete(key)
    for (const [key, handle] of this.files) {
      if (!isOf(key)) continue
      this.files.delete(key)
      await (await handle).close()
    }
    await rm(this.folder(caseId), { recursive: true, force: true })
  }

  private run(task: ImportJob, onNews?: (news: ImportNews) => void): { result: Promise<unknown>; cancel(): void } {
    const { port1, port2 } = new MessageChannel()
    const signal = new SharedArrayBuffer(8)
    if (onNews) port1.on('message', onNews)
    const full = { ...task, budget: this.budget.import, signal, port: port2 } as ImportTask
    const pool = task.task === 'catalogue' ? this.pools.looker : this.pools.importer
    const result = pool.run(full, { transferList: [port2] }).then((value: unknown) => {
      const failed = value as { error?: ErrorData }
      if (failed.error) throw errorFromData(failed.error)
      return value
    })
    return {
      result: result.finally(() => port1.close()),
      cancel: () => void Atomics.store(new Int32Array(signal), SIGNAL.cancel, 1),
    }
  }
}

/** Threads that read sources: one for what takes memory, and one that tells what is in a file meanwhile. */
export interface ImportPools {
  importer: Piscina
  looker: Piscina
}

/** A task without what every task is given by the store. */
type Without<T, K extends PropertyKey> = T extends unknown ? Omit<T, K> : never
type ImportJob = Without<ImportTask, 'budget' | 'signal' | 'port'>

/** The running or finished work of a key; forgotten when it fails, so that it can be tried again. */
function once<T>(map: Map<string, Promise<T>>, key: string, start: () => Promise<T>): Promise<T> {
  let running = map.get(key)
  if (!running) {
    running = start()
    map.set(key, running)
    running.catch(() => map.delete(key))
  }
  return running
}
