import type { Group } from 'h5wasm/node'
import { describe, expect, it } from 'vitest'
import { cube, ownFolder } from '../../support/ownFolder'
import { writeHdf5 } from '../../support/writers/hdf5'

const { path, open, info } = ownFolder()

const f64 = (list: readonly number[]): Float64Array => Float64Array.from(list)
const i32 = (list: readonly number[]): Int32Array => Int32Array.from(list)
const letters = (text: string): Int8Array => Int8Array.from([...text].map((ch) => ch.charCodeAt(0)))

describe('CGNS', () => {
  const add = (parent: Group, name: string, label: string, data?: Float64Array | Int32Array | Int8Array, shape?: number[]): Group => {
    const group = parent.create_group(name)
    group.create_attribute('label', label)
    if (data) group.create_dataset({ name: ' data', data, shape: shape ?? [data.length] })
    return group
  }

  function zone(base: Group, name: string, shift: number): Group {
    const points = cube(shift)
    const own = add(base, name, 'Zone_t', i32([8, 1, 0]), [3, 1])
    add(own, 'ZoneType', 'ZoneType_t', letters('Unstructured'))
    const grid = add(own, 'GridCoordinates', 'GridCoordinates_t')
    ;['X', 'Y', 'Z'].forEach((axis, d) => add(grid, `Coordinate${axis}`, 'DataArray_t', f64(points.map((p) => p[d]!))))
    const section = (title: string, code: number, first: number, nodes: number[], count: number): void => {
      const group = add(own, title, 'Elements_t', i32([code, 0]))
      add(group, 'ElementRange', 'IndexRange_t', i32([first, first + count - 1]))
      add(group, 'ElementConnectivity', 'DataArray_t', i32(nodes))
    }
    section('Cells', 17, 1, [1, 2, 3, 4, 5, 6, 7, 8], 1)
    section('Faces', 7, 2, [1, 5, 8, 4, 2, 3, 7, 6], 2)
    const solution = add(own, 'Solution', 'FlowSolution_t')
    add(solution, 'Temperature', 'DataArray_t', f64(points.map((p) => p[0]!)))
    return own
  }

  it('several zones are regions, their boundaries named after them; families name surfaces', async () => {
    await writeHdf5(path('zones.cgns'), (file) => {
      const base = add(file, 'Base', 'CGNSBase_t', i32([3, 3]))
      for (const [i, name] of ['Left', 'Right'].entries()) {
        const conditions = add(zone(base, name, i), 'ZoneBC', 'ZoneBC_t')
        const byNumber = add(conditions, 'bc1', 'BC_t', letters('BCInflow'))
        add(byNumber, 'PointRange', 'IndexRange_t', i32([2, 2]), [2, 1])
        add(byNumber, 'GridLocation', 'GridLocation_t', letters('FaceCenter'))
        add(byNumber, 'FamilyName', 'FamilyName_t', letters('Inlets'))
        const byPoint = add(conditions, 'bc2', 'BC_t', letters('BCOutflow'))
        add(byPoint, 'PointList', 'IndexArray_t', i32([2, 3, 6, 7]), [4, 1])
      }
    })
    const { regions, surfaces, fields } = await info('zones.cgns')
    expect(regions.map((r) => [r.name, r.volume])).toEqual([
      ['Left', 1],
      ['Right', 1],
    ])
    expect(surfaces.map((s) => [s.name, s.area])).toEqual([
      ['Left/Inlets', 1],
      ['Left/bc2', 1],
      ['Right/Inlets', 1],
      ['Right/bc2', 1],
    ])
    const at = (region: string) => fields.find((f) => f.region === region)!
    expect([at('Left').mean, at('Right').mean, at('Left/Inlets').max, at('Right/bc2').min].map((x) => Number(x!.toFixed(12)))).toEqual([
      0.5, 1.5, 0, 2,
    ])
  })

  it('units stand at the array or at the base', async () => {
    const names = (...list: string[]): Int8Array => letters(list.map((name) => name.padEnd(32)).join(''))
    await writeHdf5(path('units.cgns'), (file) => {
      const base = add(file, 'Base', 'CGNSBase_t', i32([3, 3]))
      add(base, 'DimensionalUnits', 'DimensionalUnits_t', names('Kilogram', 'Millimeter', 'Second', 'Kelvin', 'Radian'), [5, 32])
      const solution = add(zone(base, 'Z', 0), 'More', 'FlowSolution_t')
      const array = (name: string, exponents: number[]): Group => {
        const own = add(solution, name, 'DataArray_t', f64(Array(8).fill(1)))
        add(own, 'Exponents', 'DimensionalExponents_t', f64(exponents))
        return own
      }
      array('Speed', [0, 1, -1, 0, 0])
      add(
        array('Heat', [1, 2, -2, 0, 0]),
        'DimensionalUnits',
        'DimensionalUnits_t',
        names('Kilogram', 'Meter', 'Second', 'Kelvin', 'Radian'),
        [5, 32],
      )
      array('Odd', [0, 0, 0, 0, 0])
    })
    const { catalogue } = await open('units.cgns')
    expect([catalogue.lengthUnit, catalogue.lengthUnitFrom]).toEqual(['mm', 'file'])
    expect(catalogue.fields.map((f) => [f.name, f.unit]).sort()).toEqual([
      ['Heat', 'kg·m²/s²'],
      ['Odd', '1'],
      ['Speed', 'mm/s'],
      ['Temperature', null],
    ])
  })

  it('rows beyond a structured zone are left out of its values', async () => {
    // 3 × 2 × 2 points; a row below and one above along i, one below along k
    const [ni, nj, nk] = [3, 2, 2]
    const values = (n: readonly number[], low: readonly number[], value: (i: number, j: number, k: number) => number): Float64Array =>
      f64(
        Array.from({ length: n[2]! }, (_, k) =>
          Array.from({ length: n[1]! }, (_, j) => Array.from({ length: n[0]! }, (_, i) => value(i - low[0]!, j - low[1]!, k - low[2]!))),
        ).flat(2),
      )
    await writeHdf5(path('rind.cgns'), (file) => {
      const own = add(
        add(file, 'Base', 'CGNSBase_t', i32([3, 3])),
        'Z',
        'Zone_t',
        i32([ni, nj, nk, ni - 1, nj - 1, nk - 1, 0, 0, 0]),
        [3, 3],
      )
      add(own, 'ZoneType', 'ZoneType_t', letters('Structured'))
      const grid = add(own, 'GridCoordinates', 'GridCoordinates_t')
      ;['X', 'Y', 'Z'].forEach((axis, d) =>
        add(
          grid,
          `Coordinate${axis}`,
          'DataArray_t',
          values([ni, nj, nk], [0, 0, 0], (...at) => at[d]!),
        ),
      )
      const solution = (name: string, location: string, n: number[]): void => {
        const group = add(own, name, 'FlowSolution_t')
        add(group, 'GridLocation', 'GridLocation_t', letters(location))
        add(group, 'Rind', 'Rind_t', i32([1, 1, 0, 0, 1, 0]))
        const inside = (i: number, j: number, k: number): number =>
          i < 0 || k < 0 || i >= n[0]! || k >= n[2]! ? 1e9 : 100 * i + 10 * j + k
        add(group, name, 'DataArray_t', values([n[0]! + 2, n[1]!, n[2]! + 1], [1, 0, 1], inside))
      }
      solution('P', 'Vertex', [ni, nj, nk])
      solution('C', 'CellCenter', [ni - 1, nj - 1, nk - 1])
    })
    const { fields } = await info('rind.cgns')
    expect(fields.map((f) => [f.name, f.place, f.min, f.max])).toEqual([
      ['C', 'cell', 0, 100],
      ['P', 'point', 0, 211],
    ])
    const opened = await open('rind.cgns')
    expect([...(await opened.values('Z', 'P', 0)).values]).toEqual([0, 100, 200, 10, 110, 210, 1, 101, 201, 11, 111, 211])
  })

  it.each<[string, (file: Group) => void, RegExp]>([
    ['no base', () => undefined, /holds no cells/],
    ['a zone without size', (file) => void add(add(file, 'Base', 'CGNSBase_t', i32([3, 3])), 'Z', 'Zone_t'), /states no size/],
    [
      'a zone without coordinates',
      (file) => void add(add(file, 'Base', 'CGNSBase_t', i32([3, 3])), 'Z', 'Zone_t', i32([8, 1, 0])),
      /has no coordinates/,
    ],
    [
      'elements of an unknown kind',
      (file) => {
        const own = zone(add(file, 'Base', 'CGNSBase_t', i32([3, 3])), 'Z', 0)
        const group = add(own, 'Odd', 'Elements_t', i32([99, 0]))
        add(group, 'ElementRange', 'IndexRange_t', i32([9, 9]))
        add(group, 'ElementConnectivity', 'DataArray_t', i32([1]))
      },
      /of the kind 99, which is not read/,
    ],
    [
      'values that do not fit',
      (file) => {
        const own = zone(add(file, 'Base', 'CGNSBase_t', i32([3, 3])), 'Z', 0)
        add(add(own, 'Other', 'FlowSolution_t'), 'Heat', 'DataArray_t', f64([1, 2, 3]))
      },
      /“Heat” of Z has 3 values for 8 points/,
    ],
  ])('%s', async (what, fill, message) => {
    const name = `${what.replaceAll(' ', '-')}.cgns`
    await writeHdf5(path(name), fill)
    await expect(info(name)).rejects.toThrow(message)
  })
})

describe('MED', () => {
  it('values on a profile leave the rest without; groups may overlap', async () => {
    const columns = (rows: readonly (readonly number[])[]): number[] => rows[0]!.flatMap((_, c) => rows.map((row) => row[c]!))
    const points = [...cube(0), ...cube(2)]
    await writeHdf5(path('groups.med'), (file) => {
      const mesh = file.create_group('ENS_MAA').create_group('M')
      mesh.create_attribute('ESP', i32([3]))
      const step = mesh.create_group('-0000000000000000001-0000000000000000001')
      step.create_group('NOE').create_dataset({ name: 'COO', data: f64(columns(points)) })
      const block = step.create_group('MAI').create_group('HE8')
      block.create_dataset({
        name: 'NOD',
        data: i32(
          columns([
            [1, 4, 3, 2, 5, 8, 7, 6],
            [9, 12, 11, 10, 13, 16, 15, 14],
          ]),
        ),
      })
      block.create_dataset({ name: 'FAM', data: i32([-1, -2]) })
      const families = file.create_group('FAS').create_group('M').create_group('ELEME')
      ;[
        ['A', -1, ['left', 'all']],
        ['B', -2, ['right', 'all']],
      ].forEach(([name, number, groups]) => {
        const family = families.create_group(String(name))
        family.create_attribute('NUM', i32([Number(number)]))
        const texts = (groups as string[]).flatMap((text) => [...letters(text.padEnd(80))])
        family.create_group('GRO').create_dataset({ name: 'NOM', data: Int8Array.from(texts), shape: [2, 80] })
      })
      const field = file.create_group('CHA').create_group('heat')
      field.create_attribute('MAI', 'M')
      field.create_attribute('NCO', i32([1]))
      field.create_attribute('UNI', 'W               ')
      const at = field.create_group('0'.repeat(40))
      at.create_attribute('PDT', f64([2]))
      at.create_group('MAI.HE8')
        .create_group('second')
        .create_dataset({ name: 'CO', data: f64([42]) })
      file
        .create_group('PROFILS')
        .create_group('second')
        .create_dataset({ name: 'PFL', data: i32([2]) })
    })
    const { regions, fields } = await info('groups.med')
    expect(regions.map((r) => [r.name, r.cells, r.volume])).toEqual([
      ['region', 2, 2],
      ['left', 1, 1],
      ['right', 1, 1],
    ])
    const heat = (region: string) => fields.find((f) => f.region === region)!
    expect([heat('region').max, heat('region').nonFinite, heat('right').mean, heat('left').nonFinite]).toEqual([42, 1, 42, 1])
    expect(heat('right').unit).toBe('W')
  })
})
