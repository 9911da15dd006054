/** Worker that places cells for `PlacerThread`. */
import { workerData } from 'node:worker_threads'
import type { MessagePort } from 'node:worker_threads'
import { errorData } from '../../core/errors'
import { LocalPlacer } from '../../core/store/CellPlacer'
import type { KeyedCells } from '../../core/store/cellSort'
import type { PlacerAnswer, PlacerQuestion } from './PlacerThread'
import { DiskScratch } from './scratchFile'

const port = workerData as MessagePort
let placer: LocalPlacer
let groups: AsyncIterator<KeyedCells>

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
  if (question.ask === 'groups') {
    groups = placer.groups(question.grain)[Symbol.asyncIterator]()
    return [{}, []]
  }
  const { value } = (await groups.next()) as { value: KeyedCells | undefined }
  if (!value) return [{}, []]
  // what the sort gives is good until the next group only
  const group = { numbers: value.numbers.slice(), keys: value.keys.slice(), types: value.types.slice(), offsets: value.offsets.slice(), nodes: value.nodes.slice() }
  return [{ group }, Object.values(group).map((array) => array.buffer)]
}

port.on('message', (question: PlacerQuestion) => {
  void answer(question).then(
    ([reply, moved]) => port.postMessage(reply, moved),
    (error: unknown) => port.postMessage({ error: errorData(error) } satisfies PlacerAnswer),
  )
})
