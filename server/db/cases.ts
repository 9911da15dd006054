/** Cases in the database. Catalogues may be large: they are read again only when they have changed. */
import { randomUUID } from 'node:crypto'
import type { Knex } from 'knex'
import { UserError } from '../../core/errors'
import type { Catalogue } from '../../core/case/catalogue'
import type { CaseSource } from '../cases/messages'

export interface CaseRow {
  id: string
  name: string
  source: CaseSource
  catalogue: Catalogue | null
  state: 'reading' | 'ready' | 'failed'
  failure: string | null
  created: Date
  /** Changes whenever the case is imported again. */
  generation: string
  /** Raised by every change. */
  version: number
}

const columns = ['id', 'name', 'source', 'catalogue', 'state', 'failure', 'created', 'generation', 'version'] as const

export class CaseRepository {
  private readonly known = new Map<string, CaseRow>()

  constructor(private readonly db: Knex) {}

  async all(): Promise<CaseRow[]> {
    const rows = await this.db<CaseRow>('cases')
      .select('id', 'version')
      .where({ deleted: false } as object)
      .orderBy('created')
    return Promise.all(rows.map(({ id, version }) => this.current(id, version)))
  }

  /** Ids of those that were taken out, but can be brought back. */
  async deleted(): Promise<string[]> {
    const rows = await this.db<CaseRow>('cases')
      .select('id')
      .where({ deleted: true } as object)
    return rows.map(({ id }) => id)
  }

  /** @throws UserError when there is no such case */
  async get(id: string): Promise<CaseRow> {
    const row = await this.db<CaseRow>('cases')
      .first('version')
      .where({ id, deleted: false } as object)
    if (!row) throw gone()
    return this.current(id, row.version)
  }

  async add(name: string, source: CaseSource): Promise<string> {
    const id = randomUUID()
    await this.db('cases').insert({ id, name, source: JSON.stringify(source), state: 'reading', generation: randomUUID() })
    return id
  }

  async setReady(id: string, catalogue: Catalogue): Promise<void> {
    await this.change(id, { state: 'ready', catalogue: JSON.stringify(catalogue), failure: null })
  }

  async setFailed(id: string, failure: string): Promise<void> {
    await this.change(id, { state: 'failed', failure })
  }

  async setCatalogue(id: string, catalogue: Catalogue): Promise<void> {
    await this.change(id, { catalogue: JSON.stringify(catalogue) })
  }

  async setSource(id: string, source: CaseSource): Promise<void> {
    await this.change(id, { source: JSON.stringify(source) })
  }

  /** From now on it is another generation. The catalogue stays: what was said of the case is in it. @returns the generation */
  async setReading(id: string): Promise<string> {
    const generation = randomUUID()
    await this.change(id, { state: 'reading', failure: null, generation })
    return generation
  }

  async rename(id: string, name: string): Promise<void> {
    await this.change(id, { name })
  }

  /** Hides or shows a case again; its files stay until the store is cleaned. */
  async setDeleted(id: string, deleted: boolean): Promise<void> {
    await this.change(id, { deleted })
  }

  private async change(id: string, columns: Record<string, unknown>): Promise<void> {
    await this.db('cases')
      .where({ id })
      .update({ ...columns, version: this.db.raw('version + 1') })
  }

  /** The row as it is in the database, from memory where that is the same. */
  private async current(id: string, version: number): Promise<CaseRow> {
    const known = this.known.get(id)
    if (known?.version === version) return known
    const row = await this.db<CaseRow>('cases')
      .first(...columns)
      .where({ id } as object)
    if (!row) throw gone()
    this.known.set(id, row)
    return row
  }
}

function gone(): UserError {
  return new UserError('no-case', 'This case no longer exists; bring its file in again.')
}
