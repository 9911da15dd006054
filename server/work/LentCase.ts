/**
 * A stored case as a worker sees it. What it needs it asks of the main thread, and sleeps until the answer is there:
 * computations stay plain loops, and one budget keeper knows of all memory.
 */
import { receiveMessageOnPort } from 'node:worker_threads'
import { Cancelled, DataError, errorFromData } from '../../core/errors'
import type { FieldValues, MeshBlock, PartBlocks } from '../../core/mesh/MeshBlock'
import { decodeField, decodeMesh } from '../../core/store/blockStore'
import type { Shape } from '../../core/steps/Shape'
import type { Catalogue } from '../../core/study/caseModel'
import type { CaseData, EvaluationHooks } from '../../core/study/Evaluator'
import { countShared } from './collect'
import { SIGNAL } from './messages'
import type { Answer, EvaluateTask, Question, StoredField, StoredMesh } from './messages'

/** Blocks a worker keeps at hand; the rest are asked for again. A block of 64k cells is some 6 MB. */
const KEPT_BLOCKS = 32
/** By case, file and place: stored files are never changed, so they serve the tasks to come, too. */
const keptBlocks = new Map<string, SharedArrayBuffer>()

export class LentCase implements CaseData, EvaluationHooks {
  readonly catalogue: Catalogue
  private readonly signal: Int32Array
  private readonly parts = new Map<string, LentPart>()

  constructor(private readonly task: EvaluateTask) {
    this.catalogue = task.catalogue
    this.signal = new Int32Array(task.signal)
  }

  part(name: string): PartBlocks {
    let part = this.parts.get(name)
    if (!part) {
      const entry = this.catalogue.parts.find((p) => p.name === name)
      if (!entry) throw new DataError('no-part', `The case has no part “${name}”; it has ${this.catalogue.parts.map((p) => p.name).join(', ')}.`)
      const mesh = (this.ask({ ask: 'mesh', part: name }) as { mesh: StoredMesh }).mesh
      part = new LentPart(this, name, entry.dimension, mesh)
      this.parts.set(name, part)
    }
    return part
  }

  field(part: string, field: string): StoredField {
    return (this.ask({ ask: 'field', part, field }) as { field: StoredField }).field
  }

  block(file: string, [start, end]: [number, number]): SharedArrayBuffer {
    this.check()
    const key = `${this.task.plan.case} ${file} ${start}`
    let block = keptBlocks.get(key)
    if (block) keptBlocks.delete(key)
    else {
      block = (this.ask({ ask: 'block', file, start, end }) as { block: SharedArrayBuffer }).block
      countShared(block.byteLength)
    }
    keptBlocks.set(key, block)
    if (keptBlocks.size > KEPT_BLOCKS) keptBlocks.delete(keptBlocks.keys().next().value!)
    return block
  }

  check(): void {
    if (Atomics.load(this.signal, SIGNAL.cancel)) throw new Cancelled('Cancelled.')
  }

  kept(key: string): Shape | undefined {
    return (this.ask({ ask: 'shape', key }) as { shape: Shape | null }).shape ?? undefined
  }

  keep(key: string, shape: Shape): void {
    this.check()
    this.tell({ tell: 'keep', key, shape })
  }

  tell(question: Question): void {
    this.task.port.postMessage(question)
  }

  private ask(question: Question): Answer {
    this.check()
    Atomics.store(this.signal, SIGNAL.reply, 0)
    this.task.port.postMessage(question)
    for (;;) {
      Atomics.wait(this.signal, SIGNAL.reply, 0, 1000)
      const received = receiveMessageOnPort(this.task.port) as { message: Answer } | undefined
      this.check()
      if (!received) {
        Atomics.store(this.signal, SIGNAL.reply, 0)
        continue
      }
      if ('error' in received.message) throw errorFromData(received.message.error)
      return received.message
    }
  }
}

class LentPart implements PartBlocks {
  private readonly fields = new Map<string, StoredField>()

  constructor(
    private readonly lent: LentCase,
    readonly name: string,
    readonly dimension: number,
    private readonly mesh: StoredMesh,
  ) {}

  get nBlocks(): number {
    return this.mesh.index.extents.length
  }

  get boxes(): StoredMesh['index']['boxes'] {
    return this.mesh.index.boxes
  }

  block(k: number): MeshBlock {
    return decodeMesh(this.lent.block(this.mesh.file, this.mesh.index.extents[k]!))
  }

  field(name: string, k: number): FieldValues {
    let stored = this.fields.get(name)
    if (!stored) this.fields.set(name, (stored = this.lent.field(this.name, name)))
    return decodeField(this.lent.block(stored.file, stored.index.extents[k]!))
  }
}
