import { describe, expect, it } from 'vitest'
import { joinComponents } from '../../../core/formats/components'
import type { SourceField } from '../../../core/formats/SourceCase'
import {
  rectilinearPoints,
  structuredCellCount,
  structuredCells,
  structuredDimension,
  uniformPoints,
} from '../../../core/formats/structured'

function field(name: string, change: Partial<SourceField> = {}): SourceField {
  return {
    name,
    place: 'point',
    components: 1,
    parts: ['Water'],
    read: async () => Float64Array.of(name.length, name.charCodeAt(name.length - 1)),
    ...change,
  }
}

const joinedNames = (names: string[]): [string, number][] =>
  joinComponents(names.map((name) => field(name))).map((f) => [f.name, f.components])

describe('scalars that are components', () => {
  it.each<[string, string[], [string, number][]]>([
    ['capital letters', ['VelocityX', 'VelocityY', 'VelocityZ'], [['Velocity', 3]]],
    [
      'underscores',
      ['vel_x', 'vel_y', 'vel_z', 'T'],
      [
        ['vel', 3],
        ['T', 1],
      ],
    ],
    ['numbers', ['U:0', 'U:1', 'U:2'], [['U', 3]]],
    [
      'any order',
      ['T', 'v_z', 'p', 'v_x', 'v_y'],
      [
        ['T', 1],
        ['v', 3],
        ['p', 1],
      ],
    ],
    ['symmetric tensors', ['Sxx', 'Syy', 'Szz', 'Sxy', 'Syz', 'Sxz'], [['S', 6]]],
    ['tensors with zx for xz', ['e_xx', 'e_yy', 'e_zz', 'e_xy', 'e_yz', 'e_zx'], [['e', 6]]],
    [
      'one missing: they stay as they are',
      ['vel_x', 'vel_y', 'T'],
      [
        ['vel_x', 1],
        ['vel_y', 1],
        ['T', 1],
      ],
    ],
    [
      'words that only end so',
      ['index', 'energy', 'Z'],
      [
        ['index', 1],
        ['energy', 1],
        ['Z', 1],
      ],
    ],
  ])('%s', (_, names, expected) => expect(joinedNames(names)).toEqual(expected))

  it('of other parts or places are not mixed', () => {
    const list = [field('v_x'), field('v_y', { place: 'cell' }), field('v_z'), field('w_x'), field('w_y', { parts: ['Arm'] }), field('w_z')]
    expect(joinComponents(list)).toHaveLength(6)
  })

  it('are read item by item, tensors in the core’s order', async () => {
    const [vector] = joinComponents(['v_z', 'v_x', 'v_y'].map((name) => field(name)))
    const [x, y, z] = ['x', 'y', 'z'].map((c) => c.charCodeAt(0))
    expect([...(await vector!.read('Water', 0))]).toEqual([3, 3, 3, x, y, z])
    const [tensor] = joinComponents(
      ['S_xy', 'S_xx', 'S_zz', 'S_yy', 'S_xz', 'S_yz'].map((name, i) => field(name, { read: async () => Float32Array.of(i) })),
    )
    const values = await tensor!.read('Water', 0)
    expect(values).toBeInstanceOf(Float32Array)
    expect([...values]).toEqual([1, 3, 2, 0, 5, 4])
  })
})

describe('structured grids', () => {
  it.each<[readonly [number, number, number], number, number, number[]]>([
    [[2, 2, 2], 3, 1, [0, 1, 3, 2, 4, 5, 7, 6]],
    [[3, 2, 1], 2, 2, [0, 1, 4, 3, 1, 2, 5, 4]],
    [[2, 1, 2], 2, 1, [0, 1, 3, 2]],
    [[1, 3, 1], 1, 2, [0, 1, 1, 2]],
    [[1, 1, 1], 0, 1, [0]],
  ])('of %o points', (counts, dimension, nCells, connectivity) => {
    const cells = structuredCells(counts)
    expect(structuredDimension(counts)).toBe(dimension)
    expect(structuredCellCount(counts)).toBe(nCells)
    expect([...cells.connectivity]).toEqual(connectivity)
    expect(cells.offsets[nCells]).toBe(connectivity.length)
  })

  it('have their points with i fastest', () => {
    expect([...rectilinearPoints([0, 2], [5], [1, 3])]).toEqual([0, 5, 1, 2, 5, 1, 0, 5, 3, 2, 5, 3])
    expect([...uniformPoints([2, 1, 1], [3, 0, 0], [1, 1, 1], [0.5, 1, 1])]).toEqual([2.5, 1, 1, 3, 1, 1])
    expect([...uniformPoints([2, 1, 1], [0, 0, 0], [0, 0, 0], [2, 1, 1], [0, -1, 0, 1, 0, 0, 0, 0, 1])].map((x) => x + 0)).toEqual([
      0, 0, 0, 0, 2, 0,
    ])
  })
})
