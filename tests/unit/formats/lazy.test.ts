/** What is in a large file shows at once: opening it reads no coordinates, cells or values. */
import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { openNamed } from '../../../core/formats/series'
import type { SourceFolder } from '../../../core/formats/ByteSource'
import type { Hdf5Dataset, Hdf5Group } from '../../../core/formats/hdf5/Hdf5'
import { DiskFolder } from '../../../server/cases/files'
import { cgnsFile, exodusHdf5, medFile, writeHdf5 } from '../../support/writers/hdf5'
import { boxModel } from '../../support/writers/model'

const model = boxModel()
let root: string
let folder: DiskFolder
beforeAll(async () => {
  root = await mkdtemp(join(tmpdir(), 'stavik-lazy-'))
  folder = new DiskFolder(root)
})
afterAll(async () => {
  await folder.close()
  await rm(root, { recursive: true, force: true })
})

/** The folder, noting the path of every data set whose numbers are read. */
function watched(read: string[]): SourceFolder {
  const watch = <T extends Hdf5Group | Hdf5Dataset>(item: T): T =>
    new Proxy(item, {
      get(target, key) {
        if (key === 'numbers')
          return (...args: Parameters<Hdf5Dataset['numbers']>) => (read.push(target.path), (target as Hdf5Dataset).numbers(...args))
        if (key === 'get') {
          return (path: string) => {
            const found = (target as Hdf5Group).get(path)
            return found && watch(found)
          }
        }
        const value = target[key as keyof T]
        return typeof value === 'function' ? (value.bind(target) as unknown) : value
      },
    })
  return {
    open: (name) => folder.open(name),
    list: (below) => folder.list(below),
    decompress: (method, bytes, size) => folder.decompress(method, bytes, size),
    inflated: (name) => folder.inflated(name),
    scratch: () => folder.scratch(),
    openHdf5: async (name) => {
      const { root: top, close } = await folder.openHdf5(name)
      return { root: watch(top), close }
    },
  }
}

const heavy = /NOE\/COO|NOD|Coordinate.\/|Connectivity|(Temperature|Pressure|Velocity.)\/ data|CO$|coord|connect|vals_|^\/(points|cells|T)$/

it.each([
  ['MED', 'box.med', async () => writeHdf5(join(root, 'box.med'), medFile(model, [0, 1]))],
  ['Exodus II', 'box.exo', async () => writeHdf5(join(root, 'box.exo'), exodusHdf5(model, [0, 1]))],
  ['CGNS', 'box.cgns', async () => writeHdf5(join(root, 'box.cgns'), cgnsFile(model, 'hexahedra', [0, 1]))],
  [
    'XDMF',
    'box.xdmf',
    async () => {
      const { points, cells } = model
      await writeHdf5(join(root, 'box.h5'), (file) => {
        file.create_dataset({ name: 'points', data: Float64Array.from(points.flat()), shape: [points.length, 3] })
        file.create_dataset({ name: 'cells', data: Int32Array.from(cells.flat()), shape: [cells.length, 8] })
        file.create_dataset({ name: 'T', data: Float64Array.from(model.temperature) })
      })
      const item = (name: string, shape: string, kind: string): string =>
        `<DataItem Dimensions="${shape}" ${kind} Format="HDF">box.h5:/${name}</DataItem>`
      await writeFile(
        join(root, 'box.xdmf'),
        `<?xml version="1.0"?><Xdmf Version="3.0"><Domain><Grid Name="box" GridType="Uniform">
      <Topology TopologyType="Hexahedron" ` +
          `NumberOfElements="${cells.length}">${item('cells', `${cells.length} 8`, 'NumberType="Int"')}</Topology>
      <Geometry GeometryType="XYZ">${item('points', `${points.length} 3`, 'NumberType="Float" Precision="8"')}</Geometry>
      <Attribute Name="T" Center="Node">${item('T', `${points.length}`, 'NumberType="Float" Precision="8"')}</Attribute></Grid>` +
          `</Domain></Xdmf>`,
      )
    },
  ],
] as const)('%s', async (_, name, write) => {
  await write()
  const read: string[] = []
  const opened = await openNamed([name], watched(read))
  const [part] = opened.catalogue.parts
  expect(part).toMatchObject({
    dimension: 3,
    points: model.points.length,
    cells: model.cells.length,
    cellTypes: { hexahedron: model.cells.length },
  })
  expect(read.filter((path) => heavy.test(path))).toEqual([])
  const mesh = await opened.mesh(part!.name, 0)
  expect(mesh.types.length).toBe(model.cells.length)
  expect(read.filter((path) => heavy.test(path)).length).toBeGreaterThan(0)
})
