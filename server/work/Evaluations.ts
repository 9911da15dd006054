/**
 * Runs plans in the worker pool. A newer request of the same slot cancels the older one; equal requests share one run;
 * results are kept within a byte budget and published only when they were not cancelled.
 */
import { MessageChannel } from 'node:worker_threads'
import type { Piscina } from 'piscina'
import { Cancelled, errorData, errorFromData } from '../../core/errors'
import type { Shape } from '../../core/steps/Shape'
import { outcomeKey, shapeKey, valueKey } from '../../core/study/keys'
import type { Plan } from '../../core/study/plan'
import { ByteCache } from './ByteCache'
import type { CaseStore, StoredCase } from './CaseStore'
import { SIGNAL } from './messages'
import type { Answer, EvaluateTask, Question, TaskResult, Wanted } from './messages'

interface Run {
  key: string
  cancel: Int32Array
  result: Promise<TaskResult>
  askers: number
}

export class Evaluations {
  private readonly results: ByteCache<TaskResult>
  private readonly shapes: ByteCache<Shape>
  private readonly runs = new Map<string, Run>()
  private readonly slots = new Map<string, Run>()

  constructor(
    private readonly pool: Piscina,
    private readonly store: CaseStore,
    budget: { results: number; shapes: number },
  ) {
    this.results = new ByteCache(budget.results)
    this.shapes = new ByteCache(budget.shapes)
  }

  /**
   * @param slot  what the result is for, such as a step in a tab: a newer request for it cancels this one
   * @throws UserError with the reason, Cancelled when superseded
   */
  async evaluate(stored: StoredCase, plan: Plan, wanted: Wanted, slot: string | null): Promise<TaskResult> {
    const key = this.key(stored, plan, wanted)
    const kept = this.results.get(key)
    const previous = slot === null ? undefined : this.slots.get(slot)
    if (kept) {
      if (previous) this.leave(slot!, previous)
      return kept
    }
    const run = this.runs.get(key) ?? this.start(key, stored, plan, wanted)
    if (run !== previous) {
      run.askers++
      if (slot !== null) {
        if (previous) this.leave(slot, previous)
        this.slots.set(slot, run)
      }
    }
    try {
      const result = await run.result
      if (slot !== null && this.slots.get(slot) !== run) throw new Cancelled('A newer request took its place.')
      if ('error' in result) throw errorFromData(result.error)
      return result
    } finally {
      if (slot !== null && this.slots.get(slot) === run) this.slots.delete(slot)
    }
  }

  /** Whether anyone waits for a result. */
  get isBusy(): boolean {
    return this.runs.size > 0
  }

  /** The asker of a slot goes; the last one to go stops the work. */
  cancel(slot: string): void {
    const run = this.slots.get(slot)
    if (run) this.leave(slot, run)
  }

  private leave(slot: string, run: Run): void {
    this.slots.delete(slot)
    if (--run.askers > 0) return
    Atomics.store(run.cancel, SIGNAL.cancel, 1)
    Atomics.notify(run.cancel, SIGNAL.reply)
    this.runs.delete(run.key)
  }

  /** Units and materials are in the key: they are set by hand and change what comes out. */
  private key(stored: StoredCase, plan: Plan, wanted: Wanted): string {
    const { catalogue } = stored
    const units = JSON.stringify([catalogue.lengthUnit, catalogue.fields.map((f) => f.unit), catalogue.parts.map((p) => p.material)])
    const what = wanted.what === 'range' || wanted.what === 'probe' || wanted.what === 'check' || wanted.what === 'file'
      ? JSON.stringify([wanted, plan])
      : wanted.what === 'result'
        ? [shapeKey(plan, catalogue, plan.target), wanted.haveShape, plan.variable === null ? '' : valueKey(plan, catalogue, plan.target, plan.variable)].join()
        : outcomeKey(plan, catalogue, plan.target)
    return `${stored.id} ${wanted.what} ${what} ${units}`
  }

  private start(key: string, stored: StoredCase, plan: Plan, wanted: Wanted): Run {
    const signal = new SharedArrayBuffer(8)
    const cancel = new Int32Array(signal)
    const { port1, port2 } = new MessageChannel()
    port1.on('message', (question: Question) => void this.answer(question, stored, plan, cancel, port1))
    const task: EvaluateTask = { plan, catalogue: stored.catalogue, wanted, port: port2, signal }
    const result = (this.pool.run(task, { transferList: [port2] }) as Promise<TaskResult>)
      .catch((error: unknown): TaskResult => ({ error: errorData(error) }))
      .then((done) => {
        if (!Atomics.load(cancel, SIGNAL.cancel) && !('error' in done)) this.results.set(key, done, sizeOf(done))
        return done
      })
      .finally(() => {
        port1.close()
        if (this.runs.get(key) === run) this.runs.delete(key)
      })
    const run: Run = { key, cancel, result, askers: 0 }
    this.runs.set(key, run)
    return run
  }

  private async answer(question: Question, stored: StoredCase, plan: Plan, signal: Int32Array, port: MessageChannel['port1']): Promise<void> {
    if ('tell' in question) {
      this.shapes.set(`${stored.id} ${question.key}`, question.shape, shapeBytes(question.shape))
      return
    }
    let answer: Answer
    try {
      answer = await this.lookUp(question, stored, plan)
    } catch (error) {
      answer = { error: errorData(error) }
    }
    port.postMessage(answer)
    Atomics.store(signal, SIGNAL.reply, 1)
    Atomics.notify(signal, SIGNAL.reply)
  }

  private async lookUp(question: Extract<Question, { ask: string }>, stored: StoredCase, plan: Plan): Promise<Answer> {
    switch (question.ask) {
      case 'mesh':
        return { mesh: await this.store.mesh(stored, question.part, plan.moment) }
      case 'field':
        return { field: await this.store.field(stored, question.part, question.field, plan.moment) }
      case 'block':
        return { block: await this.store.block(stored.id, question.file, question.start, question.end) }
      case 'shape':
        return { shape: this.shapes.get(`${stored.id} ${question.key}`) ?? null }
    }
  }

  /** Forgets all that was kept of a case. */
  forget(caseId: string): void {
    this.results.deleteWhere((key) => key.startsWith(`${caseId} `))
    this.shapes.deleteWhere((key) => key.startsWith(`${caseId} `))
  }
}

function sizeOf(result: TaskResult): number {
  return 'packet' in result ? result.packet.byteLength : JSON.stringify(result).length
}

function shapeBytes(shape: Shape): number {
  return shape.points.byteLength + shape.elements.byteLength + shape.cells.byteLength + shape.weightStarts.byteLength + shape.sources.byteLength + shape.weights.byteLength
}
