/**
 * Worker that reads source files into the block store: a whole case, the mesh of one moment, one field, or only what is
 * in the files now. Its peak memory is checked against its share before anything is read.
 */
import { mkdir, writeFile } from 'node:fs/promises'
import { dirname } from 'node:path'
import { errorData } from '../../core/errors'
import type { ErrorData } from '../../core/errors'
import type { OpenCase } from '../../core/formats/Format'
import { openNamed } from '../../core/formats/series'
import type { Catalogue } from '../../core/case/catalogue'
import { DiskFolder } from './files'
import { exportPart } from './exportPart'
import { importField } from './importField'
import { ImportJob } from './ImportJob'
import { importMeshes } from './importMeshes'
import type { ImportTask, TaskAnswer } from './messages'

export default async function runImport(task: ImportTask): Promise<TaskAnswer | { error: ErrorData }> {
  const job = new ImportJob(task)
  try {
    // the store can be made again: somebody may have thrown it away
    if (task.task === 'mesh' || task.task === 'field' || task.task === 'export') await mkdir(task.store, { recursive: true })
    if (task.task === 'field' || task.task === 'export') {
      const { folder, opened } = await openAgain(job)
      folder.startUse()
      const result = task.task === 'field' ? await importField(job, opened, task) : await exportPart(job, opened, task)
      return { result, stamps: await folder.usedStamps() }
    }
    await forget()
    const folder = folderOf(job)
    try {
      const opened = await openNamed(task.source.files, folder)
      if (task.task === 'catalogue') return { result: opened.catalogue, stamps: {} }
      if (task.task === 'versions') return { result: await meshKeys(job, opened, task.catalogue), stamps: {} }
      folder.startUse()
      const result = task.task === 'case' ? await importCase(job, opened) : await importMeshes(job, opened, task.catalogue, task.moment)
      return { result, stamps: await folder.usedStamps() }
    } finally {
      await folder.close()
    }
  } catch (error) {
    await forget()
    return { error: errorData(error) }
  } finally {
    task.port.close()
  }
}

/** The files of a case; unpacked copies are on the disk of the store. */
function folderOf(job: ImportJob): DiskFolder {
  const { source, store } = job.task
  const folder = new DiskFolder(source.folder, dirname(dirname(store)))
  folder.passing = (name, share) => job.passing(name, share)
  return folder
}

/** Cases whose fields were read last, the latest at the end: many fields follow one another, and opening takes a while. */
const kept = new Map<string, { folder: DiskFolder; opened: OpenCase }>()
const KEPT_CASES = 6

async function openAgain(job: ImportJob): Promise<{ folder: DiskFolder; opened: OpenCase }> {
  const { source } = job.task
  const folder = folderOf(job)
  const key = JSON.stringify([source, await folder.stamps(source.files)])
  let entry = kept.get(key)
  if (entry) {
    kept.delete(key)
    entry.folder.passing = folder.passing
  } else {
    try {
      entry = { folder, opened: await openNamed(source.files, folder) }
    } catch (error) {
      await folder.close()
      throw error
    }
  }
  kept.set(key, entry)
  if (kept.size > KEPT_CASES) await forget(kept.keys().next().value!)
  return entry
}

/** Closes one kept case, or all. */
async function forget(only?: string): Promise<void> {
  for (const [key, { folder }] of kept) {
    if (only !== undefined && key !== only) continue
    kept.delete(key)
    await folder.close()
  }
}

/** One full key for each moment, over all parts. */
async function meshKeys(job: ImportJob, opened: OpenCase, { parts, moments }: Catalogue): Promise<string[]> {
  const keys: string[] = []
  for (const { index } of moments) {
    job.check()
    const own: string[] = []
    for (const { name } of parts) own.push(await opened.meshKey(name, index, true))
    keys.push(own.join())
  }
  return keys
}

async function importCase(job: ImportJob, opened: OpenCase): Promise<Catalogue> {
  await mkdir(job.task.store, { recursive: true })
  job.tell({ news: 'catalogue', catalogue: opened.catalogue })
  const catalogue = await importMeshes(job, opened, opened.catalogue, 0)
  await writeFile(job.path('catalogue.json'), JSON.stringify(catalogue))
  return catalogue
}
