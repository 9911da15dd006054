import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { UserError } from '../../../core/errors'
import { openNamed } from '../../../core/formats/series'
import { readCase } from '../../../core/store/memoryCase'
import { DiskFolder } from '../../../server/cases/files'
import { checkBox } from '../../support/checkBox'
import { cgnsFile, exodusHdf5, medFile, writeHdf5, xdmfCase } from '../../support/writers/hdf5'
import { boxModel } from '../../support/writers/model'
import { exodusClassic } from '../../support/writers/netcdf'

const model = boxModel()
const all = ['Inlet', 'Outlet', 'Walls']
let root: string
let folder: DiskFolder

beforeAll(async () => {
  root = await mkdtemp(join(tmpdir(), 'stavik-hdf5-'))
  folder = new DiskFolder(root)
})
afterAll(async () => {
  await folder.close()
  await rm(root, { recursive: true, force: true })
})

describe('the same case in HDF5 and NetCDF', () => {
  it.each([
    { heavy: 'HDF' },
    { heavy: 'XML' },
    { heavy: 'HyperSlab' },
    { heavy: 'HDF', topology: 'Mixed' },
    { heavy: 'HDF', topology: '3DSMesh' },
    { heavy: 'XML', topology: '3DRectMesh' },
    { heavy: 'XML', topology: '3DCoRectMesh' },
  ] as const)('as XDMF, %o', async (variant) => {
    await folder.close()
    await writeFile(join(root, 'box.xdmf'), await xdmfCase(model, root, variant))
    const isListed = variant.heavy === 'HDF' && !('topology' in variant && variant.topology === 'Mixed')
    await checkBox(folder, 'box.xdmf', { T: 'T', U: 'U', p: 'p', ...(isListed && { windowed: ['T', 'U', 'p'] }) })
  })

  it('as XDMF over time, with one mesh for all', async () => {
    await folder.close()
    await writeFile(join(root, 'timed.xmf'), await xdmfCase(model, root, { heavy: 'HDF', times: [0, 0.5, 2] }))
    const { catalogue, values } = await checkBox(folder, 'timed.xmf', { U: 'U', moment: 2 }).then((o) => ({
      catalogue: o.catalogue,
      values: (m: number) => o.values('region', 'T', m),
    }))
    expect(catalogue.moments.map((m) => [m.kind, m.value, m.topology])).toEqual([
      ['time', 0, 0],
      ['time', 0.5, 0],
      ['time', 2, 0],
    ])
    expect((await values(1)).values[0]).toBe(290.5)
  })

  it.each(['hexahedra', 'mixed', 'faces', 'structured'] as const)('as CGNS, %s', async (variant) => {
    await writeHdf5(join(root, `${variant}.cgns`), cgnsFile(model, variant))
    const { catalogue } = await checkBox(folder, `${variant}.cgns`, {
      T: 'Temperature',
      U: 'Velocity',
      p: 'Pressure',
      surfaces: variant === 'structured' ? all.slice(0, 2) : all,
      ...(variant !== 'mixed' && { windowed: ['Pressure', 'Temperature', 'Velocity'] }),
    })
    expect(catalogue.fields.find((f) => f.name === 'Pressure')).toMatchObject({ place: 'cell', unit: 'kg/(m·s²)' })
  })

  it('as CGNS over time', async () => {
    await writeHdf5(join(root, 'timed.cgns'), cgnsFile(model, 'hexahedra', [0, 1, 3]))
    const opened = await checkBox(folder, 'timed.cgns', { U: 'Velocity', surfaces: all, moment: 1 })
    expect(opened.catalogue.moments.map((m) => m.value)).toEqual([0, 1, 3])
    expect((await opened.values('Tank', 'Temperature', 2)).values[0]).toBe(293)
  })

  it.each([1, 2, 5] as const)('as Exodus II in classic NetCDF, version %d', async (version) => {
    await writeFile(join(root, `v${version}.exo`), exodusClassic(model, version, [0, 2.5]))
    const opened = await checkBox(folder, `v${version}.exo`, {
      T: 'temp',
      U: 'vel',
      p: 'press',
      surfaces: all,
      windowed: ['press', 'temp', 'vel'],
    })
    expect(opened.catalogue.moments.map((m) => m.value)).toEqual([0, 2.5])
    expect((await opened.values('Water', 'temp', 1)).values[0]).toBe(292.5)
  })

  it('as Exodus II in HDF5', async () => {
    await writeHdf5(join(root, 'h5.exo'), exodusHdf5(model, [0, 2.5]))
    const opened = await checkBox(folder, 'h5.exo', { T: 'temp', U: 'vel', p: 'press', surfaces: all })
    expect((await opened.values('Water', 'temp', 1)).values[0]).toBe(292.5)
    expect(opened.catalogue.fields.map((f) => [f.name, f.kind, f.parts])).toEqual([
      ['temp', 'scalar', ['Water', ...all]],
      ['vel', 'vector', ['Water', ...all]],
      ['press', 'scalar', ['Water']],
    ])
  })

  it('as MED', async () => {
    await writeHdf5(join(root, 'box.med'), medFile(model, [0, 4]))
    const opened = await checkBox(folder, 'box.med', { T: 'T', U: 'U', p: 'p', surfaces: ['faces', ...all], windowed: ['T', 'U'] })
    expect(opened.catalogue.moments.map((m) => m.value)).toEqual([0, 4])
    expect((await opened.values('region', 'T', 1)).values[0]).toBe(294)
    expect(opened.catalogue.fields.map((f) => [f.name, f.unit])).toEqual([
      ['T', 'K'],
      ['U', 'm/s'],
      ['g', 'm'],
      ['g', 'm'],
      ['n', 'Pa'],
      ['p', 'Pa'],
      ['q', 'Pa'],
    ])
  })
})

describe('damaged HDF5 and NetCDF get one clear sentence', () => {
  const read = async (name: string): Promise<unknown> => readCase(await openNamed([name], folder), 0)

  it.each(['hexahedra.cgns', 'box.med', 'h5.exo', 'v1.exo', 'v5.exo'])('%s cut anywhere', async (name) => {
    const bytes = await readFile(join(root, name))
    for (const share of [0.0005, 0.01, 0.1, 0.5, 0.9, 0.999]) {
      const cut = `cut-${share}-${name}`
      await writeFile(join(root, cut), bytes.subarray(0, Math.floor(bytes.length * share)))
      await expect(read(cut)).rejects.toThrow(/cut off|damaged|no kind that is read|inconsistent|empty|no coordinates/)
    }
  })

  it('XDMF without its heavy data, or with other sizes', async () => {
    await folder.close()
    const text = await xdmfCase(model, root, { heavy: 'HDF' })
    const tried: [string, RegExp][] = [
      [text.replaceAll('box.h5', 'gone.h5'), /gone\.h5: there is no such file/],
      [text.replaceAll('box.h5', '../box.h5'), /leads out of its folder/],
      [text.replace(':/points', ':/pints'), /no data at “\/pints”/],
      [text.replace('Dimensions="60 3"', 'Dimensions="61 3"'), /holds 183 values, but it holds 180/],
      [text.replace('NumberOfElements="24"', 'NumberOfElements="25"'), /192 nodes for 25 cells/],
      [text.replace('TopologyType="Hexahedron"', 'TopologyType="Blob"'), /“blob”, which is not read/],
      [text.replace('GeometryType="XYZ"', 'GeometryType="ZYX"'), /“ZYX”, which is not read/],
      [text.replace('[]', '[<!ENTITY a "b">]'), /document type/],
      [text.replace(/<Grid [\s\S]*<\/Grid>/, ''), /holds no grid/],
      [
        text.replace('<Topology ', '<Topology Reference="/Xdmf/Domain/Nowhere" '),
        /refers to “\/Xdmf\/Domain\/Nowhere”, which is not there/,
      ],
    ]
    for (const [spoiled, message] of tried) {
      await writeFile(join(root, 'bad.xdmf'), spoiled)
      await expect(read('bad.xdmf')).rejects.toThrow(message)
    }
  })
})

it('a file in which the library breaks down spoils none that is opened after it', async () => {
  await writeHdf5(join(root, 'twice.med'), medFile(boxModel(), [0]))
  const { default: first } = await import('h5wasm/node')
  const broken = vi.spyOn(first.Group.prototype, 'get').mockImplementation(() => {
    throw new WebAssembly.RuntimeError('unreachable')
  })
  try {
    await expect(openNamed(['twice.med'], folder)).rejects.toBeInstanceOf(UserError)
    const calls = broken.mock.calls.length
    expect((await openNamed(['twice.med'], folder)).catalogue.parts[0]!.cells).toBe(boxModel().cells.length)
    // by another instance of the library: this one is asked no more
    expect(broken.mock.calls.length).toBe(calls)
  } finally {
    broken.mockRestore()
  }
})
