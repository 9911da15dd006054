/** The threads that compute. Each runs one node at a time; one that ends unexpectedly is replaced. */
import { Worker } from 'node:worker_threads'
import { Arena, makeArenaMemory } from '../../core/store/Arena'
import type { Key } from '../../core/digest'
import type { CaseSnapshot } from '../../core/evaluate/FramePlan'
import type { ComputedEvent, DoneMessage, PlanMessage, RunMessage, RunOutcome, ThreadData } from './messages'

export interface PlanOfRun {
  plan: PlanMessage
  snapshots: readonly CaseSnapshot[]
}

/** What a run came to; the second where its thread ended before it was done. */
export type ThreadOutcome = RunOutcome | { is: 'thread ended' }

interface Thread {
  /** In the arena; 0 is the main thread. */
  number: number
  worker: Worker
  run: { number: number; settle(outcome: ThreadOutcome): void } | undefined
  /** Keys of plans and snapshots sent to it; it may have dropped some. */
  sent: Set<Key>
}

export interface ThreadsOptions {
  /** Bundle of `worker.ts`. */
  file: string
  count: number
  arenaBytes: number
  /** Folder of the stores of all cases. */
  root: string
  isStrict?: boolean
}

export class Threads {
  readonly arena: Arena
  private readonly memory: WebAssembly.Memory
  private readonly cancel: SharedArrayBuffer
  private readonly progress: SharedArrayBuffer
  private readonly threads: Thread[] = []
  private nextRun = 1
  private isClosed = false
  /** Called for each computation. */
  onComputed: (event: ComputedEvent) => void = () => undefined

  constructor(private readonly options: ThreadsOptions) {
    this.memory = makeArenaMemory(options.arenaBytes, { isStrict: options.isStrict ?? false })
    this.arena = new Arena(this.memory, 0)
    this.cancel = new SharedArrayBuffer(4 * (options.count + 1))
    this.progress = new SharedArrayBuffer(4 * (options.count + 1))
    for (let number = 1; number <= options.count; number++) this.threads.push(this.start(number))
  }

  get size(): number {
    return this.threads.length
  }

  get idle(): number {
    return this.threads.filter(({ run }) => !run).length
  }

  /**
   * Computes a node on an idle thread.
   *
   * @returns its outcome, how to cancel it (a late cancel has no effect on the next run), and the share of it that is done
   */
  run(node: RunMessage['node'], { plan, snapshots }: PlanOfRun): { outcome: Promise<ThreadOutcome>; cancel(): void; share(): number } {
    const thread = this.threads.find(({ run }) => !run)!
    const number = this.nextRun++
    const outcome = new Promise<ThreadOutcome>((settle) => {
      thread.run = { number, settle }
    })
    const isNew = (key: Key): boolean => !thread.sent.has(key)
    const message: RunMessage = {
      run: number,
      node: { key: node.key, frame: node.frame, task: node.task },
      planKey: plan.key,
      ...(isNew(plan.key) && { plan, snapshots: snapshots.filter(({ key }) => isNew(key)) }),
    }
    for (const key of [plan.key, ...snapshots.map((snapshot) => snapshot.key)]) thread.sent.add(key)
    const shares = new Int32Array(this.progress)
    Atomics.store(shares, thread.number, 0)
    thread.worker.postMessage(message)
    return {
      outcome,
      cancel: () => void Atomics.store(new Int32Array(this.cancel), thread.number, number),
      share: () => Atomics.load(shares, thread.number) / 1000,
    }
  }

  /** Kills a busy thread, as running out of memory would. */
  async endOne(): Promise<void> {
    await this.threads.find(({ run }) => run)?.worker.terminate()
  }

  async close(): Promise<void> {
    this.isClosed = true
    await Promise.all(this.threads.map(({ worker }) => worker.terminate()))
  }

  private start(number: number): Thread {
    const data: ThreadData = { memory: this.memory, thread: number, cancel: this.cancel, progress: this.progress, root: this.options.root }
    const worker = new Worker(this.options.file, { workerData: data, resourceLimits: { maxOldGenerationSizeMb: 1024 } })
    const thread: Thread = { number, worker, run: undefined, sent: new Set() }
    worker.on('message', (done: DoneMessage) => this.finish(thread, done))
    // an error is followed by the exit
    worker.on('error', () => undefined)
    worker.on('exit', () => this.replace(thread))
    worker.unref()
    return thread
  }

  private finish(thread: Thread, { run, outcome, computed }: DoneMessage): void {
    for (const event of computed) this.onComputed(event)
    if (outcome.is === 'no plan') thread.sent.clear()
    const settled = thread.run
    if (settled?.number !== run) return
    thread.run = undefined
    settled.settle(outcome)
  }

  private replace(thread: Thread): void {
    if (this.isClosed) return
    this.arena.bury(thread.number)
    const { run } = thread
    this.threads[this.threads.indexOf(thread)] = this.start(thread.number)
    run?.settle({ is: 'thread ended' })
  }
}
