/** Everything the routes use, made once at start. */
import { mkdir, rm, readdir } from 'node:fs/promises'
import { join } from 'node:path'
import { availableParallelism } from 'node:os'
import type { Knex } from 'knex'
import { Piscina } from 'piscina'
import { addedMoments, keepDescription } from '../../core/check/describeCase'
import { needsVersions, withVersions } from '../../core/check/meshVersions'
import { Cancelled, UserError } from '../../core/errors'
import type { Catalogue } from '../../core/study/caseModel'
import { CaseRepository } from '../db/cases'
import { connect, migrate } from '../db/connection'
import { StudyRepository } from '../db/studies'
import { CaseChecks } from './CaseChecks'
import { CaseStore } from './CaseStore'
import type { RunningImport, StoredCase } from './CaseStore'
import { Evaluations } from './Evaluations'
import { Events } from './Events'
import type { CaseSource, ImportNews } from './messages'
import { budgets } from './settings'
import { grownSeries } from './sources'
import { dropAbandoned } from './uploads'
import type { Settings } from './settings'

export interface ImportProgress {
  share: number
  what: string
  /** Seconds that are likely left; null while too little is known. */
  left: number | null
  /** How often the first look was made: grey, then coloured. */
  looks: number
}

/** Milliseconds after which a reader that nobody needs ends: cases it keeps open need not be looked through again meanwhile. */
const IMPORTER_IDLE = 60_000

export class Services {
  readonly events = new Events()
  readonly imports = new Map<string, { running: RunningImport; progress: ImportProgress }>()

  private isStopping = false
  private changes: Promise<void> = Promise.resolve()

  private constructor(
    readonly settings: Settings,
    private readonly db: Knex,
    readonly cases: CaseRepository,
    readonly studies: StudyRepository,
    readonly store: CaseStore,
    readonly evaluations: Evaluations,
    readonly checks: CaseChecks,
    private readonly pools: Piscina[],
  ) {}

  static async start(settings: Settings): Promise<Services> {
    const db = connect(settings.databaseUrl)
    await migrate(db)
    for (const folder of [settings.store, settings.uploads, settings.folders[0]!.path]) await mkdir(folder, { recursive: true })
    const share = budgets(settings.memory)
    const threads = Math.max(1, Math.min(8, availableParallelism()))
    const pool = new Piscina({ filename: join(settings.bundles, 'worker.mjs'), minThreads: threads, maxThreads: threads })
    // one importer: its memory is the largest single need; looking into a file takes little and does not wait for it
    const reader = (): Piscina => new Piscina({ filename: join(settings.bundles, 'importer.mjs'), minThreads: 0, maxThreads: 1, idleTimeout: IMPORTER_IDLE })
    const readers = { importer: reader(), looker: reader() }
    const store = new CaseStore(settings.store, readers, { ...share, disk: settings.disk })
    const evaluations = new Evaluations(pool, store, share)
    const checks = new CaseChecks(store, evaluations)
    const services = new Services(settings, db, new CaseRepository(db), new StudyRepository(db), store, evaluations, checks, [pool, readers.importer, readers.looker])
    await services.recover()
    return services
  }

  /** Imports cut short by a stop start again; stores nobody knows of are removed. */
  private async recover(): Promise<void> {
    await dropAbandoned(this.settings)
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
    const progress: ImportProgress = { share: 0, what: 'waiting', left: null, looks: 0 }
    let started = 0
    let shown = Promise.resolve()
    const onNews = (news: ImportNews): void => {
      started ||= performance.now()
      const spent = (performance.now() - started) / 1000
      if (news.news === 'progress') Object.assign(progress, { share: news.share, what: news.what, left: news.share > 0.05 ? (spent * (1 - news.share)) / news.share : null })
      if (news.news === 'look') progress.looks++
      // what is in the case shows long before it is read; it must not overtake what reading it finds
      if (news.news === 'catalogue') shown = shown.then(() => this.setFound(id, news.catalogue)).catch(() => undefined)
      this.events.send({ type: 'case', data: { id, state: 'reading', progress } })
    }
    // behind another case it would wait to show what is in it
    if (this.imports.size) shown = this.store.look(source).then((catalogue) => (started ? undefined : this.setFound(id, catalogue))).catch(() => undefined)
    const running = this.store.start(id, source, onNews)
    this.imports.set(id, { running, progress })
    void running.done
      .finally(() => shown)
      .then((catalogue) => this.setRead(id, catalogue), (error: unknown) => this.fail(id, error))
      .finally(() => {
        this.imports.delete(id)
        this.events.send({ type: 'case', data: { id, state: 'done' } })
      })
      .then(() => this.lookAtAll(id))
  }

  private async setFound(id: string, catalogue: Catalogue): Promise<void> {
    const { catalogue: known } = await this.cases.get(id)
    await this.cases.setCatalogue(id, known ? keepDescription(catalogue, known) : catalogue)
    this.events.send({ type: 'case', data: { id, state: 'found' } })
  }

  /** What was said of an earlier reading stays said. */
  private async setRead(id: string, catalogue: Catalogue): Promise<void> {
    const { catalogue: known } = await this.cases.get(id)
    await this.cases.setReady(id, known ? keepDescription(catalogue, known) : catalogue)
  }

  /**
   * Looks whether the files of a case have grown. New moments are added; where anything else is another, the case is
   * read anew. @returns what was found, for the user
   */
  async refresh(id: string): Promise<string> {
    if (this.imports.has(id)) throw new UserError('not-ready', 'This case is still being read; look again when it is done.')
    const { source, catalogue: known, state } = await this.cases.get(id)
    const files = await grownSeries(source)
    const fresh = await this.store.look({ ...source, files })
    await this.cases.setSource(id, { ...source, files })
    const added = known && state === 'ready' ? addedMoments(known, fresh) : null
    if (added === null) {
      this.evaluations.forget(id)
      await this.store.remove(id)
      await this.cases.setReading(id)
      this.startImport(id, { ...source, files })
      return 'The files are others than those that were read: the case is read anew.'
    }
    if (added === 0) return 'There is nothing new.'
    await this.setCatalogue(id, (catalogue) => keepDescription({ ...fresh, parts: catalogue.parts }, catalogue))
    return `${added} new ${added === 1 ? 'moment has' : 'moments have'} been added.`
  }

  /** Guesses what the file leaves open, when the case was read and is still wanted. */
  private async lookAtAll(id: string): Promise<void> {
    try {
      const guess = await this.checks.lookAtAll(await this.ready(id))
      await this.setCatalogue(id, guess)
      const stored = await this.ready(id)
      if (stored.catalogue.moments.length < 2) return
      const keys = await this.store.meshKeys(stored)
      if (needsVersions(stored.catalogue, keys)) await this.setCatalogue(id, (catalogue) => withVersions(catalogue, keys))
    } catch (error) {
      // taken out, failed or stopped in the meantime: there is nothing to guess for
      if (!(error instanceof UserError) && !this.isStopping) process.stderr.write(`stavik: the data check of ${id} stopped: ${(error as Error).message}\n`)
    }
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

  /** What is in a case, while it is being read too. @throws UserError when that is not known yet */
  async catalogue(id: string): Promise<Catalogue> {
    const row = await this.cases.get(id)
    if (row.state !== 'failed' && row.catalogue) return row.catalogue
    return (await this.ready(id)).catalogue
  }

  /** Changes follow one another: each starts from what the last one left. */
  setCatalogue(id: string, change: (catalogue: Catalogue) => Catalogue): Promise<void> {
    const next = this.changes.then(async () => {
      const catalogue = await this.catalogue(id)
      await this.cases.setCatalogue(id, change(catalogue))
      this.events.send({ type: 'case', data: { id, state: 'changed' } })
    })
    this.changes = next.catch(() => undefined)
    return next
  }

  async stop(): Promise<void> {
    this.isStopping = true
    await Promise.all(this.pools.map((pool) => pool.destroy()))
    await this.db.destroy()
  }
}
