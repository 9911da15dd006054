/**
 * Answers requests. Each has many targets, which are answered as they are done. A newer request of a client replaces its older one:
 * computations that both need go on, the others stop.
 */
import { arenaKey } from '../../core/store/Arena'
import { digest } from '../../core/digest'
import { errorData, UserError } from '../../core/errors'
import type { ErrorData } from '../../core/errors'
import type { CheckSubject } from '../../core/check/checkSubject'
import { answerHead, padded } from '../../core/evaluate/answers'
import type { Answer, ValuesAnswer, ValuesFailure } from '../../core/evaluate/answers'
import type { CaseSnapshot } from '../../core/evaluate/FramePlan'
import { Graph } from '../../core/evaluate/Graph'
import type { Node } from '../../core/evaluate/nodes'
import { plainPlan, priorities } from '../../core/evaluate/plan'
import type { Frame, Plan, Target, TargetOf } from '../../core/evaluate/plan'
import type { Key } from '../../core/digest'
import type { Expression } from '../../core/fields/formula/parse'
import { withDoubts } from '../../core/evaluate/doubts'
import type { Reading } from '../../core/measure/results'
import type { CaseEntry, CaseStore } from '../cases/CaseStore'
import { Scheduler, stopForMany } from './Scheduler'
import type { Asked } from './Scheduler'
import type { Threads } from './Threads'

/** A case with the key of its current state. */
export type CurrentCase = CaseEntry & { key: Key }

export interface Request {
  plan: Plan
  targets: readonly Target[]
  /** By their ids in the study; a failure is the answer to targets of that case. */
  cases: ReadonlyMap<string, CurrentCase | Error>
}

/** Takes the stream of answers. */
export interface AnswerSink {
  /** Resolves when the bytes are no longer needed. */
  write(bytes: Uint8Array): Promise<void>
}

/** How often a result may be evicted between being computed and being sent. */
const MOST_TRIES = 5

/** Milliseconds between two words about how far something is. */
const PROGRESS_EVERY = 1000

export class Evaluations {
  private readonly scheduler: Scheduler
  private readonly clients = new Map<string, AbortController>()

  constructor(
    private readonly threads: Threads,
    private readonly store: CaseStore,
  ) {
    this.scheduler = new Scheduler(threads)
  }

  /** Whether anyone waits for a result. */
  get isBusy(): boolean {
    return this.scheduler.isBusy
  }

  /**
   * @param client  a newer request under the same name ends this one; null: on its own
   * @param closed  aborts when the asker has gone
   */
  async answer(request: Request, client: string | null, closed: AbortSignal, sink: AnswerSink): Promise<void> {
    const stop = stopForMany()
    const older = client === null ? undefined : this.clients.get(client)
    if (client !== null) this.clients.set(client, stop)
    const end = (): void => stop.abort()
    closed.addEventListener('abort', end, { once: true })
    const run = this.runOf(request, stop.signal)
    let writing: Promise<void> = Promise.resolve()
    const open = new Set(request.targets.keys())
    const answers = request.targets.map(async (target, i) => {
      const answer = await run.target(target).catch((error: unknown): Made => ({ error: errorData(error) }))
      open.delete(i)
      // in turn: frames do not interleave, and only the packets being sent are pinned
      const written = writing.then(() => (stop.signal.aborted ? undefined : this.send({ ...answer, target: i }, answer, run, sink)))
      writing = written.catch(() => undefined)
      await written
    })
    // all targets have been asked for, so that nothing both requests need is cancelled
    older?.abort()
    const tellProgress = (): void => {
      for (const i of open) {
        const progress = run.shareOf(request.targets[i]!)
        if (progress > 0) writing = writing.then(() => this.send({ target: i, progress }, {}, run, sink)).catch(() => undefined)
      }
    }
    const timer = setInterval(tellProgress, PROGRESS_EVERY)
    try {
      await Promise.all(answers)
    } finally {
      clearInterval(timer)
      closed.removeEventListener('abort', end)
      if (client !== null && this.clients.get(client) === stop) this.clients.delete(client)
      stop.abort()
    }
  }

  /** One answer in JSON, such as a figure of the data check. @throws UserError */
  async check(entry: CurrentCase, subject: CheckSubject, moment: number): Promise<unknown> {
    const frame: Frame = { case: 'case', moment }
    const request = { plan: plainPlan(entry.id, entry.catalogue), targets: [], cases: new Map([['case', entry]]) }
    const run = this.runOf(request, new AbortController().signal)
    return run.json(run.graph.check(frame, subject), priorities.ahead)
  }

  /** A step as a file. @throws UserError */
  async file(request: Request, target: TargetOf<'file'>, closed: AbortSignal): Promise<Uint8Array> {
    const run = this.runOf(request, closed)
    const answer = await run.ask(run.graph.file(target), target.priority)
    if (answer.is !== 'bytes') throw new Error('a file has bytes')
    return answer.bytes
  }

  /** The nodes of a plan, and their answers in JSON. */
  open(
    request: Pick<Request, 'plan' | 'cases'>,
    signal: AbortSignal,
  ): { graph: Graph; ask: (node: Node, priority: number) => Promise<unknown> } {
    const run = this.runOf(request, signal)
    return { graph: run.graph, ask: (node, priority) => run.json(node, priority) }
  }

  private runOf({ plan, cases }: Pick<Request, 'plan' | 'cases'>, signal: AbortSignal): RequestRun {
    const entries = new Map<string, CurrentCase>()
    const failures = new Map<string, Error>()
    for (const [id, found] of cases) {
      if (found instanceof Error) failures.set(id, found)
      else entries.set(id, found)
    }
    return new RequestRun(plan, entries, failures, this.scheduler, this.store, signal)
  }

  /** Writes one frame; packets go from the arena as they are. */
  private async send(answer: Answer, made: Made, run: RequestRun, sink: AnswerSink): Promise<void> {
    const keys = made.packets ?? []
    for (let tries = 0; ; tries++) {
      const held = this.threads.arena.hold(() => keys.map(({ node }) => this.threads.arena.bytes(arenaKey(node.key))))
      try {
        if (held.value.every((bytes) => bytes !== undefined)) {
          await this.writeFrame(answer, keys, held.value, made.bytes, sink)
          return
        }
      } finally {
        held.release()
      }
      if (tries === MOST_TRIES) throw new UserError('no-room', 'Results are evicted before they can be sent; raise STAVIK_MEMORY.')
      for (const { node, priority } of keys) await run.ask(node, priority)
    }
  }

  private async writeFrame(
    answer: Answer,
    keys: readonly Sent[],
    packets: readonly Uint8Array[],
    file: Uint8Array | undefined,
    sink: AnswerSink,
  ): Promise<void> {
    const shape = answer.shape && { ...answer.shape }
    const values = answer.values?.map((entry) => ({ ...entry }))
    const vectors = answer.vectors && { ...answer.vectors }
    const bodies: Uint8Array[] = []
    keys.forEach(({ is, at }, i) => {
      const bytes = packets[i]!
      bodies.push(bytes)
      if (is === 'shape') shape!.bytes = bytes.length
      else if (is === 'vectors') (vectors as ValuesAnswer).bytes = bytes.length
      else (values![at] as ValuesAnswer).bytes = bytes.length
    })
    if (file) bodies.push(file)
    const lengths = bodies.map((bytes) => bytes.length)
    const { packets: _packets, bytes: _bytes, ...plain } = answer as Answer & Made
    const full: Answer = {
      ...plain,
      ...(shape && { shape }),
      ...(values && { values }),
      ...(vectors && { vectors }),
      ...(file && { file: { bytes: file.length } }),
    }
    await sink.write(answerHead(full, lengths))
    for (const bytes of bodies) {
      await sink.write(bytes)
      const rest = padded(bytes.length) - bytes.length
      if (rest) await sink.write(new Uint8Array(rest))
    }
  }
}

/** A packet of an answer: the shape, values by their place in the list, or vectors. */
interface Sent {
  is: 'shape' | 'values' | 'vectors'
  at: number
  node: Node
  priority: number
}

/** The answer to a target before its packets are added. */
interface Made extends Omit<Answer, 'target'> {
  packets?: Sent[]
  bytes?: Uint8Array
}

/** One request: its graph and the answers to its targets. */
class RequestRun {
  readonly graph: Graph
  private readonly asked: Asked
  /** What pictures wait for. */
  private readonly pictures = new Map<Target, Node>()

  constructor(
    plan: Plan,
    entries: ReadonlyMap<string, CurrentCase>,
    private readonly failures: ReadonlyMap<string, Error>,
    private readonly scheduler: Scheduler,
    store: CaseStore,
    private readonly signal: AbortSignal,
  ) {
    const snapshots = new Map<string, CaseSnapshot>()
    for (const [id, { key, id: uuid, generation, catalogue }] of entries) snapshots.set(id, { key, id: uuid, generation, catalogue })
    this.graph = new Graph(plan, snapshots)
    const cases = Object.fromEntries([...snapshots].map(([id, { key }]) => [id, key]))
    this.asked = {
      of: { plan: { key: digest(plan, cases), plan, cases }, snapshots: [...snapshots.values()] },
      ensure(own, ref, stop, isDoubted) {
        const frame = ref.frame ?? own
        return store.ensure(entries.get(frame.case)!, frame.moment, ref, stop, isDoubted)
      },
    }
  }

  /** @throws UserError with the reason, Cancelled */
  async target(target: Target): Promise<Made> {
    const failure = this.failures.get(target.frame.case)
    if (failure) throw failure
    switch (target.want) {
      case 'picture':
        return this.picture(target)
      case 'outcome':
        return { json: await this.outcome(target) }
      case 'range':
        return { json: await this.json(this.graph.range(target.frame, this.variable(target.frame, target.variable)), target.priority) }
      case 'probe':
        return { json: await this.json(this.graph.probe(target), target.priority) }
      case 'file': {
        const answer = await this.ask(this.graph.file(target), target.priority)
        return answer.is === 'bytes' ? { bytes: answer.bytes } : {}
      }
    }
  }

  /** Share that is done of a picture. */
  shareOf(target: Target): number {
    const node = this.pictures.get(target)
    return node ? this.scheduler.shareOf(node) : 0
  }

  ask(node: Node, priority: number): ReturnType<Scheduler['ask']> {
    return this.scheduler.ask(node, this.asked, priority, this.signal)
  }

  async json(node: Node, priority: number): Promise<unknown> {
    const answer = await this.ask(node, priority)
    if (answer.is !== 'json') throw new Error('a node of this kind answers in JSON')
    return answer.json
  }

  private variable(frame: Frame, id: string): Expression {
    return this.graph.frame(frame).expressionOf(id)
  }

  private async picture(target: TargetOf<'picture'>): Promise<Made> {
    const { step, frame, variables, have, haveChunks, haveValues = [], isWhole = false, vectors, priority } = target
    const { key } = this.graph.shape(step, frame)
    const shape = this.graph.shapePicture(step, frame, haveChunks)
    this.pictures.set(target, shape)
    const sent: Sent[] = have === key ? [] : [{ is: 'shape', at: 0, node: shape, priority }]
    const answered = (is: 'values' | 'vectors', id: string, at: number): ValuesAnswer | ValuesFailure => {
      try {
        const whole = isWhole || is === 'vectors'
        const drawn = this.drawn(step, frame, this.variable(frame, id), id, whole)
        const of = this.graph.valuesName(step, frame, drawn.variable, whole)
        const had = have !== key && haveValues.includes(of) ? haveChunks : []
        const node = this.graph.valuesPicture(step, frame, drawn.variable, whole, had)
        sent.push({ is, at, node, priority })
        return { variable: id, key: digest(key, of), of, name: drawn.name, unit: drawn.unit, bytes: 0 }
      } catch (error) {
        if (!(error instanceof UserError)) throw error
        return { variable: id, error: errorData(error) }
      }
    }
    const values = variables.map((id, at) => answered('values', id, at))
    const moved = vectors === undefined ? undefined : answered('vectors', vectors, 0)
    const failed = new Map<Sent, ErrorData>()
    // the shape last: it is drawn sooner than values, and both wait for the same
    const asked = sent.toReversed().map((one) =>
      this.ask(one.node, priority).catch((error: unknown) => {
        if (one.is === 'shape' || !(error instanceof UserError)) throw error
        failed.set(one, errorData(error))
      }),
    )
    await Promise.all(asked)
    const checked = (is: Sent['is'], at: number, entry: ValuesAnswer | ValuesFailure): ValuesAnswer | ValuesFailure => {
      const error = failed.get(sent.find((one) => one.is === is && one.at === at)!)
      return error ? { variable: entry.variable, error } : entry
    }
    return {
      shape: { key, bytes: 0 },
      values: values.map((entry, at) => checked('values', at, entry)),
      ...(moved && { vectors: checked('vectors', 0, moved) }),
      packets: sent.filter((one) => !failed.has(one)),
    }
  }

  private drawn(step: string, frame: Frame, variable: Expression, id: string, isWhole: boolean): ReturnType<Graph['drawn']> {
    const { variables, formulas } = this.graph.plan
    // a column such as the time along a line exists only on the shape, which has its unit
    if (!Object.hasOwn(variables, id) && !Object.hasOwn(formulas, id)) return { variable, name: id, unit: null }
    return this.graph.drawn(step, frame, variable, isWhole)
  }

  private async outcome({ step, frame, priority }: TargetOf<'outcome'>): Promise<unknown> {
    const json = await this.json(this.graph.outcome(step, frame), priority)
    const { kind } = this.graph.frame(frame).step(step)
    if (!kind.reading) return json
    const reading = json as Reading
    return withDoubts(reading, this.graph.doubts(step, frame))
  }
}
