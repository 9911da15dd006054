/** Everything the routes use, made once at start. */
import { mkdir, readdir } from 'node:fs/promises'
import { availableParallelism } from 'node:os'
import { join } from 'node:path'
import type { Knex } from 'knex'
import { Piscina } from 'piscina'
import type { Catalogue } from '../core/case/catalogue'
import { addedMoments, keepDescription } from '../core/case/describeCase'
import { keepVersions, needsVersions, withVersions } from '../core/case/meshVersions'
import { Cancelled, UserError } from '../core/errors'
import { CaseChecks } from './cases/CaseChecks'
import { CaseStore } from './cases/CaseStore'
import type { RunningImport } from './cases/CaseStore'
import type { CaseSource, ImportNews } from './cases/messages'
import { grownSeries } from './cases/sources'
import { dropAbandoned } from './cases/uploads'
import { CaseRepository } from './db/cases'
import { ChartTemplateRepository } from './db/chartTemplates'
import { connect, migrate } from './db/connection'
import { Ownership } from './db/Ownership'
import { JobRepository } from './db/jobs'
import { StudyRepository } from './db/studies'
import { Evaluations } from './evaluate/Evaluations'
import type { CurrentCase } from './evaluate/Evaluations'
import { Threads } from './evaluate/Threads'
import { Events } from './Events'
import { Jobs } from './jobs/Jobs'
import { budgets } from './settings'
import type { Settings } from './settings'

export interface ImportProgress {
  share: number
  what: string
  /** Seconds that are likely left; null while too little is known. */
  left: number | null
  /** How often the first look was made: grey, then coloured. */
  looks: number
}

/** Milliseconds after which an idle reader ends; until then it keeps its cases open. */
const READER_IDLE = 60_000
/** Milliseconds for which the files of a case in use count as unchanged. */
const LOOK_EVERY = 5000
/** Milliseconds between looks whether another server has left a case half read. */
const TAKE_OVER_EVERY = 30_000

export class Services {
  readonly imports = new Map<string, { running: RunningImport; progress: ImportProgress }>()

  private isStopping = false
  private changes: Promise<void> = Promise.resolve()
  /** When the files of a case were looked at last. */
  private readonly looked = new Map<string, { at: number; done: Promise<void> }>()
  private takeOver: ReturnType<typeof setInterval> | undefined

  private constructor(
    readonly settings: Settings,
    private readonly db: Knex,
    readonly events: Events,
    private readonly ownership: Ownership,
    readonly cases: CaseRepository,
    readonly studies: StudyRepository,
    readonly chartTemplates: ChartTemplateRepository,
    readonly store: CaseStore,
    readonly threads: Threads,
    readonly evaluations: Evaluations,
    readonly checks: CaseChecks,
    readonly jobs: Jobs,
    private readonly pools: Piscina[],
  ) {}

  static async start(settings: Settings): Promise<Services> {
    const db = connect(settings.databaseUrl)
    await migrate(db)
    for (const folder of [settings.store, settings.uploads, settings.folders[0]!.path]) await mkdir(folder, { recursive: true })
    const share = budgets(settings.memory, availableParallelism(), settings.threads)
    const filename = join(settings.bundles, 'importer.mjs')
    const reader = (): Piscina => new Piscina({ filename, minThreads: 0, maxThreads: 1, idleTimeout: READER_IDLE })
    const readers = { importer: reader(), reader: reader(), looker: reader() }
    const store = new CaseStore(settings.store, readers, { ...share, disk: settings.disk })
    const threads = new Threads({
      file: join(settings.bundles, 'worker.mjs'),
      count: share.threads,
      arenaBytes: share.arena,
      root: settings.store,
      isStrict: settings.isStrict,
    })
    const evaluations = new Evaluations(threads, store)
    const checks = new CaseChecks(store, evaluations)
    const repositories = [new Ownership(db), new CaseRepository(db), new StudyRepository(db), new ChartTemplateRepository(db)] as const
    const events = new Events()
    const jobs: Jobs = new Jobs({
      ...{ repository: new JobRepository(db), ownership: repositories[0], evaluations, events, threads: share.threads },
      current: (id): Promise<CurrentCase> => services.current(id),
    })
    const services: Services = new Services(
      settings,
      db,
      events,
      ...repositories,
      store,
      threads,
      evaluations,
      checks,
      jobs,
      Object.values(readers),
    )
    store.onChanged = (id) => void services.lookAgain(id).catch(() => undefined)
    await services.recover()
    return services
  }

  /** Imports cut short by a stop start again, unless another server is at them; stores that no case needs are removed. */
  private async recover(): Promise<void> {
    await dropAbandoned(this.settings)
    const rows = await this.cases.all()
    const deleted = new Set(await this.cases.deleted())
    for (const name of await readdir(this.settings.store)) {
      if (deleted.has(name) && (await this.ownership.take(name))) {
        await this.store.remove(name)
        await this.ownership.release(name)
      }
    }
    for (const { id, generation } of rows) {
      await this.dropOldGenerations(id, generation)
      await this.store.sweep(id, generation)
    }
    await this.restartImports()
    await this.jobs.recover()
    this.takeOver = setInterval(() => {
      void this.restartImports().catch(() => undefined)
      void this.jobs.recover().catch(() => undefined)
    }, TAKE_OVER_EVERY)
    this.takeOver.unref()
  }

  private async dropOldGenerations(id: string, current: string): Promise<void> {
    const old = await this.oldGenerations(id, current)
    if (!old.length || !(await this.ownership.take(id))) return
    await this.store.remove(id, old)
    if (!this.imports.has(id)) await this.ownership.release(id)
  }

  /** Cases that are being read by nobody. */
  private async restartImports(): Promise<void> {
    for (const { id, state, source, generation } of await this.cases.all()) {
      if (state !== 'reading' || this.imports.has(id) || !(await this.ownership.take(id))) continue
      await this.store.remove(id)
      this.startImport(id, generation, source)
    }
  }

  async bringIn(name: string, source: CaseSource): Promise<string> {
    const id = await this.cases.add(name, source)
    const { generation } = await this.cases.get(id)
    if (await this.ownership.take(id)) this.startImport(id, generation, source)
    return id
  }

  private startImport(id: string, generation: string, source: CaseSource): void {
    const progress: ImportProgress = { share: 0, what: 'waiting', left: null, looks: 0 }
    let started = 0
    let shown = Promise.resolve()
    const onNews = (news: ImportNews): void => {
      started ||= performance.now()
      const spent = (performance.now() - started) / 1000
      if (news.news === 'progress') {
        const left = news.share > 0.05 ? (spent * (1 - news.share)) / news.share : null
        Object.assign(progress, { share: news.share, what: news.what, left })
      }
      if (news.news === 'look') progress.looks++
      // the catalogue arrives long before the case is read; it must not overwrite later findings
      if (news.news === 'catalogue') shown = shown.then(() => this.setFound(id, news.catalogue)).catch(() => undefined)
      this.events.send({ type: 'progress', data: { id, progress } })
    }
    // queued behind another import its catalogue would be late
    if (this.imports.size) {
      const found = this.store.look(source)
      shown = found.then((catalogue) => (started ? undefined : this.setFound(id, catalogue))).catch(() => undefined)
    }
    const running = this.store.start(id, generation, source, onNews)
    this.imports.set(id, { running, progress })
    void running.done
      .finally(() => shown)
      .then(
        (catalogue) => this.setRead(id, catalogue),
        (error: unknown) => this.fail(id, error),
      )
      .finally(() => {
        this.imports.delete(id)
        void this.ownership.release(id).catch(() => undefined)
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
    this.looked.set(id, { at: performance.now(), done: Promise.resolve() })
    await this.cases.setReady(id, known ? keepDescription(catalogue, known) : catalogue)
  }

  /**
   * Looks whether the files of a case have changed. New moments are added; if anything else differs, the case is imported again.
   *
   * @returns what was found, for the user
   */
  async lookAgain(id: string): Promise<string> {
    if (this.imports.has(id)) throw new UserError('not-ready', 'This case is still being read; look again when it is done.')
    const { source, catalogue: known, state, generation } = await this.cases.get(id)
    const files = await grownSeries(source)
    const now = { ...source, files }
    const fresh = await this.store.look(now)
    if (files.join() !== source.files.join()) await this.cases.setSource(id, now)
    const isSame = known && state === 'ready' && (await this.store.haveGrown({ id, generation, source, catalogue: known }))
    const added = isSame ? addedMoments(known, fresh) : null
    if (added === null) {
      await this.readAnew(id, now)
      return 'The files are not those that were read: the case is read anew.'
    }
    this.looked.set(id, { at: performance.now(), done: Promise.resolve() })
    if (added === 0) return 'There is nothing new.'
    await this.setCatalogue(id, (catalogue) => keepVersions(keepDescription({ ...fresh, parts: catalogue.parts }, catalogue), catalogue))
    void this.findVersions(id).catch(() => undefined)
    return `${added} new ${added === 1 ? 'moment has' : 'moments have'} been added.`
  }

  private async readAnew(id: string, source: CaseSource): Promise<void> {
    if (this.imports.has(id) || !(await this.ownership.take(id))) return
    const generation = await this.cases.setReading(id)
    const { generation: current } = await this.cases.get(id)
    if (this.imports.has(id) || generation !== current) return
    this.startImport(id, generation, source)
    await this.store.remove(id, await this.oldGenerations(id, generation))
    this.events.send({ type: 'case', data: { id, state: 'changed' } })
  }

  private async oldGenerations(id: string, current: string): Promise<string[]> {
    const names = await readdir(join(this.settings.store, id)).catch(() => [])
    return names.filter((name) => name !== current)
  }

  /** Guesses what the file leaves open, when the case was read and is still wanted. */
  private async lookAtAll(id: string): Promise<void> {
    try {
      const guess = await this.checks.lookAtAll(await this.ready(id))
      await this.setCatalogue(id, guess)
      await this.findVersions(id)
    } catch (error) {
      // taken out, failed or stopped in the meantime: there is nothing to guess for
      if (!(error instanceof UserError) && !this.isStopping) {
        process.stderr.write(`stavik: the data check of ${id} stopped: ${(error as Error).message}\n`)
      }
    }
  }

  /** Moments that have meshes of their own although a quick look took them for one. */
  private async findVersions(id: string): Promise<void> {
    const entry = await this.ready(id)
    if (entry.catalogue.moments.length < 2) return
    const keys = await this.store.meshKeys(entry)
    if (needsVersions(entry.catalogue, keys)) await this.setCatalogue(id, (catalogue) => withVersions(catalogue, keys))
  }

  private async fail(id: string, error: unknown): Promise<void> {
    // stopped in the middle: the case stays “reading” and starts again next time
    if (this.isStopping) return
    if (error instanceof Cancelled) await this.cases.setDeleted(id, true)
    else
      await this.cases.setFailed(
        id,
        error instanceof UserError ? error.message : `The file could not be read (${(error as Error).message}).`,
      )
  }

  /**
   * A case to compute on, whose files are those that were read: looked at every few seconds while it is used.
   *
   * @throws UserError with the state it is in
   */
  async current(id: string): Promise<CurrentCase> {
    await this.ready(id)
    const last = this.looked.get(id)
    if (last && performance.now() - last.at < LOOK_EVERY) await last.done
    else {
      const done = this.lookForChanges(id, last === undefined)
      this.looked.set(id, { at: performance.now(), done: done.catch(() => undefined) })
      await done
    }
    return this.ready(id)
  }

  private async lookForChanges(id: string, isFirst: boolean): Promise<void> {
    const entry = await this.ready(id)
    if (!(await this.store.isUnchanged(entry, isFirst))) await this.lookAgain(id)
  }

  /** A case that is ready, without a look at its files. @throws UserError with the state it is in */
  async ready(id: string): Promise<CurrentCase> {
    const { state, failure, catalogue, source, generation, version } = await this.cases.get(id)
    if (state === 'failed') throw new UserError('failed', failure ?? 'This case could not be read.')
    if (state !== 'ready' || !catalogue) throw new UserError('not-ready', 'This case is still being read; wait a moment.')
    return { id, source, catalogue, generation, key: `${id} ${generation} ${version}` }
  }

  /** The catalogue of a case, also while it is being read. @throws UserError when that is not known yet */
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
    clearInterval(this.takeOver)
    this.jobs.stop()
    await Promise.all([this.threads.close(), ...this.pools.map((pool) => pool.destroy())])
    await this.ownership.close()
    await this.db.destroy()
  }
}
