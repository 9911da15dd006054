import { mkdir, mkdtemp, readdir, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { describeCase } from '../../../cli/info'
import { convert } from '../../../cli/convert'
import { withCase } from '../../../cli/openCase'
import { openNamed } from '../../../core/formats/series'
import { writeVtk } from '../../../core/formats/write/vtkXml'
import { nodePositions } from '../../../core/mesh/quadraticShape'
import { readCase } from '../../../core/store/memoryCase'
import { DiskFolder } from '../../../server/cases/files'
import { checkBox } from '../../support/checkBox'
import { exodusClassic } from '../../support/writers/netcdf'
import { foamCase } from '../../support/writers/foam'
import { legacyFile } from '../../support/writers/legacy'
import type { Position } from '../../support/meshes'
import { rowOfCubes } from '../../support/writers/quadratic'
import { boxModel, temperatureAt } from '../../support/writers/model'

const model = boxModel()
let root: string
let folder: DiskFolder
const path = (name: string): string => join(root, name)

beforeAll(async () => {
  root = await mkdtemp(join(tmpdir(), 'stavik-convert-'))
  folder = new DiskFolder(root)
  await writeFile(path('box.vtk'), legacyFile(model, { version: '3.0', isBinary: true }))
  for (const [name, bytes] of Object.entries(foamCase(model, { times: ['0', '1.5'] }))) {
    await mkdir(join(path('run'), name, '..'), { recursive: true })
    await writeFile(join(path('run'), name), bytes)
  }
})
afterAll(async () => {
  await folder.close()
  await rm(root, { recursive: true, force: true })
})

const info = async (name: string, moment = 0) => describeCase(await readCase(await openNamed([name], folder), moment))

/** Of a linear field. */
const slopeOf = (at: (p: Position) => number): number[] =>
  [0, 1, 2].map((d) => at([0, 1, 2].map((k) => Number(k === d)) as unknown as Position) - at([0, 0, 0]))

describe('convert', () => {
  it('files of a series by a pattern', async () => {
    for (const [k, name] of ['step_2.vtu', 'step_10.vtu'].entries()) {
      await convert([path('box.vtk'), path(name), '--fields', `T=\`warm water\` + ${k} K`])
    }
    await withCase(path('step_*.vtu'), async ({ catalogue }) => {
      expect(catalogue.moments).toHaveLength(2)
    })
    await expect(withCase(path('no_*.vtu'), async () => 0)).rejects.toThrow('No file is called no_*.vtu; check the name.')
  })

  it.each(['out.vtu', 'out.xdmf'])('to %s and back says the same', async (out) => {
    await convert([path('box.vtk'), path(out)])
    await checkBox(folder, out, { T: '`warm water`', U: 'U', p: 'p' })
    await folder.close()
  })

  it('a case folder to .vtm keeps regions, surfaces and units', async () => {
    await convert([path('run'), path('all.vtm'), '--moment', '1'])
    await checkBox(folder, 'all.vtm', { T: 'T', U: 'U', surfaces: ['Inlet', 'Outlet', 'Walls'] })
    const { fields, times } = await info('all.vtm')
    expect(fields.filter((f) => f.region === 'region').map((f) => [f.name, f.unit, f.place])).toEqual([
      ['R', 'm²/s²', 'cell'],
      ['T', 'K', 'cell'],
      ['U', 'm/s', 'cell'],
      ['p', 'm²/s²', 'cell'],
    ])
    expect(times).toEqual([1.5])
  })

  it('of joined processors no point is left over, and a field is written where it is', async () => {
    for (const [name, bytes] of Object.entries(foamCase(model, { processors: 2, hasFluxes: true }))) {
      await mkdir(join(path('divided'), name, '..'), { recursive: true })
      await writeFile(join(path('divided'), name), bytes)
    }
    await convert([path('divided'), path('some.vtm'), '--fields', 'T, phi, phi_net, twice = 2 * phi'])
    await checkBox(folder, 'some.vtm', { T: 'T', surfaces: ['Inlet', 'Outlet', 'Walls', 'Middle', 'Back', 'Level'] })
    const { fields, regions } = await info('some.vtm')
    expect(regions[0]!.points).toBe(model.points.length)
    const namesOn = (part: string): string[] => fields.filter((f) => f.region === part).map((f) => f.name)
    expect([namesOn('region'), namesOn('Middle'), namesOn('Inlet')]).toEqual([
      ['T', 'phi_net'],
      ['phi', 'twice'],
      ['T', 'phi', 'twice'],
    ])
    await folder.close()
  })

  it('all moments become numbered files, or one XDMF file', async () => {
    await convert([path('run'), path('run.vtu'), '--region', 'region', '--all'])
    expect((await readdir(root)).filter((name) => name.startsWith('run_')).sort()).toEqual(['run_0000.vtu', 'run_0001.vtu'])
    await convert([path('run'), path('timed.xdmf'), '--all'])
    expect((await info('timed.xdmf')).moments.map((m) => m.value)).toEqual([0, 1.5])
    await folder.close()
  })

  it.each(['mixed.vtu', 'mixed.xdmf'])('quadratic cells and polyhedra are still what they were in %s', async (out) => {
    // a curved hexahedron of twenty nodes beside a prism over a hexagon
    const curved = nodePositions(25).map(([r, s, t]) => [r, s, t + 0.1 * r * (1 - r)])
    const ring = Array.from({ length: 6 }, (_, i) => [5 + Math.cos((i * Math.PI) / 3), Math.sin((i * Math.PI) / 3)])
    const points = [...curved, ...ring.map((p) => [...p, 0]), ...ring.map((p) => [...p, 2])]
    const faces = [[5, 4, 3, 2, 1, 0], [6, 7, 8, 9, 10, 11], ...ring.map((_, i) => [i, (i + 1) % 6, 6 + ((i + 1) % 6), 6 + i])].map(
      (face) => face.map((p) => 20 + p),
    )
    const stream = [faces.length, ...faces.flatMap((f) => [f.length, ...f])]
    const bytes = writeVtk(
      {
        points: Float64Array.from(points.flat()),
        types: Uint8Array.of(25, 42),
        offsets: Uint32Array.of(0, 20, 32),
        connectivity: Uint32Array.from({ length: 32 }, (_, i) => i),
        polyhedra: { starts: [-1, 0], stream: Uint32Array.from(stream) },
      },
      [
        { name: 'T', place: 'point', components: 1, values: Float64Array.from(points, ([x]) => x!), unit: 'K' },
        { name: 'id', place: 'cell', components: 1, values: Float64Array.of(7, 9) },
      ],
    )
    await writeFile(path('mixed-source.vtu'), Buffer.concat(bytes))
    await convert([path('mixed-source.vtu'), path(out), '--fields', 'T, id, twice = 2 * id'])
    const [before, after] = [await info('mixed-source.vtu'), await info(out)]
    await folder.close()
    expect(after.regions).toEqual(before.regions)
    expect(after.regions[0]).toMatchObject({ cells: 2, points: 32, cellTypes: { hexahedron20: 1, polyhedron: 1 } })
    expect(after.fields.find((f) => f.name === 'T')).toMatchObject({
      mean: before.fields.find((f) => f.name === 'T')!.mean,
      min: 0,
      max: 6,
    })
    expect(after.fields.map((f) => [f.name, f.place, f.min, f.max])).toEqual([
      ['T', 'point', 0, 6],
      ['id', 'cell', 7, 9],
      ['twice', 'cell', 14, 18],
    ])
  })

  it('gradients are written with their cells', async () => {
    await convert([path('box.vtk'), path('slopes.vtu'), '--fields', 'slope = grad(`warm water`), mark = `warm water`'])
    const { fields } = await info('slopes.vtu')
    await folder.close()
    const slope = fields.find((f) => f.name === 'slope')!
    // the temperature of the model is linear
    const exact = slopeOf(temperatureAt)
    expect(slope).toMatchObject({ on: 'cells', components: 3 })
    slope.componentRanges!.forEach(([low, high], d) => [low, high].forEach((x) => expect(x).toBeCloseTo(exact[d]!, 10)))
  })

  it('gradients of values on cells are those of whole cells, of which each piece is one', async () => {
    const { along, ...row } = rowOfCubes()
    await writeFile(
      path('row.vtu'),
      Buffer.concat(
        writeVtk(row, [{ name: 'f', place: 'cell', components: 1, values: Float64Array.of(1, 3, 5), unit: 'K' }], { lengthUnit: 'm' }),
      ),
    )
    await convert([path('row.vtu'), path('row-slopes.vtu'), '--fields', 'slope = grad(f)'])
    const { fields, regions } = await info('row-slopes.vtu')
    await folder.close()
    expect(regions[0]!.cellTypes).toEqual({ hexahedron20: 3 })
    fields[0]!.componentRanges!.forEach(([low, high], d) => [low, high].forEach((x) => expect(x).toBeCloseTo((2 * along[d]!) / 4.25, 9)))
  })

  it('formulas at other moments, each moment with its own', async () => {
    await writeFile(path('times.exo'), exodusClassic(model, 2, [0, 1, 4]))
    // one more each second
    const formulas = 'rate = ddt(temp), left = at(last, temp) - temp, swing = mag(grad(at(first, temp))), level = mean(temp)'
    await convert([path('times.exo'), path('times.vtu'), '--region', 'Water', '--fields', formulas, '--all'])
    const slope = Math.hypot(...slopeOf(temperatureAt))
    for (const [file, left] of [
      ['times_0000.vtu', 4],
      ['times_0001.vtu', 3],
      ['times_0002.vtu', 0],
    ] as const) {
      const { fields } = await info(file)
      await folder.close()
      for (const [name, value] of Object.entries({ rate: 1, left, swing: slope, level: 295.75 - left })) {
        const { min, max } = fields.find((f) => f.name === name)!
        for (const x of [min, max]) expect(x).toBeCloseTo(value, 9)
      }
    }
  })

  it('chosen fields and formulas, with the units they come to', async () => {
    await convert([path('run'), path('few.vtu'), '--region', 'region', '--fields', 'T, kinetic = 0.5 * dot(U, U)'])
    const { fields } = await info('few.vtu')
    expect(fields.map((f) => [f.name, f.unit])).toEqual([
      ['T', 'K'],
      ['kinetic', 'm²/s²'],
    ])
  })

  it('surfaces as STL and PLY close around the same area', async () => {
    await convert([path('run'), path('walls.stl')])
    await convert([path('box.vtk'), path('skin.ply'), '--fields', 'warm water'])
    const area = 2 * (2 * 1 + 1 * 0.5 + 0.5 * 2)
    expect((await info('walls.stl')).surfaces[0]!.area).toBeCloseTo(area, 5)
    const ply = await info('skin.ply')
    expect(ply.surfaces[0]!.area).toBeCloseTo(area, 12)
    expect(ply.fields[0]).toMatchObject({ name: 'warm_water', min: 289.5, max: 294 })
  })

  it('points as CSV come back with units and vectors', async () => {
    await convert([path('box.vtk'), path('points.csv')])
    const opened = await openNamed(['points.csv'], folder)
    expect(opened.catalogue.fields.map((f) => [f.name, f.components])).toEqual([
      ['U', 3],
      ['warm water', 1],
    ])
    expect([...(await opened.values('points', 'warm water', 0)).values]).toEqual(model.temperature)
  })

  it.each<[string, string[], RegExp]>([
    ['an unknown ending', ['box.vtk', 'out.doc'], /of no kind that is written/],
    ['several regions into one', ['run', 'out.vtp'], /holds one surface, but there are 3 \(Inlet, Outlet, Walls\)/],
    ['a region that is not there', ['box.vtk', 'out.vtu', '--region', 'Air'], /no region “Air”; the file has region/],
    ['a field that is not there', ['box.vtk', 'out.vtu', '--fields', 'rain'], /no field or formula “rain”/],
    ['units that do not fit', ['run', 'out.vtu', '--region', 'region', '--fields', 'x = T + p'], /cannot be added/],
    ['a place that cannot be written', ['box.vtk', 'box.vtk/out.vtu'], /not written|ENOTDIR|EEXIST/],
  ])('%s is refused and leaves nothing', async (_, args, message) => {
    const before = await readdir(root)
    await expect(convert(args.map((arg, i) => (i < 2 ? path(arg) : arg)))).rejects.toThrow(message)
    expect(await readdir(root)).toEqual(before)
  })
})
