/** Bundles what Node runs by itself: the command line and the workers. Nuxt builds the rest. */
import { build } from 'esbuild'
import { compileKernels } from './kernels.mjs'

const entries = {
  cli: 'cli/main.ts',
  worker: 'server/evaluate/worker.ts',
  importer: 'server/cases/importer.ts',
  placer: 'server/cases/placer.ts',
}
const wanted = process.argv.slice(2)
const chosen = Object.entries(entries).filter(([name]) => wanted.length === 0 || wanted.includes(name))

await compileKernels()
await build({
  entryPoints: Object.fromEntries(chosen),
  outdir: 'dist',
  outExtension: { '.js': '.mjs' },
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  packages: 'external',
  sourcemap: 'linked',
  logLevel: 'warning',
})
