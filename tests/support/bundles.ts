/** The workers as they run in the server, bundled below the project, where they find their libraries. */
import { rm } from 'node:fs/promises'
import { join, resolve } from 'node:path'
import { build } from 'esbuild'
import { Piscina } from 'piscina'

export interface Workers {
  worker: Piscina
  importer: Piscina
  looker: Piscina
  close(): Promise<void>
}

/** @param name  of the folder for them, another one for each file of tests */
export async function startWorkers(name: string, maxThreads = 1): Promise<Workers> {
  const outdir = resolve('node_modules/.cache', name)
  const entryPoints = { worker: 'server/work/worker.ts', importer: 'server/work/importer.ts', placer: 'server/work/placer.ts' }
  await build({ entryPoints, outdir, outExtension: { '.js': '.mjs' }, bundle: true, platform: 'node', format: 'esm', packages: 'external', logLevel: 'error' })
  const pool = (file: string): Piscina => new Piscina({ filename: join(outdir, `${file}.mjs`), minThreads: 1, maxThreads })
  const pools = { worker: pool('worker'), importer: pool('importer'), looker: pool('importer') }
  return {
    ...pools,
    async close() {
      await Promise.all(Object.values(pools).map((p) => p.destroy()))
      await rm(outdir, { recursive: true, force: true })
    },
  }
}
