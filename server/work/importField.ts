/**
 * Stores one field on one part at one moment. A field that does not fit into memory is read in windows of its source:
 * each fills its places in all blocks, and the blocks are written when the last one has.
 */
import { open } from 'node:fs/promises'
import type { FileHandle } from 'node:fs/promises'
import { interleave } from '../../core/formats/components'
import type { OpenCase, SourceValues } from '../../core/formats/Format'
import { addedOf } from '../../core/mesh/MeshBlock'
import type { FloatArray, MeshBlock } from '../../core/mesh/MeshBlock'
import { decodeMesh, FieldWriter, writeField } from '../../core/store/blockStore'
import type { FieldIndex, Sink } from '../../core/store/blockStore'
import { fillAdded } from '../../core/store/partition'
import { PACKET_HEAD, readPacketIndex } from '../../core/store/packet'
import { storedPlace } from '../../core/study/caseModel'
import type { Field } from '../../core/study/caseModel'
import type { ImportJob } from './ImportJob'
import type { ImportTask, StoredField, StoredMesh } from './messages'
import { DiskScratch } from './scratchFile'
import { fieldFile } from './storeFiles'

type FieldTask = ImportTask & { task: 'field' }

export async function importField(job: ImportJob, opened: OpenCase, task: FieldTask): Promise<StoredField> {
  const { catalogue, part, field, moment, mesh, budget } = task
  const at = catalogue.fields.findIndex((f) => f.name === field && f.parts.includes(part))
  const file = fieldFile(catalogue.parts.findIndex((p) => p.name === part), at, moment)
  const entry = catalogue.fields[at]!
  // points of the source, some of which may not be stored
  const { points, cells } = opened.catalogue.parts.find((p) => p.name === part)!
  const n = storedPlace(entry.place) === 'cell' ? cells : points
  const bytes = n * entry.components * (entry.numberType === 'Float32' ? 4 : 8)
  // values are in memory as bytes of the file, as numbers, and for a while after their use
  const limit = 0.1 * budget
  const index = await job.writeIndexed(file, async (sink) => {
    if (bytes > limit && !entry.from) {
      const size = Math.max(1, Math.floor((n * limit) / bytes))
      const windowed = await writeWindows(job, opened, task, entry, n, size, sink)
      if (windowed) return windowed
    }
    return writeField(await sourceValues(opened, task), storedBlocks(job, mesh), sink)
  })
  return { file, index }
}

/** Values of a field of the file, or of several scalars joined. */
export async function sourceValues(opened: OpenCase, { catalogue, part, field, moment }: Pick<FieldTask, 'catalogue' | 'part' | 'field' | 'moment'>): Promise<SourceValues> {
  const from = catalogue.fields.find((f) => f.name === field && f.parts.includes(part))?.from
  if (!from) return opened.values(part, field, moment)
  const scalars = []
  for (const name of from) scalars.push(await opened.values(part, name, moment))
  return { ...scalars[0]!, values: interleave(scalars.map((s) => s.values)), components: from.length }
}

/**
 * Blocks stand in a scratch file while windows of the source fill them. A window touches those blocks alone that have numbers in
 * it: near cells have near numbers in most files.
 *
 * @param size  values of a window; undefined when the format cannot be read so
 */
async function writeWindows(job: ImportJob, opened: OpenCase, task: FieldTask, { components, place }: Field, n: number, size: number, sink: Sink): Promise<FieldIndex | undefined> {
  const scratch = new DiskScratch(job.path('scratch-values'))
  const blocks: ScratchBlock[] = []
  let like: FloatArray | undefined
  const mesh = await open(job.path(task.mesh.file), 'r')
  try {
    const numbersOf = (k: number): Promise<Uint32Array> => storedNumbers(mesh, task.mesh.index.extents[k]!, storedPlace(place))
    for (let from = 0; from < n; from += size) {
      const to = Math.min(from + size, n)
      const window = await opened.valuesWindow?.(task.part, task.field, task.moment, from, to)
      if (!window) return undefined
      like ??= emptyLike(window, 0)
      if (!blocks.length) await layOut(blocks, task.mesh.index.extents.length, numbersOf, components * window.BYTES_PER_ELEMENT)
      for (const [k, block] of blocks.entries()) {
        job.check()
        if (block.last < from || block.first >= to) continue
        const numbers = await numbersOf(k)
        const values = emptyLike(window, numbers.length * components)
        const bytes = new Uint8Array(values.buffer)
        if (block.isBegun) scratch.read(block.start, bytes)
        fill(values, window, numbers, from, components)
        scratch.write(block.start, bytes)
        block.isBegun = true
      }
    }
    return await copyBlocks(job, task, { scratch, like: like!, starts: blocks.map((block) => block.start) }, components, storedPlace(place), sink)
  } finally {
    await mesh.close()
    scratch.close()
  }
}

/** A block's values in the scratch file, and the smallest and largest number among its points or cells. */
interface ScratchBlock {
  start: number
  first: number
  last: number
  isBegun: boolean
}

async function layOut(blocks: ScratchBlock[], nBlocks: number, numbersOf: (k: number) => Promise<Uint32Array>, bytesEach: number): Promise<void> {
  let start = 0
  for (let k = 0; k < nBlocks; k++) {
    let first = Infinity
    let last = -1
    const numbers = await numbersOf(k)
    for (let i = 0; i < numbers.length; i++) {
      if (numbers[i]! < first) first = numbers[i]!
      if (numbers[i]! > last) last = numbers[i]!
    }
    blocks.push({ start, first, last, isBegun: false })
    start += numbers.length * bytesEach
  }
}

/** Numbers in the source of a block's points or cells, then of the nodes that give the values of its added points; without reading the rest of it. */
async function storedNumbers(mesh: FileHandle, [start, end]: [number, number], place: 'point' | 'cell'): Promise<Uint32Array> {
  const head = new Uint8Array(Math.min(PACKET_HEAD, end - start))
  await mesh.read(head, 0, head.length, start)
  const { arrays } = readPacketIndex(head.buffer, 0, end - start)
  const wanted = place === 'cell' ? [arrays['cellNumbers']] : [arrays['pointSources'] ?? arrays['pointNumbers'], arrays['addedNodes']]
  const found = wanted.filter((array) => array !== undefined)
  const numbers = new Uint32Array(found.reduce((n, [, length]) => n + length, 0))
  let to = 0
  for (const [, length, at] of found) {
    await mesh.read(new Uint8Array(numbers.buffer, 4 * to, 4 * length), 0, 4 * length, start + at)
    to += length
  }
  return numbers
}

function emptyLike(values: FloatArray, length: number): FloatArray {
  return values instanceof Float32Array ? new Float32Array(length) : new Float64Array(length)
}

/** Puts the values of a window to the numbers that lie in it. */
function fill(values: FloatArray, window: FloatArray, numbers: Uint32Array, from: number, components: number): void {
  const n = window.length / components
  for (let i = 0; i < numbers.length; i++) {
    const at = numbers[i]! - from
    if (at < 0 || at >= n) continue
    for (let c = 0; c < components; c++) values[i * components + c] = window[at * components + c]!
  }
}

/** Values of the blocks as they stand in the scratch file, in the order of `storedNumbers`. */
interface Filled {
  scratch: DiskScratch
  starts: readonly number[]
  /** An array of their number type. */
  like: FloatArray
}

async function copyBlocks(job: ImportJob, task: FieldTask, { scratch, starts, like }: Filled, components: number, place: 'point' | 'cell', sink: Sink): Promise<FieldIndex> {
  const writer = new FieldWriter(components, place, sink)
  let k = 0
  for await (const block of storedBlocks(job, task.mesh)) {
    const added = place === 'point' ? addedOf(block) : undefined
    const n = (place === 'cell' ? block.cellNumbers : block.pointNumbers).length
    const all = emptyLike(like, components * (n + (added?.addedNodes.length ?? 0)))
    scratch.read(starts[k++]!, new Uint8Array(all.buffer))
    const values = added ? all.slice(0, n * components) : all
    if (added) fillAdded(values, added, all, added.addedNodes.map((_, i) => n + i), components)
    await writer.add(block, values)
  }
  return writer.index
}

/** The blocks of a mesh one by one. Each is good until the next one is asked for: they share one buffer. */
async function* storedBlocks(job: ImportJob, { file, index }: StoredMesh): AsyncGenerator<MeshBlock> {
  const handle = await open(job.path(file), 'r')
  const buffer = new ArrayBuffer(index.extents.reduce((most, [start, end]) => Math.max(most, end - start), 0))
  try {
    for (const [start, end] of index.extents) {
      job.check()
      await handle.read(new Uint8Array(buffer), 0, end - start, start)
      yield decodeMesh(buffer, end - start)
    }
  } finally {
    await handle.close()
  }
}
