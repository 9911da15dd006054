import { mkdir, mkdtemp, readdir, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { writeVtk } from '../../../core/formats/write/vtkXml'
import { CaseStore } from '../../../server/cases/CaseStore'
import { Evaluations } from '../../../server/evaluate/Evaluations'
import { ask, outcome, planOfCase } from '../../support/asking'
import { startWorkers } from '../../support/bundles'
import type { Workers } from '../../support/bundles'
import { atPoints, boxMesh } from '../../support/meshes'
import { vtuFile } from '../../support/vtkFiles'
import { foamCase } from '../../support/writers/foam'
import { frdFile } from '../../support/writers/frd'
import { cgnsFile, writeHdf5 } from '../../support/writers/hdf5'
import { boxModel, EXACT } from '../../support/writers/model'
import { orders, quadraticCell, quadraticVolumes } from '../../support/writers/quadratic'

/** Through the server's own path: importer, block store, workers. Numbers must be those of the command line. */
let folder: string
let workers: Workers
let store: CaseStore
let evaluations: Evaluations
const model = boxModel()

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'stavik-imports-'))
  workers = await startWorkers('stavik-imports')
  for (const [name, bytes] of Object.entries(foamCase(model, { processors: 2, isBinary: true, times: ['0', '2'] }))) {
    await mkdir(dirname(join(folder, 'run', name)), { recursive: true })
    await writeFile(join(folder, 'run', name), bytes)
  }
  await writeHdf5(join(folder, 'faces.cgns'), cgnsFile(model, 'faces'))
  const nodes = quadraticCell('hexahedron20', orders.frd)
  const curved = {
    points: nodes,
    cells: [nodes.map((_, i) => i)],
    patches: [],
    temperature: nodes.map(([x]) => x),
    velocity: nodes,
    pressure: [0],
    stress: nodes.map((p) => [...p, ...p]),
  }
  await writeFile(join(folder, 'one.frd'), frdFile(curved, 'double', undefined, 4))
  store = new CaseStore(join(folder, 'store'), workers, { import: 2 ** 30, reading: 2 ** 28, disk: 2 ** 34 })
  evaluations = new Evaluations(workers.threads(join(folder, 'store')), store)
}, 60_000)

afterAll(async () => {
  await workers.close()
  await rm(folder, { recursive: true, force: true })
})

let nextId = 0

async function stored(name: string) {
  const id = `33333333-3333-4333-8333-${String(++nextId).padStart(12, '0')}`
  const source = { folder, files: [name] }
  const catalogue = await store.start(id, 'first', source, () => undefined).done
  return { id, generation: 'first', key: id, source, catalogue }
}

async function reading(
  of: Awaited<ReturnType<typeof stored>>,
  part: string,
  quantity: string,
  variable: string,
  moment = 0,
): Promise<number> {
  const plan = planOfCase(of, { m: { kind: 'measure', inputs: { of: [{ part }] }, settings: { quantity, variable } } })
  const { answer } = await ask(evaluations, of, plan, outcome('m', moment))
  return (answer.json as { value: number }).value
}

it('what is in a file is told while others are read', async () => {
  await writeFile(join(folder, 'many.vtu'), Buffer.concat(writeVtk(boxMesh({ n: 32 }), [], { lengthUnit: 'm' })))
  const readings = Array.from({ length: 8 }, () => stored('many.vtu'))
  let isRead = false
  const all = Promise.all(readings).then(() => (isRead = true))
  expect((await store.look({ folder, files: ['faces.cgns'] })).parts[0]!.cells).toBe(24)
  expect(isRead).toBe(false)
  await all
}, 60_000)

describe('brought in by the server', () => {
  it('a decomposed case folder: joined, with boundary values, at every time', async () => {
    const run = await stored('run/')
    expect(run.catalogue.parts.map((p) => [p.name, p.cells, p.points])).toEqual([
      ['region', 24, 60],
      ['Inlet', 6, 12],
      ['Outlet', 6, 12],
      ['Walls', 40, 50],
    ])
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

  it.each(['appended xz', 'inline lz4'] as const)('%s: libraries stand in the bundle as they do in tests', async (encoding) => {
    const mesh = boxMesh({ n: 3 })
    const content = {
      points: [...mesh.points],
      connectivity: [...mesh.connectivity],
      offsets: [...mesh.offsets.slice(1)],
      types: [...mesh.types],
      pointData: [{ name: 'T', type: 'Float64' as const, values: [...atPoints(mesh, (x) => 300 + x)] }],
      cellData: [],
    }
    await writeFile(join(folder, `${encoding}.vtu`), vtuFile(content, { encoding }))
    expect(await reading(await stored(`${encoding}.vtu`), 'region', 'mean', 'T')).toBeCloseTo(300.5, 12)
  })

  it('a region of many cells, placed in a thread of its own, is what it is whole', async () => {
    const mesh = boxMesh({ n: 48 })
    const T = { name: 'T', place: 'point' as const, components: 1, values: atPoints(mesh, (x, y, z) => 300 + x + 2 * y + 3 * z), unit: 'K' }
    await writeFile(join(folder, 'large.vtu'), Buffer.concat(writeVtk(mesh, [T], { lengthUnit: 'm' })))
    const large = await stored('large.vtu')
    expect(large.catalogue.parts).toMatchObject([{ cells: 48 ** 3, points: 49 ** 3, bounds: [0, 0, 0, 1, 1, 1] }])
    expect(await reading(large, 'region', 'mean', 'T')).toBeCloseTo(303, 9)
    expect((await readdir(join(folder, 'store', large.id, 'first'))).filter((name) => name.startsWith('scratch'))).toEqual([])
    // what is wrong in the middle of it comes back from the thread, and nothing stays
    const spoilt = { ...mesh, connectivity: mesh.connectivity.map((p, i) => (i === 500_000 ? 1e7 : p)) }
    await writeFile(join(folder, 'spoilt.vtu'), Buffer.concat(writeVtk(spoilt, [], { lengthUnit: 'm' })))
    await expect(stored('spoilt.vtu')).rejects.toThrow('refers to point 10000000, but there are only 117649 points')
  })
})
