import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { describeCase } from '../../../cli/info'
import { openNamed } from '../../../core/formats/series'
import { readCase } from '../../../core/store/memoryCase'
import { measureExpression } from '../../../core/measure/reductions'
import { DiskFolder } from '../../../server/cases/files'
import { evaluatorFor } from '../../support/evaluation'
import { vtuFile } from '../../support/vtkFiles'
import { frdFile } from '../../support/writers/frd'
import { writeHdf5 } from '../../support/writers/hdf5'
import { netcdfFile } from '../../support/writers/netcdf'
import { orders, quadraticCell, quadraticVolumes } from '../../support/writers/quadratic'
import type { Position } from '../../support/meshes'

let root: string
let folder: DiskFolder
beforeAll(async () => {
  root = await mkdtemp(join(tmpdir(), 'stavik-quadratic-'))
  folder = new DiskFolder(root)
})
afterAll(async () => {
  await folder.close()
  await rm(root, { recursive: true, force: true })
})

const linear = ([x, y, z]: Position): number => 1 + 2 * x - 3 * y + z

async function figures(name: string, field?: string) {
  const data = await readCase(await openNamed([name], folder), 0)
  const info = describeCase(data)
  const { name: region, cellTypes, volume } = info.regions[0]!
  const measure = (text: string): number => measureExpression(text, evaluatorFor(data, {}).data, [region]).value
  const centroid = ['x', 'y', 'z'].map((axis) => measure(`mean(pos.${axis})`)) as unknown as Position
  return { cellTypes, volume, mean: field ? measure(`mean(${field})`) : NaN, expected: linear(centroid) }
}

type Kind = keyof typeof quadraticVolumes
const kinds = Object.keys(quadraticVolumes) as Kind[]

describe('quadratic cells in the node order of each format', () => {
  it.each(kinds)('%s of vtu', async (kind) => {
    const nodes = quadraticCell(kind, orders.vtk)
    const type = { tetra10: 24, hexahedron20: 25, wedge15: 26, pyramid13: 27, hexahedron27: 29 }[kind]
    const content = {
      points: nodes.flat(),
      connectivity: nodes.map((_, i) => i),
      offsets: [nodes.length],
      types: [type],
      pointData: [{ name: 'f', type: 'Float64', values: nodes.map(linear) }],
      cellData: [{ name: 'c', type: 'Float64', values: [7] }],
    }
    await writeFile(join(root, 'a.vtu'), vtuFile(content, { encoding: 'appended raw' }))
    const { cellTypes, volume, mean, expected } = await figures('a.vtu', 'f')
    expect(cellTypes).toEqual({ [kind]: 1 })
    expect(volume).toBeCloseTo(quadraticVolumes[kind], 12)
    expect(mean).toBeCloseTo(expected, 10)
    expect((await figures('a.vtu', 'c')).mean).toBeCloseTo(7, 12)
  })

  it.each<[Kind, number]>([
    ['hexahedron20', 4],
    ['wedge15', 5],
    ['tetra10', 6],
  ])('%s of frd', async (kind, code) => {
    const nodes = quadraticCell(kind, orders.frd)
    const model = {
      points: nodes,
      cells: [nodes.map((_, i) => i)],
      patches: [],
      temperature: nodes.map(linear),
      velocity: nodes,
      pressure: [0],
      stress: nodes.map((p) => [...p, ...p]),
    }
    for (const form of ['long', 'short', 'double'] as const) {
      await writeFile(join(root, 'a.frd'), frdFile(model, form, undefined, code))
      const { cellTypes, volume, mean, expected } = await figures('a.frd', 'NDTEMP')
      expect(cellTypes).toEqual({ [kind]: 1 })
      expect(volume).toBeCloseTo(quadraticVolumes[kind], form === 'double' ? 12 : 4)
      expect(mean).toBeCloseTo(expected, form === 'double' ? 10 : 3)
    }
  })

  it.each<[Kind, string]>([
    ['hexahedron20', 'HEX20'],
    ['hexahedron27', 'HEX27'],
    ['wedge15', 'WEDGE15'],
    ['tetra10', 'TETRA10'],
    ['pyramid13', 'PYRAMID13'],
  ])('%s of Exodus II', async (kind, name) => {
    // there are writers that leave cells in the order of another format
    for (const order of [orders.exodus, orders.vtk]) {
      const nodes = quadraticCell(kind, order)
      const variables = [
        ...['x', 'y', 'z'].map((axis, d) => ({
          name: `coord${axis}`,
          kind: 'double' as const,
          dimensions: ['nodes'],
          values: nodes.map((p) => p[d]!),
        })),
        {
          name: 'connect1',
          kind: 'int' as const,
          dimensions: ['one', 'nodes'],
          values: nodes.map((_, i) => i + 1),
          attributes: { elem_type: name },
        },
      ]
      await writeFile(join(root, 'a.exo'), netcdfFile(1, { nodes: nodes.length, one: 1 }, variables, 0))
      const { cellTypes, volume } = await figures('a.exo')
      expect(cellTypes).toEqual({ [kind]: 1 })
      expect(volume).toBeCloseTo(quadraticVolumes[kind], 12)
    }
  })

  it.each<[Kind, number]>([
    ['hexahedron20', 18],
    ['hexahedron27', 19],
    ['wedge15', 15],
    ['tetra10', 11],
    ['pyramid13', 21],
  ])('%s of CGNS', async (kind, code) => {
    const nodes = quadraticCell(kind, orders.cgns)
    const path = join(root, `${kind}.cgns`)
    await writeHdf5(path, (file) => {
      const add = (parent: typeof file, name: string, label: string, data?: Float64Array | Int32Array | Int8Array) => {
        const group = parent.create_group(name)
        group.create_attribute('label', label)
        if (data) group.create_dataset({ name: ' data', data })
        return group
      }
      const zone = add(add(file, 'Base', 'CGNSBase_t', Int32Array.of(3, 3)), 'Cell', 'Zone_t', Int32Array.of(nodes.length, 1, 0))
      add(zone, 'ZoneType', 'ZoneType_t', Int8Array.from([...'Unstructured'].map((ch) => ch.charCodeAt(0))))
      const grid = add(zone, 'GridCoordinates', 'GridCoordinates_t')
      ;['X', 'Y', 'Z'].forEach((axis, d) => add(grid, `Coordinate${axis}`, 'DataArray_t', Float64Array.from(nodes.map((p) => p[d]!))))
      const section = add(zone, 'Section', 'Elements_t', Int32Array.of(code, 0))
      add(section, 'ElementRange', 'IndexRange_t', Int32Array.of(1, 1))
      add(section, 'ElementConnectivity', 'DataArray_t', Int32Array.from(nodes.map((_, i) => i + 1)))
    })
    const { cellTypes, volume } = await figures(`${kind}.cgns`)
    expect(cellTypes).toEqual({ [kind]: 1 })
    expect(volume).toBeCloseTo(quadraticVolumes[kind], 12)
  })
})
