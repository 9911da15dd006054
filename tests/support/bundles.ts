/** The threads as they run in the server, bundled below the project, where they find their libraries. */
import { rm } from 'node:fs/promises'
import { join, resolve } from 'node:path'
import { build } from 'esbuild'
import { Piscina } from 'piscina'
import { Threads } from '../../server/evaluate/Threads'
import type { ThreadsOptions } from '../../server/evaluate/Threads'

export interface Workers {
  importer: Piscina
  reader: Piscina
  looker: Piscina
  /** Threads that compute on the stores below a folder. */
  threads(root: string, options?: Partial<ThreadsOptions>): Threads
  close(): Promise<void>
}

/** @param name  of the folder for them, another one for each file of tests */
export async function startWorkers(name: string): Promise<Workers> {
  const outdir = resolve('node_modules/.cache', name)
  const entryPoints = { worker: 'server/evaluate/worker.ts', importer: 'server/cases/importer.ts', placer: 'server/cases/placer.ts' }
  await build({
    entryPoints,
    outdir,
    outExtension: { '.js': '.mjs' },
    bundle: true,
    platform: 'node',
    format: 'esm',
    packages: 'external',
    logLevel: 'error',
  })
  const pool = (): Piscina => new Piscina({ filename: join(outdir, 'importer.mjs'), minThreads: 1, maxThreads: 1 })
  const pools = { importer: pool(), reader: pool(), looker: pool() }
  const computing: Threads[] = []
  return {
    ...pools,
    threads(root, options = {}) {
      const made = new Threads({ file: join(outdir, 'worker.mjs'), count: 2, arenaBytes: 96 * 2 ** 20, root, isStrict: true, ...options })
      computing.push(made)
      return made
    },
    async close() {
      await Promise.all([...Object.values(pools).map((p) => p.destroy()), ...computing.map((threads) => threads.close())])
      await rm(outdir, { recursive: true, force: true })
    },
  }
}
