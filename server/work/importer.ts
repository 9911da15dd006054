/**
 * Worker that reads source files into the block store: a whole case, the mesh of one moment, one field, or only what is
 * in the files now. Its peak memory is checked against its share before anything is read.
 */
import { mkdir, writeFile } from 'node:fs/promises'
import { dirname } from 'node:path'
import { errorData } from '../../core/errors'
import type { OpenCase } from '../../core/formats/Format'
import { openNamed } from '../../core/formats/series'
import type { Catalogue } from '../../core/study/caseModel'
import { DiskFolder } from './files'
import { exportPart } from './exportPart'
import { importField } from './importField'
import { ImportJob } from './ImportJob'
import { importMeshes } from './importMeshes'
import type { ImportTask } from './messages'

export default async function runImport(task: ImportTask): Promise<unknown> {
  const job = new ImportJob(task)
  try {
    // the store can be made again: somebody may have thrown it away
    if (task.task === 'mesh' || task.task === 'field' || task.task === 'export') await mkdir(task.store, { recursive: true })
    if (task.task === 'field') return await importField(job, await openAgain(job), task)
    if (task.task === 'export') return await exportPart(job, await openAgain(job), task)
    await forget()
    const folder = folderOf(job)
    try {
      const opened = await openNamed(task.source.files, folder)
      if (task.task === 'catalogue') return { catalogue: opened.catalogue }
      if (task.task === 'versions') return { keys: await meshKeys(job, opened, task.catalogue) }
      if (task.task === 'case') return await importCase(job, opened)
      return await importMeshes(job, opened, task.catalogue, task.moment)
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

/** The files of a case; what is taken out of them goes to the disk of the store. */
function folderOf(job: ImportJob): DiskFolder {
  const { source, store } = job.task
  const folder = new DiskFolder(source.folder, dirname(store))
  folder.passing = (name, share) => job.passing(name, share)
  return folder
}

/** Cases whose fields were read last, the latest at the end: many fields follow one another, and opening takes a while. */
const kept = new Map<string, { folder: DiskFolder; opened: OpenCase }>()
const KEPT_CASES = 6

async function openAgain(job: ImportJob): Promise<OpenCase> {
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
  return entry.opened
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

async function importCase(job: ImportJob, opened: OpenCase): Promise<{ catalogue: Catalogue }> {
  await mkdir(job.task.store, { recursive: true })
  job.tell({ news: 'catalogue', catalogue: opened.catalogue })
  const catalogue = await importMeshes(job, opened, opened.catalogue, 0)
  await writeFile(job.path('catalogue.json'), JSON.stringify(catalogue))
  return { catalogue }
}
