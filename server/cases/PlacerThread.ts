/** A placer of cells in its own thread, in parallel to reading, matching and writing. */
import { MessageChannel, Worker } from 'node:worker_threads'
import type { MessagePort, Transferable } from 'node:worker_threads'
import { errorFromData } from '../../core/errors'
import type { ErrorData } from '../../core/errors'
import type { CellPlacer, CellsToPlace, PlacedCells, PlacerTask, SortedBlock } from '../../core/store/CellPlacer'

export type PlacerQuestion =
  | { ask: 'begin'; task: PlacerTask; paths: { points: string; cells: string } }
  | { ask: 'place'; from: number; cells: CellsToPlace }
  | { ask: 'blocks'; size: number; isNumbered: boolean }
  | { ask: 'next' }

export interface PlacerAnswer {
  error?: ErrorData
  nodes?: Uint32Array
  mirrored?: number
  block?: SortedBlock
}

/** Blocks made while others are used: as many as are sorted together. */
const BLOCKS_AHEAD = 4

interface Waiting {
  resolve(answer: PlacerAnswer): void
  reject(error: Error): void
}

export class PlacerThread implements CellPlacer {
  private readonly worker: Worker
  private readonly port: MessagePort
  /** Questions are answered in their order. */
  private readonly waiting: Waiting[] = []
  private failure: Error | undefined

  constructor() {
    const { port1, port2 } = new MessageChannel()
    this.port = port1
    this.worker = new Worker(new URL('./placer.mjs', import.meta.url), { workerData: port2, transferList: [port2] })
    this.port.on('message', (answer: PlacerAnswer) => {
      const { resolve, reject } = this.waiting.shift()!
      if (!answer.error) resolve(answer)
      else reject((this.failure = errorFromData(answer.error)))
    })
    this.worker.on('error', (error) => this.fail(error))
    this.worker.on('exit', () => this.fail(new Error('the thread that places cells ended')))
  }

  /** @param paths  scratch files: of points, and an empty one for cells */
  begin(task: PlacerTask, paths: { points: string; cells: string }): this {
    this.ask({ ask: 'begin', task, paths }).catch(() => undefined)
    return this
  }

  async place(from: number, cells: CellsToPlace): Promise<PlacedCells> {
    const { buffer, byteLength } = cells.connectivity
    const { nodes, mirrored } = await this.ask(
      { ask: 'place', from, cells },
      byteLength === buffer.byteLength ? [buffer as ArrayBuffer] : [],
    )
    return { nodes: nodes!, mirrored: mirrored! }
  }

  async *blocks(size: number, isNumbered: boolean): AsyncGenerator<SortedBlock> {
    await this.ask({ ask: 'blocks', size, isNumbered })
    const next = (): Promise<PlacerAnswer> => {
      const answer = this.ask({ ask: 'next' })
      // an error is thrown where it is waited for
      answer.catch(() => undefined)
      return answer
    }
    const asked = Array.from({ length: BLOCKS_AHEAD }, next)
    for (;;) {
      const { block } = await asked.shift()!
      if (!block) return
      asked.push(next())
      yield block
    }
  }

  async close(): Promise<void> {
    this.port.close()
    await this.worker.terminate()
  }

  private ask(question: PlacerQuestion, moved: Transferable[] = []): Promise<PlacerAnswer> {
    if (this.failure) return Promise.reject(this.failure)
    return new Promise((resolve, reject) => {
      this.waiting.push({ resolve, reject })
      this.port.postMessage(question, moved)
    })
  }

  /** What failed once fails all that is asked later. */
  private fail(error: Error): void {
    this.failure ??= error
    for (const { reject } of this.waiting.splice(0)) reject(this.failure)
  }
}
