/**
 * Worker that reads source files into the block store: a whole case, the mesh of one moment, one field, or only what is
 * in the files now. Its peak memory is checked against its share before anything is read.
 */
import { mkdir, writeFile } from 'node:fs/promises'
import { errorData } from '../../core/errors'
import type { OpenCase } from '../../core/formats/Format'
import { openNamed } from '../../core/formats/series'
import type { Catalogue } from '../../core/study/caseModel'
import { DiskFolder } from './files'
import { importField } from './importField'
import { ImportJob } from './ImportJob'
import { importMeshes } from './importMeshes'
import type { ImportTask } from './messages'

export default async function runImport(task: ImportTask): Promise<unknown> {
  const folder = new DiskFolder(task.source.folder)
  const job = new ImportJob(task)
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

async function importCase(job: ImportJob, opened: OpenCase): Promise<{ catalogue: Catalogue }> {
  await mkdir(job.task.store, { recursive: true })
  job.tell({ news: 'catalogue', catalogue: opened.catalogue })
  const catalogue = await importMeshes(job, opened, opened.catalogue, 0)
  await writeFile(job.path('catalogue.json'), JSON.stringify(catalogue))
  return { catalogue }
}
