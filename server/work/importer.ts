/**
 * Worker that reads source files into the block store: a whole case, the mesh of one moment, or one field. Its peak
 * memory is that of the largest part (see `memoryOfPart`) and is checked before anything is read.
 */
import { mkdir, open, rename, rm, writeFile } from 'node:fs/promises'
import type { FileHandle } from 'node:fs/promises'
import { join } from 'node:path'
import { Cancelled, errorData, FormatError } from '../../core/errors'
import { interleave } from '../../core/formats/components'
import type { OpenCase, SourceValues } from '../../core/formats/Format'
import { openNamed } from '../../core/formats/series'
import type { MeshBlock } from '../../core/mesh/MeshBlock'
import type { NormalMesh } from '../../core/mesh/normaliseCells'
import { decodeMesh, memoryOfPart, writeField, writeMesh } from '../../core/store/blockStore'
import { encodePacket } from '../../core/store/packet'
import { partition } from '../../core/store/partition'
import type { Catalogue } from '../../core/study/caseModel'
import { linkAll } from '../../core/study/memoryCase'
import { DiskFolder } from './files'
import { SIGNAL } from './messages'
import type { ImportNews, ImportTask, StoredField, StoredMesh } from './messages'
import { firstLook } from './firstLook'
import { fieldFile, meshFile } from './storeFiles'

export default async function runImport(task: ImportTask): Promise<unknown> {
  const folder = new DiskFolder(task.source.folder)
  const job = new Job(task)
  try {
    const opened = await openNamed(task.source.files, folder)
    if (task.task === 'catalogue') return { catalogue: opened.catalogue }
    if (task.task === 'case') return await importCase(job, opened)
    if (task.task === 'mesh') return await importMeshes(job, opened, task.catalogue, task.moment)
    return await importField(job, opened, task)
  } catch (error) {
    return { error: errorData(error) }
  } finally {
    await folder.close()
    task.port.close()
  }
}

class Job {
  private readonly signal: Int32Array

  constructor(readonly task: ImportTask) {
    this.signal = new Int32Array(task.signal)
  }

  check(): void {
    if (Atomics.load(this.signal, SIGNAL.cancel)) throw new Cancelled('Cancelled.')
  }

  tell(news: ImportNews): void {
    this.check()
    this.task.port.postMessage(news)
  }

  path(name: string): string {
    return join(this.task.store, name)
  }

  /** Writes bytes under a temporary name; the file appears whole or not at all. */
  async write<T>(name: string, fill: (append: { append(bytes: Uint8Array): Promise<void> }) => Promise<T>): Promise<T> {
    const temporary = this.path(`${name}.part`)
    let handle: FileHandle | undefined
    try {
      handle = await open(temporary, 'w')
      const sink = handle
      const result = await fill({ append: async (bytes) => void (await sink.writeFile(bytes)) })
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
}

function diskError(error: unknown): unknown {
  const { code } = error as NodeJS.ErrnoException
  if (code === 'ENOSPC') return new FormatError('no-space', 'The disk is full; free some space or set STAVIK_DATA to another disk.')
  return error
}

async function importCase(job: Job, opened: OpenCase): Promise<{ catalogue: Catalogue }> {
  await mkdir(job.task.store, { recursive: true })
  job.tell({ news: 'catalogue', catalogue: opened.catalogue })
  const catalogue = await importMeshes(job, opened, opened.catalogue, 0)
  await writeFile(job.path('catalogue.json'), JSON.stringify(catalogue))
  return { catalogue }
}

/** Stores the meshes of all parts at one moment. The first look is written before the blocks are. */
async function importMeshes(job: Job, opened: OpenCase, catalogue: Catalogue, moment: number): Promise<Catalogue> {
  checkMemory(catalogue, job.task.budget)
  const meshes = new Map<string, NormalMesh>()
  const n = catalogue.parts.length
  for (const [i, { name }] of catalogue.parts.entries()) {
    job.tell({ news: 'progress', share: (0.5 * i) / n, what: `reading ${name}` })
    meshes.set(name, await opened.mesh(name, moment))
  }
  const linked = linkAll(catalogue, meshes)
  if (moment === 0) {
    await job.write('first-look.packet', (sink) => sink.append(encodePacket(firstLook(linked, meshes))))
    job.tell({ news: 'skin' })
  }
  const version = catalogue.moments[moment]!.topology
  for (const [i, { name }] of linked.parts.entries()) {
    const parts = partition(meshes.get(name)!)
    meshes.delete(name)
    const check = (done: number, of: number): void =>
      job.tell({ news: 'progress', share: 0.5 + (0.5 * (i + done / of)) / n, what: `storing ${name}` })
    const file = meshFile(i, version)
    const index = await job.write(file, (sink) => writeMesh(parts, sink, check))
    await job.write(`${file}.json`, (sink) => sink.append(new TextEncoder().encode(JSON.stringify(index))))
  }
  return linked
}

/** Surfaces are held while regions are linked, so all parts count together. */
function checkMemory(catalogue: Catalogue, budget: number): void {
  const need = catalogue.parts.reduce((sum, part) => sum + memoryOfPart(part.points, part.cells), 0)
  if (need <= budget) return
  const size = (bytes: number): string => `${(bytes / 2 ** 30).toFixed(1)} GiB`
  throw new FormatError('too-large', `Reading this case needs about ${size(need)} of memory, more than the ${size(budget)} it may use; raise STAVIK_MEMORY or split the case.`)
}

async function importField(job: Job, opened: OpenCase, task: ImportTask & { task: 'field' }): Promise<StoredField> {
  const { catalogue, part, field, moment, mesh } = task
  const file = fieldFile(
    catalogue.parts.findIndex((p) => p.name === part),
    catalogue.fields.findIndex((f) => f.name === field && f.parts.includes(part)),
    moment,
  )
  const source = await sourceValues(opened, task)
  const index = await job.write(file, (sink) => writeField(source, storedBlocks(job, mesh), sink))
  await job.write(`${file}.json`, (sink) => sink.append(new TextEncoder().encode(JSON.stringify(index))))
  return { file, index }
}

/** Values of a field of the file, or of several scalars joined. */
async function sourceValues(opened: OpenCase, { catalogue, part, field, moment }: ImportTask & { task: 'field' }): Promise<SourceValues> {
  const from = catalogue.fields.find((f) => f.name === field && f.parts.includes(part))?.from
  if (!from) return opened.values(part, field, moment)
  const scalars = []
  for (const name of from) scalars.push(await opened.values(part, name, moment))
  return { values: interleave(scalars.map((s) => s.values)), components: from.length, place: scalars[0]!.place }
}

async function* storedBlocks(job: Job, { file, index }: StoredMesh): AsyncGenerator<MeshBlock> {
  const handle = await open(job.path(file), 'r')
  try {
    for (const [start, end] of index.extents) {
      job.check()
      const buffer = new ArrayBuffer(end - start)
      await handle.read(new Uint8Array(buffer), 0, end - start, start)
      yield decodeMesh(buffer)
    }
  } finally {
    await handle.close()
  }
}
