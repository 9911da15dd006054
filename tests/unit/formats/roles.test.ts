/** What files say of their surfaces, and what a bench and a data check make of a whole case on disk. */
import { mkdir, mkdtemp, readdir, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest'
import { benchImport } from '../../../bench/importBench'
import { withData } from '../../../cli/openCase'
import { fieldFigures } from '../../../core/check/fieldFigures'
import { partFigures } from '../../../core/check/partFigures'
import { openNamed } from '../../../core/formats/series'
import { DiskFolder } from '../../../server/cases/files'
import { foamCase } from '../../support/writers/foam'
import { frdFile } from '../../support/writers/frd'
import { cgnsFile, exodusHdf5, medFile, writeHdf5 } from '../../support/writers/hdf5'
import { boxModel, EXACT } from '../../support/writers/model'

const model = boxModel()
let root: string
let folder: DiskFolder

beforeAll(async () => {
  root = await mkdtemp(join(tmpdir(), 'stavik-roles-'))
  for (const [name, bytes] of Object.entries(foamCase(model, { times: ['0', '1'] }))) {
    // patches of one kind each
    const text = Buffer.from(bytes).toString('latin1')
    const typed = name.endsWith('/boundary')
      ? text.replace(/(Walls\s*\{\s*type )patch/, '$1wall').replace(/(Inlet\s*\{\s*type )patch/, '$1cyclic')
      : text
    await mkdir(dirname(join(root, 'run', name)), { recursive: true })
    await writeFile(join(root, 'run', name), typed, 'latin1')
  }
  await writeHdf5(join(root, 'duct.cgns'), cgnsFile(model, 'mixed'))
  await writeHdf5(join(root, 'duct.exo'), exodusHdf5(model, [0]))
  await writeHdf5(join(root, 'duct.med'), medFile(model, [0]))
  await writeFile(join(root, 'beam.frd'), frdFile(model, 'long'))
  folder = new DiskFolder(root)
})
afterAll(async () => {
  await folder.close()
  await rm(root, { recursive: true, force: true })
})

test('patches of a case folder bring their kind; what says nothing is left open', async () => {
  const { catalogue } = await openNamed(['run/'], folder)
  expect(Object.fromEntries(catalogue.parts.filter((p) => p.dimension === 2).map((p) => [p.name, p.role ?? null]))).toEqual({
    Inlet: { is: 'periodic', from: 'file' },
    Outlet: null,
    Walls: { is: 'wall', from: 'file' },
  })
})

describe.each(['run/', 'duct.cgns', 'duct.exo', 'duct.med', 'beam.frd'])('the figures of %s', (name) => {
  it('are those of the box, whatever the format', async () => {
    const path = join(root, name.replace(/\/$/, ''))
    await withData(
      path,
      () => ({ moment: 0 }),
      (data) => {
        const regions = data.catalogue.parts.filter((p) => p.dimension === 3)
        const figures = regions.map((p) => partFigures(data.part(p.name), p.points))
        expect(figures.reduce((sum, f) => sum + f.size, 0)).toBeCloseTo(EXACT.volume, 6)
        for (const f of figures) expect(f).toMatchObject({ negative: 0, empty: 0, doublePoints: 0 })
        const temperature = data.catalogue.fields.find(
          (f) => f.components === 1 && /^(T|temp|ndtemp)/i.test(f.name) && f.parts.includes(regions[0]!.name),
        )!
        const values = fieldFigures(data.part(regions[0]!.name), temperature.name, 1)
        expect(values.mean!).toBeCloseTo(EXACT.temperature, 3)
        expect(values.min!).toBeLessThanOrEqual(values.mean!)
        expect(values.spread.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 9)
        expect(values.notANumber + values.infinite).toBe(0)
      },
    )
  })
})

test('a bench of an import says what it took and leaves nothing behind', async () => {
  const before = await readdir(tmpdir())
  const report = await benchImport(join(root, 'duct.cgns'))
  expect(report.cells).toBeGreaterThanOrEqual(24)
  expect(report.read).toBeGreaterThanOrEqual(0)
  expect(report.catalogue).toBeGreaterThan(0)
  expect(report.meshes).toBeGreaterThanOrEqual(report.catalogue)
  expect(report.disk).toBeGreaterThan(0)
  expect((await readdir(tmpdir())).filter((name) => name.startsWith('stavik-bench-') && !before.includes(name))).toEqual([])
  expect((await benchImport(join(root, 'run'))).read).toBeNull()
})
