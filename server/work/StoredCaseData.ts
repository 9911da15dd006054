/**
 * A case in a block store of its own, read at once as plain loops need it: for the command line, where a case does not fit
 * into memory. Blocks are kept within a byte budget.
 */
import { closeSync, openSync, readSync } from 'node:fs'
import { DataError } from '../../core/errors'
import type { OpenCase } from '../../core/formats/Format'
import type { FieldValues, MeshBlock, PartBlocks } from '../../core/mesh/MeshBlock'
import { decodeField, decodeMesh } from '../../core/store/blockStore'
import type { FieldIndex, MeshIndex } from '../../core/store/blockStore'
import type { Catalogue } from '../../core/study/caseModel'
import type { CaseData } from '../../core/study/Evaluator'
import { ByteCache } from './ByteCache'
import { importField } from './importField'
import { ImportJob } from './ImportJob'
import { importMeshes } from './importMeshes'
import type { CaseSource, ImportTask } from './messages'
import { meshFile, readIndex } from './storeFiles'

export class StoredCaseData implements CaseData {
  private readonly blocks: ByteCache<ArrayBuffer>
  private readonly handles = new Map<string, number>()

  private constructor(
    readonly catalogue: Catalogue,
    private readonly folder: string,
    private readonly meshes: ReadonlyMap<string, { file: string; index: MeshIndex }>,
    /** By part and field. */
    private readonly fields: ReadonlyMap<string, { file: string; index: FieldIndex }>,
    bytes: number,
  ) {
    this.blocks = new ByteCache(bytes)
  }

  /** Stores all meshes and the wanted fields (all when undefined) of one moment in `folder`. */
  static async store(opened: OpenCase, source: CaseSource, folder: string, moment: number, wanted: ReadonlySet<string> | undefined, budget: number): Promise<StoredCaseData> {
    const task = { source, store: folder, budget, signal: new SharedArrayBuffer(8), port: { postMessage: () => undefined } } as unknown as ImportTask
    const job = new ImportJob(task)
    const stored = await importMeshes(job, opened, opened.catalogue, moment)
    const catalogue = { ...stored, fields: stored.fields.filter((field) => field.moments.includes(moment)) }
    const meshes = new Map<string, { file: string; index: MeshIndex }>()
    const fields = new Map<string, { file: string; index: FieldIndex }>()
    for (const [i, { name: part }] of catalogue.parts.entries()) {
      const file = meshFile(i, catalogue.moments[moment]!.topology)
      const mesh = { file, index: (await readIndex<MeshIndex>(job.path(file)))! }
      meshes.set(part, mesh)
      for (const field of catalogue.fields) {
        if (!field.parts.includes(part) || (wanted && !wanted.has(field.name))) continue
        fields.set(`${part}\n${field.name}`, await importField(job, opened, { ...task, task: 'field', catalogue, part, field: field.name, moment, mesh }))
      }
    }
    return new StoredCaseData(catalogue, folder, meshes, fields, 0.4 * budget)
  }

  part(name: string): PartBlocks {
    const entry = this.catalogue.parts.find((p) => p.name === name)
    const mesh = this.meshes.get(name)
    if (!entry || !mesh) throw new DataError('no-part', `There is no part “${name}”; the case has ${this.catalogue.parts.map((p) => p.name).join(', ')}.`)
    return {
      ...{ name, dimension: entry.dimension, nBlocks: mesh.index.extents.length, boxes: mesh.index.boxes },
      block: (k): MeshBlock => decodeMesh(this.block(mesh.file, mesh.index.extents[k]!)),
      field: (field, k): FieldValues => {
        const stored = this.fields.get(`${name}\n${field}`)
        if (!stored) throw new DataError('no-field', `${name} has no field “${field}”.`)
        return decodeField(this.block(stored.file, stored.index.extents[k]!))
      },
    }
  }

  close(): void {
    for (const handle of this.handles.values()) closeSync(handle)
    this.handles.clear()
  }

  private block(file: string, [start, end]: [number, number]): ArrayBuffer {
    const key = `${file} ${start}`
    const kept = this.blocks.get(key)
    if (kept) return kept
    let handle = this.handles.get(file)
    if (handle === undefined) this.handles.set(file, (handle = openSync(`${this.folder}/${file}`, 'r')))
    const buffer = new ArrayBuffer(end - start)
    readSync(handle, new Uint8Array(buffer), 0, end - start, start)
    this.blocks.set(key, buffer, end - start)
    return buffer
  }
}
