/** How long a file takes to be opened and stored, beside merely reading its bytes; what memory and disk that needs. */
import { mkdtemp, open, readdir, rm, stat } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { openNamed } from '../core/formats/series'
import { BlockFiles } from '../server/cases/blockFiles'
import type { ImportNews, ImportTask } from '../server/cases/messages'
import { folderOf } from '../server/cases/files'
import { importField } from '../server/cases/importField'
import { ImportJob } from '../server/cases/ImportJob'
import { importMeshes } from '../server/cases/importMeshes'
import { importBudget, memoryOf } from '../server/settings'
import { meshFile, meshKey } from '../core/store/storeKeys'
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
const GENERATION = 'bench'

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
    const parts = { source: { folder: '', files: [] }, store, generation: GENERATION, budget: importBudget(memoryOf(process.env)) }
    const task = { task: 'case', ...parts, signal: new SharedArrayBuffer(4), port: { postMessage } } as unknown as ImportTask
    const job = new ImportJob(task)
    const stored = await importMeshes(job, opened, opened.catalogue, 0)
    const meshes = since(start)
    const files = new BlockFiles(store)
    for (const part of stored.parts) {
      const file = meshFile(meshKey(GENERATION, part.name, stored.moments[0]!))
      const mesh = { file, index: files.index<MeshIndex>(file)! }
      for (const field of stored.fields.filter((f) => f.parts.includes(part.name) && f.moments.includes(0))) {
        await importField(job, opened, { ...task, task: 'field', catalogue: stored, part: part.name, field: field.name, moment: 0, mesh })
      }
    }
    files.close()
    const fields = since(start) - meshes
    const cells = stored.parts.reduce((n, p) => n + p.cells, 0)
    return {
      cells,
      read,
      catalogue,
      skin,
      coloured,
      meshes,
      fields,
      memory: process.resourceUsage().maxRSS / 1024,
      disk: (await bytesIn(store)) / 2 ** 20,
    }
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
