/** Cases in the database. */
import { randomUUID } from 'node:crypto'
import type { Knex } from 'knex'
import { UserError } from '../../core/errors'
import type { Catalogue } from '../../core/study/caseModel'
import type { CaseSource } from '../work/messages'

export interface CaseRow {
  id: string
  name: string
  source: CaseSource
  catalogue: Catalogue | null
  state: 'reading' | 'ready' | 'failed'
  failure: string | null
  created: Date
}

const columns = ['id', 'name', 'source', 'catalogue', 'state', 'failure', 'created'] as const

export class CaseRepository {
  constructor(private readonly db: Knex) {}

  async all(): Promise<CaseRow[]> {
    return this.db<CaseRow>('cases').select(...columns).where({ deleted: false } as object).orderBy('created')
  }

  /** @throws UserError when there is no such case */
  async get(id: string): Promise<CaseRow> {
    const row = await this.db<CaseRow>('cases').first(...columns).where({ id, deleted: false } as object)
    if (!row) throw new UserError('no-case', 'This case no longer exists; bring its file in again.')
    return row
  }

  async add(name: string, source: CaseSource): Promise<string> {
    const id = randomUUID()
    await this.db('cases').insert({ id, name, source: JSON.stringify(source), state: 'reading' })
    return id
  }

  async setReady(id: string, catalogue: Catalogue): Promise<void> {
    await this.db('cases').where({ id }).update({ state: 'ready', catalogue: JSON.stringify(catalogue), failure: null })
  }

  async setFailed(id: string, failure: string): Promise<void> {
    await this.db('cases').where({ id }).update({ state: 'failed', failure })
  }

  async setCatalogue(id: string, catalogue: Catalogue): Promise<void> {
    await this.db('cases').where({ id }).update({ catalogue: JSON.stringify(catalogue) })
  }

  async setSource(id: string, source: CaseSource): Promise<void> {
    await this.db('cases').where({ id }).update({ source: JSON.stringify(source) })
  }

  /** The catalogue stays: what was said of the case is in it. */
  async setReading(id: string): Promise<void> {
    await this.db('cases').where({ id }).update({ state: 'reading', failure: null })
  }

  async rename(id: string, name: string): Promise<void> {
    await this.db('cases').where({ id }).update({ name })
  }

  /** Hides or shows a case again; its files stay until the store is cleaned. */
  async setDeleted(id: string, deleted: boolean): Promise<void> {
    await this.db('cases').where({ id }).update({ deleted })
  }
}
