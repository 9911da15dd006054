/** Everything the routes use, made once at start. */
import { mkdir, rm, readdir } from 'node:fs/promises'
import { join } from 'node:path'
import { availableParallelism } from 'node:os'
import type { Knex } from 'knex'
import { Piscina } from 'piscina'
import { Cancelled, UserError } from '../../core/errors'
import type { Catalogue } from '../../core/study/caseModel'
import { CaseRepository } from '../db/cases'
import { connect, migrate } from '../db/connection'
import { StudyRepository } from '../db/studies'
import { CaseStore } from './CaseStore'
import type { RunningImport, StoredCase } from './CaseStore'
import { Evaluations } from './Evaluations'
import { Events } from './Events'
import type { CaseSource, ImportNews } from './messages'
import { budgets } from './settings'
import type { Settings } from './settings'

export interface ImportProgress {
  share: number
  what: string
  hasSkin: boolean
}

export class Services {
  readonly events = new Events()
  readonly imports = new Map<string, { running: RunningImport; progress: ImportProgress }>()

  private isStopping = false

  private constructor(
    readonly settings: Settings,
    private readonly db: Knex,
    readonly cases: CaseRepository,
    readonly studies: StudyRepository,
    readonly store: CaseStore,
    readonly evaluations: Evaluations,
    private readonly pools: Piscina[],
  ) {}

  static async start(settings: Settings): Promise<Services> {
    const db = connect(settings.databaseUrl)
    await migrate(db)
    for (const folder of [settings.store, settings.uploads, ...settings.folders.map((f) => f.path)]) await mkdir(folder, { recursive: true })
    const share = budgets(settings.memory)
    const threads = Math.max(1, Math.min(8, availableParallelism()))
    const pool = new Piscina({ filename: join(settings.bundles, 'worker.mjs'), minThreads: threads, maxThreads: threads })
    // one importer: its memory is the largest single need
    const importers = new Piscina({ filename: join(settings.bundles, 'importer.mjs'), minThreads: 0, maxThreads: 1, idleTimeout: 5000 })
    const store = new CaseStore(settings.store, importers, { ...share, disk: settings.disk })
    const services = new Services(settings, db, new CaseRepository(db), new StudyRepository(db), store, new Evaluations(pool, store, share), [pool, importers])
    await services.recover()
    return services
  }

  /** Imports cut short by a stop start again; stores nobody knows of are removed. */
  private async recover(): Promise<void> {
    const rows = await this.cases.all()
    const known = new Set(rows.map((row) => row.id))
    for (const name of await readdir(this.settings.store)) if (!known.has(name)) await rm(join(this.settings.store, name), { recursive: true, force: true })
    for (const row of rows) {
      if (row.state !== 'reading') continue
      await this.store.remove(row.id)
      this.startImport(row.id, row.source)
    }
  }

  async bringIn(name: string, source: CaseSource): Promise<string> {
    const id = await this.cases.add(name, source)
    this.startImport(id, source)
    return id
  }

  private startImport(id: string, source: CaseSource): void {
    const progress: ImportProgress = { share: 0, what: 'waiting', hasSkin: false }
    const onNews = (news: ImportNews): void => {
      if (news.news === 'progress') Object.assign(progress, { share: news.share, what: news.what })
      if (news.news === 'skin') progress.hasSkin = true
      this.events.send({ type: 'case', data: { id, state: 'reading', progress } })
    }
    const running = this.store.start(id, source, onNews)
    this.imports.set(id, { running, progress })
    void running.done
      .then((catalogue) => this.cases.setReady(id, catalogue), (error: unknown) => this.fail(id, error))
      .finally(() => {
        this.imports.delete(id)
        this.events.send({ type: 'case', data: { id, state: 'done' } })
      })
  }

  private async fail(id: string, error: unknown): Promise<void> {
    // stopped in the middle: the case stays “reading” and starts again next time
    if (this.isStopping) return
    if (error instanceof Cancelled) await this.cases.setDeleted(id, true)
    else await this.cases.setFailed(id, error instanceof UserError ? error.message : `The file could not be read (${(error as Error).message}).`)
  }

  /** A case that is ready to be computed on. @throws UserError with the state it is in */
  async ready(id: string): Promise<StoredCase> {
    const row = await this.cases.get(id)
    if (row.state === 'failed') throw new UserError('failed', row.failure ?? 'This case could not be read.')
    if (row.state !== 'ready' || !row.catalogue) throw new UserError('not-ready', 'This case is still being read; wait a moment.')
    return { id, source: row.source, catalogue: row.catalogue }
  }

  async setCatalogue(id: string, change: (catalogue: Catalogue) => Catalogue): Promise<Catalogue> {
    const { catalogue } = await this.ready(id)
    const changed = change(catalogue)
    await this.cases.setCatalogue(id, changed)
    this.events.send({ type: 'case', data: { id, state: 'changed' } })
    return changed
  }

  async stop(): Promise<void> {
    this.isStopping = true
    await Promise.all(this.pools.map((pool) => pool.destroy()))
    await this.db.destroy()
  }
}
