/** Jobs and their rows. */
import { randomUUID } from 'node:crypto'
import type { Knex } from 'knex'
import type { Key } from '../../core/digest'
import { UserError } from '../../core/errors'
import type { JobRow, RowStore } from '../../core/evaluate/jobs'
import type { Frame, Plan } from '../../core/evaluate/plan'
import type { Over } from '../../core/study/over'

export interface JobRequest {
  plan: Plan
  /** A reading or a curve of a step, or the range of a variable over the case. */
  of: { step: string } | { variable: string }
  over: Over
  /** Case and moment of what is not taken over. */
  base: Frame
}

export type JobState = 'running' | 'done' | 'cancelled' | 'failed'

export interface JobEntry {
  id: string
  key: Key
  request: JobRequest
  state: JobState
  done: number
  total: number
  failure: string | null
}

export interface NumberedRow extends JobRow {
  number: number
}

const columns = ['id', 'key', 'request', 'state', 'done', 'total', 'failure']
/** Rows sent at a time. */
const MOST_ROWS = 2000

export class JobRepository {
  constructor(private readonly db: Knex) {}

  /** The job with a key; a new one if there is none. */
  async find(key: Key, request: JobRequest, total: number): Promise<JobEntry> {
    await this.db('jobs').insert({ id: randomUUID(), key, request, state: 'running', done: 0, total }).onConflict('key').ignore()
    return (await this.db('jobs').where({ key }).first<JobEntry>(columns))!
  }

  /** @throws UserError when there is none */
  async get(id: string): Promise<JobEntry> {
    const entry = await this.db('jobs').where({ id }).first<JobEntry | undefined>(columns)
    if (!entry) throw new UserError('no-job', 'This table is no longer there; ask for it again.')
    return entry
  }

  running(): Promise<JobEntry[]> {
    return this.db('jobs').where({ state: 'running' }).orderBy('made').select<JobEntry[]>(columns)
  }

  async setState(id: string, state: JobState, failure: string | null = null): Promise<void> {
    await this.db('jobs').where({ id }).update({ state, failure })
  }

  /** The next rows behind a number, in the order in which they were written. */
  rows(id: string, after: number): Promise<NumberedRow[]> {
    return this.db('job_rows')
      .where({ job: id })
      .where('number', '>', after)
      .orderBy('number')
      .limit(MOST_ROWS)
      .select<NumberedRow[]>(this.db.raw('number::float8'), 'frame', 'key', 'value', 'failure')
  }

  store(id: string): RowStore {
    return {
      done: async () => new Set(await this.db('job_rows').where({ job: id }).pluck<number[]>('frame')),
      known: async (key) => (await this.db('job_rows').where({ key }).whereNull('failure').first<{ value: unknown }>('value'))?.value,
      add: (rows) =>
        this.db.transaction(async (tx) => {
          const values = rows.map(({ frame, key, value, failure }) => ({ job: id, frame, key, value: JSON.stringify(value), failure }))
          await tx('job_rows').insert(values).onConflict(['job', 'frame']).merge()
          const { count } = (await tx('job_rows').where({ job: id }).count('* as count').first<{ count: string }>())!
          await tx('jobs')
            .where({ id })
            .update({ done: Number(count) })
        }),
    }
  }

  /** Rows that failed are computed again. */
  async forgetFailures(id: string): Promise<void> {
    await this.db('job_rows').where({ job: id }).whereNotNull('failure').delete()
  }
}
