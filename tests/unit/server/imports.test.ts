import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { dirname, join, resolve } from 'node:path'
import { build } from 'esbuild'
import { Piscina } from 'piscina'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Plan } from '../../../core/study/plan'
import { CaseStore } from '../../../server/work/CaseStore'
import { Evaluations } from '../../../server/work/Evaluations'
import { foamCase } from '../../support/writers/foam'
import { frdFile } from '../../support/writers/frd'
import { cgnsFile, writeHdf5 } from '../../support/writers/hdf5'
import { boxModel, EXACT } from '../../support/writers/model'
import { orders, quadraticCell, quadraticVolumes } from '../../support/writers/quadratic'

/** Through the server's own path: importer, block store, workers. Numbers must be those of the command line. */
let folder: string
let bundles: string
let pools: Piscina[]
let store: CaseStore
let evaluations: Evaluations
const model = boxModel()

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'stavik-imports-'))
  // below the project, where the workers find their libraries
  bundles = resolve('node_modules/.cache/stavik-imports')
  const entryPoints = { worker: 'server/work/worker.ts', importer: 'server/work/importer.ts' }
  await build({ entryPoints, outdir: bundles, outExtension: { '.js': '.mjs' }, bundle: true, platform: 'node', format: 'esm', packages: 'external', logLevel: 'error' })
  for (const [name, bytes] of Object.entries(foamCase(model, { processors: 2, isBinary: true, times: ['0', '2'] }))) {
    await mkdir(dirname(join(folder, 'run', name)), { recursive: true })
    await writeFile(join(folder, 'run', name), bytes)
  }
  await writeHdf5(join(folder, 'faces.cgns'), cgnsFile(model, 'faces'))
  const nodes = quadraticCell('hexahedron20', orders.frd)
  const curved = { points: nodes, cells: [nodes.map((_, i) => i)], patches: [], temperature: nodes.map(([x]) => x), velocity: nodes, pressure: [0], stress: nodes.map((p) => [...p, ...p]) }
  await writeFile(join(folder, 'one.frd'), frdFile(curved, 'double', undefined, 4))
  pools = ['worker', 'importer'].map((name) => new Piscina({ filename: join(bundles, `${name}.mjs`), minThreads: 1, maxThreads: 1 }))
  const budget = { blocks: 2 ** 24, import: 2 ** 30, results: 2 ** 22, shapes: 2 ** 22, disk: 2 ** 34 }
  store = new CaseStore(join(folder, 'store'), pools[1]!, budget)
  evaluations = new Evaluations(pools[0]!, store, budget)
}, 60_000)

afterAll(async () => {
  await Promise.all(pools.map((pool) => pool.destroy()))
  await rm(folder, { recursive: true, force: true })
  await rm(bundles, { recursive: true, force: true })
})

let nextId = 0

async function stored(name: string) {
  const id = `33333333-3333-4333-8333-${String(++nextId).padStart(12, '0')}`
  const source = { folder, files: [name] }
  return { id, source, catalogue: await store.start(id, source, () => undefined).done }
}

async function reading(of: Awaited<ReturnType<typeof stored>>, part: string, quantity: string, variable: string, moment = 0): Promise<number> {
  const fields = Object.fromEntries(of.catalogue.fields.map((f) => [f.name, f.name]))
  const steps: Plan['steps'] = { m: { kind: 'measure', inputs: { of: [{ part }] }, settings: { quantity, variable } } }
  const plan: Plan = { case: of.id, moment, steps, formulas: {}, fields, target: 'm', variable: null }
  const result = await evaluations.evaluate(of, plan, { what: 'reading' }, null)
  return ((result as { json: { value: number } }).json).value
}

describe('brought in by the server', () => {
  it('a decomposed case folder: joined, with boundary values, at every time', async () => {
    const run = await stored('run/')
    expect(run.catalogue.parts.map((p) => [p.name, p.cells, p.points])).toEqual([['region', 24, 60], ['Inlet', 6, 12], ['Outlet', 6, 12], ['Walls', 40, 50]])
    expect(run.catalogue.parts[0]!.cellTypes).toEqual({ hexahedron: 24 })
    expect(await reading(run, 'region', 'mean', 'T')).toBeCloseTo(EXACT.temperature, 10)
    expect(await reading(run, 'region', 'size', '', 1)).toBeCloseTo(EXACT.volume, 12)
    expect(await reading(run, 'Outlet', 'flux', 'U', 1)).toBeCloseTo(EXACT.outflow, 10)
  })

  it('polyhedra of HDF5', async () => {
    const duct = await stored('faces.cgns')
    expect(await reading(duct, 'Tank', 'mean', 'Temperature')).toBeCloseTo(EXACT.temperature, 10)
    expect(await reading(duct, 'Outlet', 'flux', 'Velocity')).toBeCloseTo(EXACT.outflow, 10)
  })

  it('quadratic cells, with values at the points that were added', async () => {
    const one = await stored('one.frd')
    expect(await reading(one, 'region', 'size', '')).toBeCloseTo(quadraticVolumes.hexahedron20, 10)
    const [mean, lowest] = [await reading(one, 'region', 'mean', 'NDTEMP'), await reading(one, 'region', 'min', 'NDTEMP')]
    // the temperature is x, and runs from 0 to 2.25 along the skewed cell
    expect(mean).toBeCloseTo(1.125, 10)
    expect(lowest).toBeCloseTo(0, 10)
  })
})
