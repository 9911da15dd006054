/** Worker that places cells for `PlacerThread`. */
import { workerData } from 'node:worker_threads'
import type { MessagePort } from 'node:worker_threads'
import { errorData } from '../../core/errors'
import { LocalPlacer } from '../../core/store/CellPlacer'
import type { SortedBlock } from '../../core/store/CellPlacer'
import type { PlacerAnswer, PlacerQuestion } from './PlacerThread'
import { DiskScratch } from './scratchFile'

const port = workerData as MessagePort
let placer: LocalPlacer
let blocks: AsyncIterator<SortedBlock>

async function answer(question: PlacerQuestion): Promise<[PlacerAnswer, ArrayBuffer[]]> {
  if (question.ask === 'begin') {
    const { task, paths } = question
    placer = new LocalPlacer(task, { points: DiskScratch.existing(paths.points), cells: DiskScratch.existing(paths.cells) })
    return [{}, []]
  }
  if (question.ask === 'place') {
    const { nodes, mirrored } = await placer.place(question.from, question.cells)
    return [{ nodes, mirrored }, [nodes.buffer as ArrayBuffer]]
  }
  if (question.ask === 'blocks') {
    blocks = placer.blocks(question.size, question.isNumbered)[Symbol.asyncIterator]()
    return [{}, []]
  }
  const { value } = (await blocks.next()) as { value: SortedBlock | undefined }
  if (!value) return [{}, []]
  // the buffers of the sort are reused by the next block
  const block = Object.fromEntries(
    Object.entries(value as unknown as Record<string, Uint8Array | Uint32Array>).map(([name, array]) => [name, owned(array)]),
  )
  return [{ block: block as unknown as SortedBlock }, Object.values(block).map((array) => array.buffer as ArrayBuffer)]
}

/** An array that is all of its buffer: itself or a copy. */
function owned(array: Uint8Array | Uint32Array): Uint8Array | Uint32Array {
  return array.byteLength === array.buffer.byteLength ? array : array.slice()
}

port.on('message', (question: PlacerQuestion) => {
  void answer(question).then(
    ([reply, moved]) => port.postMessage(reply, moved),
    (error: unknown) => port.postMessage({ error: errorData(error) } satisfies PlacerAnswer),
  )
})
