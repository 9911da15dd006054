/**
 * Runs jobs in the background, behind everything that is looked at. A job belongs to nobody's browser: it goes on when the asker has gone,
 * and after the server was stopped another start goes on where it was.
 */
import { digest } from '../../core/digest'
import { Cancelled, UserError } from '../../core/errors'
import { casesUsed } from '../../core/evaluate/casesUsed'
import { framesOf } from '../../core/evaluate/frames'
import { runJob } from '../../core/evaluate/jobs'
import type { Graph } from '../../core/evaluate/Graph'
import type { Node } from '../../core/evaluate/nodes'
import { priorities } from '../../core/evaluate/plan'
import type { Frame } from '../../core/evaluate/plan'
import type { JobEntry, JobRepository, JobRequest, NumberedRow } from '../db/jobs'
import type { Ownership } from '../db/Ownership'
import type { CurrentCase, Evaluations } from '../evaluate/Evaluations'
import type { Events } from '../Events'

export interface JobNews {
  id: string
  state: JobEntry['state']
  done: number
  total: number
  /** Seconds that are likely left; null while too little is known. */
  left: number | null
  failure: string | null
}

export interface JobParts {
  repository: JobRepository
  ownership: Ownership
  evaluations: Evaluations
  events: Events
  /** Threads that compute: jobs leave one to what is looked at. */
  threads: number
  /** @throws UserError when it cannot be computed on */
  current(id: string): Promise<CurrentCase>
}

type Cases = Map<string, CurrentCase | Error>

export class Jobs {
  private readonly stops = new Map<string, AbortController>()

  constructor(private readonly parts: JobParts) {}

  /** Begins a job, or goes on with it; one that was asked for before is found again. @throws UserError */
  async start(request: JobRequest): Promise<JobNews> {
    const { key, total } = this.keyOf(request, await this.casesOf(request))
    const { repository } = this.parts
    const entry = await repository.find(key, request, total)
    if (entry.state === 'done' || this.stops.has(entry.id)) return newsOf(entry)
    if (entry.state !== 'running') {
      await repository.forgetFailures(entry.id)
      await repository.setState(entry.id, 'running')
    }
    await this.claim({ ...entry, state: 'running', failure: null })
    return newsOf(await repository.get(entry.id))
  }

  /** Goes on with jobs that no server is at. */
  async recover(): Promise<void> {
    for (const entry of await this.parts.repository.running()) if (!this.stops.has(entry.id)) await this.claim(entry)
  }

  /** State of a job with rows that were written after one. @param after  number of that row, 0 for none */
  async rows(id: string, after: number): Promise<{ news: JobNews; rows: NumberedRow[] }> {
    // the state first: rows that are written in between are asked for again
    const news = newsOf(await this.parts.repository.get(id))
    return { news, rows: await this.parts.repository.rows(id, after) }
  }

  async cancel(id: string): Promise<void> {
    const entry = await this.parts.repository.get(id)
    if (entry.state !== 'running') return
    await this.parts.repository.setState(id, 'cancelled')
    this.stops.get(id)?.abort()
    this.tell(newsOf({ ...entry, state: 'cancelled' }))
  }

  /** Stops without ending: another start goes on. */
  stop(): void {
    for (const stop of this.stops.values()) stop.abort()
  }

  private async claim(entry: JobEntry): Promise<void> {
    const { ownership } = this.parts
    if (this.stops.has(entry.id)) return
    const stop = new AbortController()
    this.stops.set(entry.id, stop)
    if (!(await ownership.take(entry.id))) {
      this.stops.delete(entry.id)
      return
    }
    void this.run(entry, stop.signal)
      .then(
        () => this.end(entry, 'done', null),
        (error: unknown) => {
          // cancelled, or stopped with the server: then it goes on next time
          if (error instanceof Cancelled || stop.signal.aborted) return
          return this.end(entry, 'failed', error instanceof UserError ? error.message : `The job stopped: ${(error as Error).message}`)
        },
      )
      .catch(() => undefined)
      .finally(() => {
        this.stops.delete(entry.id)
        void ownership.release(entry.id).catch(() => undefined)
      })
  }

  private async end(entry: JobEntry, state: 'done' | 'failed', failure: string | null): Promise<void> {
    await this.parts.repository.setState(entry.id, state, failure)
    this.tell(newsOf(await this.parts.repository.get(entry.id)))
  }

  private async run({ id, key, request }: JobEntry, signal: AbortSignal): Promise<void> {
    const cases = await this.casesOf(request)
    if (this.keyOf(request, cases).key !== key)
      throw new UserError('changed', 'A case has changed since this was asked for; ask for it again.')
    const { graph, ask } = this.parts.evaluations.open({ plan: request.plan, cases }, signal)
    const frames = this.framesOf(request, cases)
    const started = performance.now()
    let before: number | undefined
    await runJob(
      {
        total: frames.length,
        atOnce: Math.max(1, this.parts.threads - 1),
        frame: (i) => {
          const node = nodeOf(graph, request.of, frames[i]!.frame)
          return { key: node.key, ask: () => ask(node, priorities.job) }
        },
        onRows: (done) => {
          before ??= done
          const rate = (done - before) / (performance.now() - started)
          const left = rate > 0 ? (frames.length - done) / rate / 1000 : null
          this.tell({ id, state: 'running', done, total: frames.length, left, failure: null })
        },
        signal,
      },
      this.parts.repository.store(id),
    )
  }

  private tell(news: JobNews): void {
    this.parts.events.send({ type: 'job', data: news })
  }

  private async casesOf({ plan, over, base }: JobRequest): Promise<Cases> {
    const wanted = over.some(({ is }) => is === 'cases') ? Object.keys(plan.cases) : [base.case]
    const cases: Cases = new Map()
    for (const id of casesUsed(plan, wanted)) {
      const uuid = plan.cases[id]
      if (uuid === undefined) throw new UserError('no-case', 'This case is no longer in the study; choose another.')
      cases.set(id, await this.parts.current(uuid))
    }
    return cases
  }

  private framesOf({ plan, over, base }: JobRequest, cases: Cases) {
    return framesOf(plan, over, base, cases as Map<string, CurrentCase>)
  }

  private keyOf(request: JobRequest, cases: Cases): { key: string; total: number } {
    const states = [...cases].map(([id, entry]) => [id, (entry as CurrentCase).key])
    return { key: digest('job', request, states), total: this.framesOf(request, cases).length }
  }
}

function nodeOf(graph: Graph, of: JobRequest['of'], frame: Frame): Node {
  return 'step' in of ? graph.outcome(of.step, frame) : graph.range(frame, graph.frame(frame).expressionOf(of.variable))
}

function newsOf({ id, state, done, total, failure }: JobEntry): JobNews {
  return { id, state, done, total, left: null, failure }
}
