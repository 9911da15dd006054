/**
 * Computes nodes, each once however many requests need it, at the same time or later. Visible results come first, exhibits next,
 * prefetching last. A node that no request needs any more stops: in the queue, on its thread, or while its fields are stored.
 */
import { setMaxListeners } from 'node:events'
import { arenaKey } from '../../core/store/Arena'
import type { Arena } from '../../core/store/Arena'
import type { Held } from '../../core/mesh/MeshBlock'
import type { Key } from '../../core/digest'
import { Cancelled, errorFromData, UserError } from '../../core/errors'
import type { StoredRef } from '../../core/evaluate/Expressions'
import type { Frame } from '../../core/evaluate/plan'
import { allNeeds } from '../../core/evaluate/nodes'
import type { Node } from '../../core/evaluate/nodes'
import type { PlanOfRun, ThreadOutcome, Threads } from './Threads'

/** The plan of a node, and how to get its meshes and fields into the store. */
export interface Asked {
  of: PlanOfRun
  /** Makes sure that a mesh or field is in the store. @throws UserError when it cannot be */
  ensure(frame: Frame, ref: StoredRef, signal: AbortSignal, isDoubted: boolean): Promise<void>
}

export type NodeAnswer = { is: 'kept' } | { is: 'json'; json: unknown } | { is: 'bytes'; bytes: Uint8Array }

interface Asker {
  /** A smaller one is served first. */
  priority(): number
  settle(answer: NodeAnswer): void
  fail(error: unknown): void
}

interface Job {
  node: Node
  asked: Asked
  askers: Set<Asker>
  stop: AbortController
  /** The arena was full while others ran: this one runs when nothing else does. */
  isAlone: boolean
  /** Of it that is done; undefined while it is on no thread. */
  share?: (() => number) | undefined
}

interface Waiting {
  job: Job
  /** Starts on an idle thread. */
  start(): void
}

/** How often a node is tried whose inputs are evicted before it runs. */
const MOST_ROUNDS = 8
/** Answers in JSON that are kept, and characters of all of them. */
const KEPT_JSON = { count: 5000, length: 8 * 2 ** 20 } as const

export class Scheduler {
  private readonly jobs = new Map<Key, Job>()
  private readonly queue: Waiting[] = []
  private readonly answers = new JsonCache()
  private readonly held = new Set<HeldInputs>()
  private running = 0
  /** A node is running that must run alone. */
  private isHeld = false

  constructor(private readonly threads: Threads) {}

  /** Whether anyone waits for a result. */
  get isBusy(): boolean {
    return this.jobs.size > 0
  }

  /**
   * The result of a node; when it is `kept` it is in the arena, for a while.
   *
   * @throws UserError with the reason, Cancelled when the signal aborts
   */
  ask(node: Node, asked: Asked, priority: number | (() => number), signal: AbortSignal): Promise<NodeAnswer> {
    if (signal.aborted) return Promise.reject(new Cancelled('Cancelled.'))
    const known = this.known(node.key)
    if (known) return Promise.resolve(known)
    const job = this.jobs.get(node.key) ?? this.begin(node, asked)
    return new Promise<NodeAnswer>((resolve, reject) => {
      const leave = (): void => {
        reject(new Cancelled('A newer request took its place.'))
        job.askers.delete(asker)
        if (!job.askers.size) this.stop(job)
      }
      const asker: Asker = {
        priority: typeof priority === 'number' ? () => priority : priority,
        settle: (answer) => {
          signal.removeEventListener('abort', leave)
          resolve(answer)
        },
        fail: (error) => {
          signal.removeEventListener('abort', leave)
          reject(error)
        },
      }
      job.askers.add(asker)
      signal.addEventListener('abort', leave, { once: true })
    })
  }

  /** Share that is done of what a node waits for longest; 0 while nothing is known of it. */
  shareOf(node: Node): number {
    const job = this.jobs.get(node.key)
    if (!job) return 0
    return job.share?.() ?? Math.max(0, ...node.needs.map((need) => this.shareOf(need)))
  }

  private known(key: Key): NodeAnswer | undefined {
    const json = this.answers.get(key)
    if (json !== undefined) return { is: 'json', json }
    return this.threads.arena.has(arenaKey(key)) ? { is: 'kept' } : undefined
  }

  private begin(node: Node, asked: Asked): Job {
    const job: Job = { node, asked, askers: new Set(), stop: stopForMany(), isAlone: false }
    this.jobs.set(node.key, job)
    void this.work(job).then(
      (answer) => this.end(job, (asker) => asker.settle(answer)),
      (error: unknown) => this.end(job, (asker) => asker.fail(error)),
    )
    return job
  }

  private end(job: Job, tell: (asker: Asker) => void): void {
    if (this.jobs.get(job.node.key) === job) this.jobs.delete(job.node.key)
    for (const asker of job.askers) tell(asker)
    job.askers.clear()
  }

  private stop(job: Job): void {
    if (this.jobs.get(job.node.key) === job) this.jobs.delete(job.node.key)
    job.stop.abort()
  }

  private priorityOf({ askers }: Job): number {
    let least = Infinity
    for (const asker of askers) least = Math.min(least, asker.priority())
    return least
  }

  /** Computes the inputs of a node and then the node, again if inputs were evicted meanwhile. */
  private async work(job: Job): Promise<NodeAnswer> {
    const inputs = new HeldInputs(this.threads.arena)
    this.held.add(inputs)
    try {
      return await this.rounds(job, inputs)
    } finally {
      this.held.delete(inputs)
      inputs.end()
    }
  }

  private async rounds(job: Job, inputs: HeldInputs): Promise<NodeAnswer> {
    const { node, asked, stop } = job
    let doubted: StoredRef | undefined
    for (let round = 0; round < MOST_ROUNDS; round++) {
      if (doubted) await asked.ensure(node.frame, doubted, stop.signal, true)
      await Promise.all([
        ...node.reads.map((ref) => this.ensure(job, ref)),
        ...allNeeds(node).map(async (need) => {
          await this.ask(need, asked, () => this.priorityOf(job), stop.signal)
          inputs.hold(need.key)
        }),
      ])
      const outcome = await this.onThread(job)
      switch (outcome.is) {
        case 'kept':
        case 'bytes':
          return outcome
        case 'json':
          this.answers.set(node.key, outcome.json)
          return outcome
        case 'error':
          throw errorFromData(outcome.error)
        case 'cancelled':
          throw new Cancelled('Cancelled.')
        case 'not stored':
          doubted = outcome.ref
          break
        case 'no room':
          if (job.isAlone) throw noRoom()
          job.isAlone = true
          for (const others of this.held) others.release()
          break
        case 'thread ended':
          // the first time another node may have been the cause; the second time it is this one
          if (job.isAlone)
            throw new UserError(
              'thread',
              'A thread that computed this has ended, probably for want of memory; raise STAVIK_MEMORY or take less at once.',
            )
          job.isAlone = true
          break
        default:
          // evicted, or the plan was forgotten: once more
          break
      }
    }
    throw noRoom()
  }

  /** A field that cannot be stored is reported by the computation, and only if that reads it. */
  private ensure({ node, asked, stop }: Job, ref: StoredRef): Promise<void> {
    return asked.ensure(node.frame, ref, stop.signal, false)
  }

  /** Queues a node and runs it when a thread is idle. */
  private onThread(job: Job): Promise<ThreadOutcome> {
    const { signal } = job.stop
    if (signal.aborted) return Promise.reject(new Cancelled('Cancelled.'))
    return new Promise((resolve, reject) => {
      const waiting: Waiting = {
        job,
        start: () => {
          signal.removeEventListener('abort', leave)
          const run = this.threads.run(job.node, job.asked.of)
          signal.addEventListener('abort', run.cancel, { once: true })
          job.share = run.share
          this.running++
          void run.outcome.then((outcome) => {
            signal.removeEventListener('abort', run.cancel)
            job.share = undefined
            this.running--
            if (job.isAlone) this.isHeld = false
            resolve(outcome)
            this.dispatch()
          })
        },
      }
      const leave = (): void => {
        this.queue.splice(this.queue.indexOf(waiting), 1)
        reject(new Cancelled('Cancelled.'))
        this.dispatch()
      }
      signal.addEventListener('abort', leave, { once: true })
      this.queue.push(waiting)
      this.dispatch()
    })
  }

  /** Starts waiting nodes while there are idle threads. A node that needs the whole arena starts when nothing else runs. */
  private dispatch(): void {
    while (this.queue.length && this.threads.idle > 0 && !this.isHeld) {
      const next = this.first()
      if (next.job.isAlone && this.running > 0) return
      this.queue.splice(this.queue.indexOf(next), 1)
      this.isHeld = next.job.isAlone
      next.start()
    }
  }

  private first(): Waiting {
    let best = this.queue[0]!
    let least = this.priorityOf(best.job)
    for (const waiting of this.queue) {
      const priority = this.priorityOf(waiting.job)
      if (priority >= least) continue
      best = waiting
      least = priority
    }
    return best
  }
}

/** A way to stop what any number of waiters listen to. */
export function stopForMany(): AbortController {
  const stop = new AbortController()
  setMaxListeners(0, stop.signal)
  return stop
}

function noRoom(): UserError {
  return new UserError('no-room', 'This does not fit into the memory that results may take; raise STAVIK_MEMORY, or take a part of it.')
}

/** Inputs that are there already stay while a node waits for the others: else those would push them out, round after round. */
class HeldInputs {
  private readonly held = new Map<Key, Held<unknown>>()
  private isOver = false

  constructor(private readonly arena: Arena) {}

  hold(key: Key): void {
    if (this.isOver || this.held.has(key)) return
    const held = this.arena.hold(() => this.arena.bytes(arenaKey(key)))
    if (held.value) this.held.set(key, held)
  }

  end(): void {
    this.isOver = true
    this.release()
  }

  /** They may be evicted, and are computed again if they are. */
  release(): void {
    for (const held of this.held.values()) held.release()
    this.held.clear()
  }
}

/** Answers in JSON, the oldest forgotten first. */
class JsonCache {
  private readonly entries = new Map<Key, { json: unknown; length: number }>()
  private length = 0

  get(key: Key): unknown {
    const entry = this.entries.get(key)
    if (!entry) return undefined
    this.entries.delete(key)
    this.entries.set(key, entry)
    return entry.json
  }

  set(key: Key, json: unknown): void {
    const length = JSON.stringify(json).length
    this.drop(key)
    this.entries.set(key, { json, length })
    this.length += length
    for (const oldest of this.entries.keys()) {
      if (this.entries.size <= KEPT_JSON.count && this.length <= KEPT_JSON.length) break
      this.drop(oldest)
    }
  }

  private drop(key: Key): void {
    this.length -= this.entries.get(key)?.length ?? 0
    this.entries.delete(key)
  }
}
