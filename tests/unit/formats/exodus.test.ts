import { writeFile } from 'node:fs/promises'
import { describe, expect, it } from 'vitest'
import { cube, ownFolder } from '../../support/ownFolder'
import { readCase } from '../../../core/store/memoryCase'
import { netcdfFile } from '../../support/writers/netcdf'

const { path, open, info } = ownFolder()

describe('Exodus II', () => {
  /** One element of each kind of volume, apart from each other, with all their sides as sets. */
  const kinds = [
    {
      name: 'TETRA4',
      corners: [
        [0, 0, 0],
        [1, 0, 0],
        [0, 1, 0],
        [0, 0, 1],
      ],
      nSides: 4,
      area: 1.5 + Math.sqrt(3) / 2,
    },
    {
      name: 'PYRAMID5',
      corners: [
        [0, 0, 0],
        [1, 0, 0],
        [1, 1, 0],
        [0, 1, 0],
        [0.5, 0.5, 0.5],
      ],
      nSides: 5,
      area: 1 + 4 * (Math.SQRT1_2 / 2),
    },
    {
      name: 'WEDGE6',
      corners: [
        [0, 0, 0],
        [1, 0, 0],
        [0, 1, 0],
        [0, 0, 1],
        [1, 0, 1],
        [0, 1, 1],
      ],
      nSides: 5,
      area: 3 + Math.SQRT2,
    },
    { name: 'HEX8', corners: cube(0), nSides: 6, area: 6 },
  ]

  it.each(kinds)('the sides of $name close around it and turn outwards', async ({ name, corners, nSides, area }) => {
    const bytes = netcdfFile(
      1,
      { nodes: corners.length, one: 1, sides: nSides, dim: 3 },
      [
        { name: 'coord', kind: 'double', dimensions: ['dim', 'nodes'], values: [0, 1, 2].flatMap((d) => corners.map((p) => p[d]!)) },
        {
          name: 'connect1',
          kind: 'int',
          dimensions: ['one', 'nodes'],
          values: corners.map((_, i) => i + 1),
          attributes: { elem_type: name },
        },
        { name: 'ss_prop1', kind: 'int', dimensions: ['one'], values: [7] },
        { name: 'elem_ss1', kind: 'int', dimensions: ['sides'], values: Array(nSides).fill(1) },
        { name: 'side_ss1', kind: 'int', dimensions: ['sides'], values: Array.from({ length: nSides }, (_, i) => i + 1) },
      ],
      0,
    )
    await writeFile(path('one.exo'), bytes)
    expect((await open('one.exo')).catalogue.fields).toEqual([])
    const { surfaces } = await info('one.exo')
    expect(surfaces).toMatchObject([{ name: 'side set 7', faces: nSides }])
    expect(surfaces[0]!.area).toBeCloseTo(area, 12)
    expect((await readCase(await open('one.exo'), 0)).catalogue.parts[1]!.owners).toEqual(['block 1'])
  })

  it('numbers of nodes are told where they are not their order, those of elements run through the blocks', async () => {
    const ints = (name: string, dimensions: string[], values: number[]) => ({ name, kind: 'int' as const, dimensions, values })
    const block = (k: number, nodes: number[]) => ({ ...ints(`connect${k}`, ['one', 'four'], nodes), attributes: { elem_type: 'TETRA4' } })
    const corners = [...kinds[0]!.corners, [1, 1, 1]]
    const bytes = netcdfFile(
      1,
      { nodes: 5, one: 1, two: 2, four: 4, dim: 3 },
      [
        { name: 'coord', kind: 'double', dimensions: ['dim', 'nodes'], values: [0, 1, 2].flatMap((d) => corners.map((p) => p[d]!)) },
        ...[block(1, [1, 2, 3, 4]), block(2, [2, 3, 4, 5])],
        ...[ints('node_num_map', ['nodes'], [10, 20, 30, 40, 50]), ints('elem_num_map', ['two'], [1, 2])],
      ],
      0,
    )
    await writeFile(path('two.exo'), bytes)
    const file = await open('two.exo')
    expect(file.catalogue.fields.map(({ name, place, parts, unit }) => [name, place, parts, unit])).toEqual([
      ['node number', 'point', ['block 1', 'block 2'], '1'],
      ['cell number', 'cell', ['block 1', 'block 2'], '1'],
    ])
    expect([...(await file.values('block 2', 'cell number', 0)).values]).toEqual([2])
    expect([...(await file.values('block 2', 'node number', 0)).values]).toEqual([10, 20, 30, 40, 50])
  })

  it('shells are surfaces, their sides the shells themselves; all node values may stand in one variable', async () => {
    const bytes = netcdfFile(
      2,
      { time: 0, nodes: 4, one: 1, two: 2, names: 2, letters: 8 },
      [
        { name: 'coordx', kind: 'double', dimensions: ['nodes'], values: [0, 2, 2, 0] },
        { name: 'coordy', kind: 'double', dimensions: ['nodes'], values: [0, 0, 1, 1] },
        { name: 'connect1', kind: 'int', dimensions: ['one', 'nodes'], values: [1, 2, 3, 4], attributes: { elem_type: 'SHELL4' } },
        { name: 'ss_prop1', kind: 'int', dimensions: ['one'], values: [3] },
        { name: 'elem_ss1', kind: 'int', dimensions: ['two'], values: [1, 1] },
        { name: 'side_ss1', kind: 'int', dimensions: ['two'], values: [1, 5] },
        {
          name: 'name_nod_var',
          kind: 'char',
          dimensions: ['names', 'letters'],
          values: [...'heat\0\0\0\0load\0\0\0\0'].map((ch) => ch.charCodeAt(0)),
        },
        { name: 'time_whole', kind: 'double', dimensions: ['time'], values: [0, 3] },
        {
          name: 'vals_nod_var',
          kind: 'double',
          dimensions: ['time', 'names', 'nodes'],
          values: [1, 2, 3, 4, 5, 6, 7, 8, 11, 12, 13, 14, 15, 16, 17, 18],
        },
      ],
      2,
    )
    await writeFile(path('shell.exo'), bytes)
    const opened = await open('shell.exo')
    expect(opened.catalogue.parts.map((p) => [p.name, p.dimension, p.cells])).toEqual([
      ['block 1', 2, 1],
      ['side set 3', 2, 1],
    ])
    expect([...(await opened.values('block 1', 'load', 1)).values]).toEqual([15, 16, 17, 18])
  })

  it.each<[string, Parameters<typeof netcdfFile>[2], RegExp]>([
    [
      'an unknown element',
      [
        { name: 'coordx', kind: 'double', dimensions: ['n'], values: [0, 1] },
        { name: 'connect1', kind: 'int', dimensions: ['one', 'n'], values: [1, 2], attributes: { elem_type: 'BLOB' } },
      ],
      /elements “BLOB” with 2 nodes/,
    ],
    ['no coordinates', [{ name: 'other', kind: 'int', dimensions: ['n'], values: [1, 2] }], /no coordinates/],
    [
      'a set of an element that is not there',
      [
        { name: 'coordx', kind: 'double', dimensions: ['n'], values: [0, 1] },
        { name: 'connect1', kind: 'int', dimensions: ['one', 'n'], values: [1, 2], attributes: { elem_type: 'BAR' } },
        { name: 'elem_ss1', kind: 'int', dimensions: ['one'], values: [9] },
        { name: 'side_ss1', kind: 'int', dimensions: ['one'], values: [1] },
      ],
      /names element 9, which is not there/,
    ],
    [
      'a node that is not there',
      [
        { name: 'coordx', kind: 'double', dimensions: ['n'], values: [0, 1] },
        { name: 'connect1', kind: 'int', dimensions: ['one', 'n'], values: [1, 5], attributes: { elem_type: 'BAR' } },
      ],
      /refers to point 4/,
    ],
  ])('%s', async (_, variables, message) => {
    await writeFile(path('bad.exo'), netcdfFile(1, { n: 2, one: 1 }, variables, 0))
    await expect(info('bad.exo')).rejects.toThrow(message)
  })
})
