/**
 * Stores one field on one part at one moment. A field that does not fit into memory is read in windows of its source:
 * each fills its places in all blocks, and the blocks are written when the last one has.
 */
import { randomUUID } from 'node:crypto'
import { interleave } from '../../core/formats/components'
import type { OpenCase, SourceValues } from '../../core/formats/Format'
import { addedOf } from '../../core/mesh/MeshBlock'
import { gather } from '../../core/mesh/gather'
import type { FloatArray } from '../../core/mesh/MeshBlock'
import { DataError } from '../../core/errors'
import { fieldFile, storedKey } from '../../core/store/storeKeys'
import { FieldWriter } from '../../core/store/blockStore'
import type { FieldIndex, Sink } from '../../core/store/blockStore'
import { fillAdded, gatherBlock } from '../../core/store/partition'
import { storedPlace } from '../../core/case/catalogue'
import type { Field } from '../../core/case/catalogue'
import type { ImportJob } from './ImportJob'
import type { ImportTask, StoredField } from './messages'
import { DiskScratch } from './scratchFile'
import { StoredBlocks } from './storedBlocks'

type FieldTask = ImportTask & { task: 'field' }

export async function importField(job: ImportJob, opened: OpenCase, task: FieldTask): Promise<StoredField> {
  const { catalogue, part, field, moment, mesh, budget } = task
  const key = storedKey(catalogue, task.generation, moment, part, field)
  if (key === undefined) throw new DataError('no-field', `${part} has no field “${field}” at this moment.`)
  const file = fieldFile(key)
  const entry = catalogue.fields.find((f) => f.name === field && f.parts.includes(part))!
  // points of the source, some of which may not be stored
  const { points, cells } = opened.catalogue.parts.find((p) => p.name === part)!
  const n = storedPlace(entry.place) === 'cell' ? cells : points
  const bytes = n * entry.components * (entry.numberType === 'Float32' ? 4 : 8)
  // values are in memory as bytes of the file, as numbers, and for a while after their use
  const limit = 0.25 * budget
  const blocks = await StoredBlocks.open(job, mesh)
  try {
    const index = await job.writeIndexed(file, async (sink) => {
      if (bytes > limit && !entry.from) {
        const size = Math.max(1, Math.floor((n * limit) / bytes))
        const windowed = await writeWindows({ job, opened, task, entry, blocks }, n, size, sink)
        if (windowed) return windowed
      }
      return writeWhole(await sourceValues(opened, task), blocks, sink)
    })
    return { file, index }
  } finally {
    await blocks.close()
  }
}

async function writeWhole(source: SourceValues, blocks: StoredBlocks, sink: Sink): Promise<FieldIndex> {
  const writer = new FieldWriter(source.components, storedPlace(source.place), sink)
  if (source.place === 'cell')
    for (let k = 0; k < blocks.length; k++) await writer.add(gather(source.values, await blocks.numbers(k, 'cell'), source.components))
  else for await (const block of blocks.all()) await writer.add(gatherBlock(source, block), block)
  return writer.index
}

/** Values of a field of the file, or of several scalars joined. */
export async function sourceValues(
  opened: OpenCase,
  { catalogue, part, field, moment }: Pick<FieldTask, 'catalogue' | 'part' | 'field' | 'moment'>,
): Promise<SourceValues> {
  const from = catalogue.fields.find((f) => f.name === field && f.parts.includes(part))?.from
  if (!from) return opened.values(part, field, moment)
  const scalars = []
  for (const name of from) scalars.push(await opened.values(part, name, moment))
  return { ...scalars[0]!, values: interleave(scalars.map((s) => s.values)), components: from.length }
}

interface FieldParts {
  job: ImportJob
  opened: OpenCase
  task: FieldTask
  entry: Field
  blocks: StoredBlocks
}

/**
 * Blocks are in a scratch file while windows of the source fill them. A window touches only those blocks that have numbers in
 * it: near cells have near numbers in most files.
 *
 * @param size  values of a window; undefined when the format cannot be read so
 */
async function writeWindows(
  { job, opened, task, entry, blocks: stored }: FieldParts,
  n: number,
  size: number,
  sink: Sink,
): Promise<FieldIndex | undefined> {
  const { components, place } = entry
  const scratch = new DiskScratch(job.path(`scratch-values-${randomUUID()}`))
  const blocks: ScratchBlock[] = []
  let like: FloatArray | undefined
  try {
    const numbersOf = (k: number): Promise<Uint32Array> => stored.numbers(k, storedPlace(place))
    // a part may have some of the cells of a longer list; points that splitting added are not in it
    for (let [from, end] = [0, n]; from < end; from += size) {
      const to = Math.min(from + size, end)
      const window = await opened.valuesWindow?.(task.part, task.field, task.moment, from, to)
      if (!window) return undefined
      like ??= emptyLike(window, 0)
      if (!blocks.length) {
        await layOut(blocks, stored.length, numbersOf, components * window.BYTES_PER_ELEMENT)
        if (storedPlace(place) === 'cell') end = blocks.reduce((most, { last }) => Math.max(most, last + 1), 0)
      }
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
    return await copyBlocks(stored, { scratch, filled: blocks, like: like! }, entry, sink)
  } finally {
    scratch.close()
  }
}

/** A block's values in the scratch file, and the smallest and largest number among its points or cells. */
interface ScratchBlock {
  start: number
  length: number
  first: number
  last: number
  isBegun: boolean
}

async function layOut(
  blocks: ScratchBlock[],
  nBlocks: number,
  numbersOf: (k: number) => Promise<Uint32Array>,
  bytesEach: number,
): Promise<void> {
  let start = 0
  for (let k = 0; k < nBlocks; k++) {
    let first = Infinity
    let last = -1
    const numbers = await numbersOf(k)
    for (let i = 0; i < numbers.length; i++) {
      if (numbers[i]! < first) first = numbers[i]!
      if (numbers[i]! > last) last = numbers[i]!
    }
    blocks.push({ start, length: numbers.length, first, last, isBegun: false })
    start += numbers.length * bytesEach
  }
}

function emptyLike(values: FloatArray, length: number): FloatArray {
  return values instanceof Float32Array ? new Float32Array(length) : new Float64Array(length)
}

/** Copies the values of a window to the numbers in it. */
function fill(values: FloatArray, window: FloatArray, numbers: Uint32Array, from: number, components: number): void {
  const n = window.length / components
  for (let i = 0; i < numbers.length; i++) {
    const at = numbers[i]! - from
    if (at < 0 || at >= n) continue
    for (let c = 0; c < components; c++) values[i * components + c] = window[at * components + c]!
  }
}

/** Writes the values in the scratch file, in the order of `StoredBlocks.numbers`. @param like  an array of its number type */
async function copyBlocks(
  stored: StoredBlocks,
  { scratch, filled, like }: { scratch: DiskScratch; filled: readonly ScratchBlock[]; like: FloatArray },
  { components, place }: Field,
  sink: Sink,
): Promise<FieldIndex> {
  const writer = new FieldWriter(components, storedPlace(place), sink)
  const valuesOf = ({ start, length }: ScratchBlock): FloatArray => {
    const values = emptyLike(like, components * length)
    scratch.read(start, new Uint8Array(values.buffer))
    return values
  }
  if (storedPlace(place) === 'cell') for (const block of filled) await writer.add(valuesOf(block))
  else {
    let k = 0
    for await (const block of stored.all()) {
      const all = valuesOf(filled[k++]!)
      const n = block.pointNumbers.length
      const added = addedOf(block)
      const values = added ? all.slice(0, n * components) : all
      if (added)
        fillAdded(
          values,
          added,
          all,
          added.addedNodes.map((_, i) => n + i),
          components,
        )
      await writer.add(values, block)
    }
  }
  return writer.index
}
