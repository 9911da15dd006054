/** How long a file takes to be opened and stored, beside merely reading its bytes; what memory and disk that needs. */
import { mkdtemp, open, readdir, rm, stat } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { openNamed } from '../core/formats/series'
import type { CaseSource, ImportNews, ImportTask } from '../server/work/messages'
import { folderOf } from '../server/work/files'
import { importField } from '../server/work/importField'
import { ImportJob } from '../server/work/ImportJob'
import { importMeshes } from '../server/work/importMeshes'
import { budgets, memoryOf } from '../server/work/settings'
import { meshFile, readIndex } from '../server/work/storeFiles'
import type { MeshIndex } from '../core/store/blockStore'

export interface ImportReport {
  cells: number
  /** Milliseconds. */
  read: number | null
  catalogue: number
  skin: number | null
  /** The same coloured by a field. */
  coloured: number | null
  meshes: number
  fields: number
  /** Most memory of the process so far, and what the store takes, in MiB. */
  memory: number
  disk: number
}

const PIECE = 16 * 2 ** 20

/** Stores all parts and fields of the first moment below the temporary folder, and removes them again. */
export async function benchImport(path: string): Promise<ImportReport> {
  // a file that is not there is told of by its reader
  const read = await readAll(path).catch(() => null)
  const start = performance.now()
  const since = (from: number): number => performance.now() - from
  const { folder, name } = await folderOf(path)
  const store = await mkdtemp(join(tmpdir(), 'stavik-bench-'))
  try {
    const opened = await openNamed([name], folder)
    const catalogue = since(start)
    let skin: number | null = null
    let coloured: number | null = null
    const postMessage = (news: ImportNews): void => {
      if (news.news !== 'look') return
      if (news.isColoured) coloured ??= since(start)
      else skin ??= since(start)
    }
    const source: CaseSource = { folder: '', files: [] }
    const task = { task: 'case', source, store, budget: budgets(memoryOf(process.env)).import, signal: new SharedArrayBuffer(8), port: { postMessage } } as unknown as ImportTask
    const job = new ImportJob(task)
    const stored = await importMeshes(job, opened, opened.catalogue, 0)
    const meshes = since(start)
    for (const [i, part] of stored.parts.entries()) {
      const file = meshFile(i, stored.moments[0]!.topology)
      const mesh = { file, index: (await readIndex<MeshIndex>(job.path(file)))! }
      for (const field of stored.fields.filter((f) => f.parts.includes(part.name) && f.moments.includes(0))) {
        await importField(job, opened, { ...task, task: 'field', catalogue: stored, part: part.name, field: field.name, moment: 0, mesh })
      }
    }
    const fields = since(start) - meshes
    const cells = stored.parts.reduce((n, p) => n + p.cells, 0)
    return { cells, read, catalogue, skin, coloured, meshes, fields, memory: process.resourceUsage().maxRSS / 1024, disk: (await bytesIn(store)) / 2 ** 20 }
  } finally {
    await folder.close()
    await rm(store, { recursive: true, force: true })
  }
}

async function bytesIn(folder: string): Promise<number> {
  let bytes = 0
  for (const name of await readdir(folder)) bytes += (await stat(join(folder, name))).size
  return bytes
}

/** Milliseconds that reading all bytes takes; null for a folder. */
async function readAll(path: string): Promise<number | null> {
  if ((await stat(path)).isDirectory()) return null
  const start = performance.now()
  const handle = await open(path, 'r')
  const buffer = new Uint8Array(PIECE)
  while ((await handle.read(buffer, 0, PIECE)).bytesRead > 0);
  await handle.close()
  return performance.now() - start
}
