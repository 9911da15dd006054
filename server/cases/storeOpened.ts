/** A case stored in blocks at once, for the command line where it does not fit into memory. */
import type { CaseData } from '../../core/case/CaseData'
import type { OpenCase } from '../../core/formats/Format'
import { Arena, makeArenaMemory } from '../../core/store/Arena'
import type { MeshIndex } from '../../core/store/blockStore'
import { StoredCase } from '../../core/store/StoredCase'
import { meshFile, meshKey } from '../../core/store/storeKeys'
import { BlockFiles } from './blockFiles'
import { importField } from './importField'
import { ImportJob } from './ImportJob'
import { importMeshes } from './importMeshes'
import type { ImportTask } from './messages'

export interface OpenedStore {
  data: CaseData
  close(): void
}

const GENERATION = 'once'
const SMALLEST_ARENA = 48 * 2 ** 20

/**
 * Stores all meshes and the wanted fields (all when undefined) of one moment in `folder`.
 *
 * @param budget  bytes for reading; 40 % as many are used for blocks afterwards
 */
export async function storeOpened(
  opened: OpenCase,
  folder: string,
  moment: number,
  wanted: ReadonlySet<string> | undefined,
  budget: number,
): Promise<OpenedStore> {
  const parts = { source: { folder: '', files: [] }, store: folder, generation: GENERATION, budget, signal: new SharedArrayBuffer(4) }
  const task = { ...parts, port: { postMessage: () => undefined } } as unknown as ImportTask
  const job = new ImportJob(task)
  const stored = await importMeshes(job, opened, opened.catalogue, moment)
  const catalogue = { ...stored, fields: stored.fields.filter((field) => field.moments.includes(moment)) }
  const files = new BlockFiles(folder)
  for (const { name: part } of catalogue.parts) {
    const file = meshFile(meshKey(GENERATION, part, catalogue.moments[moment]!))
    const mesh = { file, index: files.index<MeshIndex>(file)! }
    for (const field of catalogue.fields) {
      if (!field.parts.includes(part) || (wanted && !wanted.has(field.name))) continue
      await importField(job, opened, { ...task, task: 'field', catalogue, part, field: field.name, moment, mesh })
    }
  }
  const arena = new Arena(makeArenaMemory(Math.max(SMALLEST_ARENA, 0.4 * budget)), 0)
  const data = new StoredCase({ catalogue, generation: GENERATION, moment, arena, files, check: () => undefined })
  return { data, close: () => files.close() }
}
