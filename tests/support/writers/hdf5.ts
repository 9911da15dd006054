/** Writes the HDF5-based formats with the library itself: XDMF's heavy data, CGNS, Exodus II, MED. */
import h5wasm from 'h5wasm/node'
import type { Group } from 'h5wasm/node'
import { COUNTS, SIZE } from './model'
import type { Model } from './model'

export async function writeHdf5(path: string, fill: (file: Group) => void): Promise<void> {
  await h5wasm.ready
  const file = new h5wasm.File(path, 'w')
  fill(file)
  file.close()
}

const f64 = (list: readonly number[]): Float64Array => Float64Array.from(list)
const i32 = (list: readonly number[]): Int32Array => Int32Array.from(list)

// --- XDMF ---------------------------------------------------------------------------------------------------------------

export interface XdmfVariant {
  heavy: 'HDF' | 'XML' | 'HyperSlab'
  topology?: 'Hexahedron' | 'Mixed' | '3DSMesh' | '3DCoRectMesh' | '3DRectMesh'
  times?: number[]
}

/** Light data as text, heavy data in `box.h5`. */
export async function xdmfCase(model: Model, folder: string, { heavy, topology = 'Hexahedron', times }: XdmfVariant): Promise<string> {
  const stored = new Map<string, { data: Float64Array | Int32Array; shape: number[] }>()
  const item = (name: string, data: Float64Array | Int32Array, shape: number[]): string => {
    const kind = data instanceof Int32Array ? 'NumberType="Int" Precision="4"' : 'NumberType="Float" Precision="8"'
    if (heavy === 'XML') return `<DataItem Dimensions="${shape.join(' ')}" ${kind} Format="XML">${data.join(' ')}</DataItem>`
    if (heavy === 'HDF' || shape.length !== 2) {
      stored.set(name, { data, shape })
      return `<DataItem Dimensions="${shape.join(' ')}" ${kind} Format="HDF">box.h5:/${name}</DataItem>`
    }
    // every other column of a wider array
    const [n, m] = shape as [number, number]
    const wide = new Float64Array(2 * n * m)
    for (let i = 0; i < n * m; i++) wide[2 * i] = data[i]!
    stored.set(name, { data: wide, shape: [n, 2 * m] })
    return (
      `<DataItem ItemType="HyperSlab" Dimensions="${n} ${m}"><DataItem Dimensions="3 2" Format="XML">0 0 1 2 ${n} ${m}` +
      `</DataItem><DataItem Dimensions="${n} ${2 * m}" ${kind} Format="HDF">box.h5:/${name}</DataItem></DataItem>`
    )
  }
  const { points, cells } = model
  const zyx = [...COUNTS]
    .reverse()
    .map((n) => n + 1)
    .join(' ')
  const axis = (d: number): Float64Array => Float64Array.from({ length: COUNTS[d]! + 1 }, (_, i) => (SIZE[d]! * i) / COUNTS[d]!)
  const xyz = `<Geometry GeometryType="XYZ">${item('points', f64(points.flat()), [points.length, 3])}</Geometry>`
  const meshes: Record<string, string> = {
    Hexahedron:
      `<Topology TopologyType="Hexahedron" ` +
      `NumberOfElements="${cells.length}">${item('cells', i32(cells.flat()), [cells.length, 8])}</Topology>${xyz}`,
    Mixed:
      `<Topology TopologyType="Mixed" ` +
      `NumberOfElements="${cells.length}">${item('mixed', i32(cells.flatMap((cell) => [9, ...cell])), [9 * cells.length])}` +
      `</Topology>${xyz}`,
    '3DSMesh': `<Topology TopologyType="3DSMesh" Dimensions="${zyx}"/>${xyz}`,
    '3DRectMesh':
      `<Topology TopologyType="3DRectMesh" Dimensions="${zyx}"/>` +
      `<Geometry GeometryType="VXVYVZ">${[0, 1, 2].map((d) => item(`axis${d}`, axis(d), [COUNTS[d]! + 1])).join('')}</Geometry>`,
    '3DCoRectMesh':
      `<Topology TopologyType="3DCoRectMesh" Dimensions="${zyx}"/>` +
      `<Geometry GeometryType="ORIGIN_DXDYDZ">${item('origin', f64([0, 0, 0]), [3])}` +
      `${item('spacing', f64([2, 1, 0].map((d) => SIZE[d]! / COUNTS[d]!)), [3])}</Geometry>`,
  }
  const attribute = (name: string, kind: string, center: string, data: string): string =>
    `<Attribute Name="${name}" AttributeType="${kind}" Center="${center}">${data}</Attribute>`
  const grid = (t: number | undefined): string =>
    `<Grid Name="box${t ?? ''}" GridType="Uniform">${t === undefined ? '' : `<Time Value="${t}"/>`}${meshes[topology]}${attribute(
      'T',
      'Scalar',
      'Node',
      item(`T${t ?? ''}`, f64(model.temperature.map((x) => x + (t ?? 0))), [points.length]),
    )}${attribute('U', 'Vector', 'Node', item(`U${t ?? ''}`, f64(model.velocity.flat()), [points.length, 3]))}${attribute(
      'p',
      'Scalar',
      'Cell',
      item(`p${t ?? ''}`, f64(model.pressure), [cells.length]),
    )}</Grid>`
  const body = times
    ? `<Grid Name="all" GridType="Collection" CollectionType="Temporal">${times.map(grid).join('')}</Grid>`
    : grid(undefined)
  if (stored.size)
    await writeHdf5(`${folder}/box.h5`, (file) => stored.forEach(({ data, shape }, name) => file.create_dataset({ name, data, shape })))
  return `<?xml version="1.0"?>\n<!DOCTYPE Xdmf SYSTEM "Xdmf.dtd" []>\n<Xdmf Version="3.0"><Domain>${body}</Domain></Xdmf>`
}

// --- CGNS ---------------------------------------------------------------------------------------------------------------

export type CgnsVariant = 'hexahedra' | 'mixed' | 'faces' | 'structured'

const codes = (text: string, width = text.length): Int8Array => Int8Array.from([...text.padEnd(width)].map((ch) => ch.charCodeAt(0)))

function node(parent: Group, name: string, label: string, data?: Float64Array | Int32Array | Int8Array, shape?: number[]): Group {
  const group = parent.create_group(name)
  group.create_attribute('name', name)
  group.create_attribute('label', label)
  if (data) group.create_dataset({ name: ' data', data, shape: shape ?? [data.length] })
  return group
}

export function cgnsFile(model: Model, variant: CgnsVariant, times?: number[]): (file: Group) => void {
  return (file) => {
    const base = node(file, 'Base', 'CGNSBase_t', i32([3, 3]))
    const counts = COUNTS.map((n) => n + 1)
    const isStructured = variant === 'structured'
    const zone = node(
      base,
      'Tank',
      'Zone_t',
      i32(isStructured ? [...counts, ...COUNTS, 0, 0, 0] : [model.points.length, model.cells.length, 0]),
      isStructured ? [3, 3] : [3, 1],
    )
    node(zone, 'ZoneType', 'ZoneType_t', codes(isStructured ? 'Structured' : 'Unstructured'))
    const grid = node(zone, 'GridCoordinates', 'GridCoordinates_t')
    ;['X', 'Y', 'Z'].forEach((axis, d) => node(grid, `Coordinate${axis}`, 'DataArray_t', f64(model.points.map((p) => p[d]!))))
    const conditions = node(zone, 'ZoneBC', 'ZoneBC_t')
    if (isStructured) structuredConditions(conditions, counts)
    else elements(zone, conditions, model, variant)
    const list = times ?? [undefined]
    list.forEach((time, m) => {
      const solution = node(zone, `Solution${m + 1}`, 'FlowSolution_t')
      node(solution, 'GridLocation', 'GridLocation_t', codes('Vertex'))
      node(solution, 'Temperature', 'DataArray_t', f64(model.temperature.map((t) => t + (time ?? 0))))
      ;['X', 'Y', 'Z'].forEach((axis, d) => node(solution, `Velocity${axis}`, 'DataArray_t', f64(model.velocity.map((v) => v[d]!))))
      const cells = node(zone, `Cells${m + 1}`, 'FlowSolution_t')
      node(cells, 'GridLocation', 'GridLocation_t', codes('CellCenter'))
      const pressure = node(cells, 'Pressure', 'DataArray_t', f64(model.pressure))
      node(pressure, 'DimensionalExponents', 'DimensionalExponents_t', f64([1, -1, -2, 0, 0]))
      node(
        pressure,
        'DimensionalUnits',
        'DimensionalUnits_t',
        Int8Array.from(['Kilogram', 'Meter', 'Second', 'Kelvin', 'Radian'].flatMap((u) => [...codes(u, 32)])),
      )
    })
    if (!times) return
    node(node(base, 'Iterations', 'BaseIterativeData_t', i32([times.length])), 'TimeValues', 'DataArray_t', f64(times))
    const pointers = Int8Array.from(times.flatMap((_, m) => [...codes(`Solution${m + 1}`, 32)]))
    node(node(zone, 'ZoneIterations', 'ZoneIterativeData_t'), 'FlowSolutionPointers', 'DataArray_t', pointers, [times.length, 32])
  }
}

function elements(zone: Group, conditions: Group, model: Model, variant: CgnsVariant): void {
  const { cells, patches } = model
  const section = (name: string, code: number, first: number, count: number, connectivity: number[], offsets?: number[]): void => {
    const group = node(zone, name, 'Elements_t', i32([code, 0]))
    node(group, 'ElementRange', 'IndexRange_t', i32([first, first + count - 1]))
    node(group, 'ElementConnectivity', 'DataArray_t', i32(connectivity))
    if (offsets) node(group, 'ElementStartOffset', 'DataArray_t', i32(offsets))
  }
  const one = (nodes: readonly number[]): number[] => nodes.map((p) => p + 1)
  let next = cells.length + 1
  const listed = patches.map((patch) => patch.faces.map(() => next++))
  if (variant === 'faces') {
    const { faces, ofCell, numberOf } = facesOf(model)
    section('Faces', 22, 1, faces.length, faces.flatMap(one), faces.map((_, f) => 4 * f).concat(4 * faces.length))
    section('Cells', 23, faces.length + 1, cells.length, ofCell.flat(), ofCell.map((_, c) => 6 * c).concat(6 * cells.length))
    patches.forEach((patch, i) => (listed[i] = patch.faces.map(numberOf)))
  } else if (variant === 'mixed') {
    section('All', 20, 1, next - 1, [
      ...cells.flatMap((cell) => [17, ...one(cell)]),
      ...patches.flatMap((patch) => patch.faces.flatMap((face) => [7, ...one(face)])),
    ])
  } else {
    section('Hexahedra', 17, 1, cells.length, cells.flatMap(one))
    patches.forEach((patch, i) => section(`${patch.name} quads`, 7, listed[i]![0]!, patch.faces.length, patch.faces.flatMap(one)))
  }
  patches.forEach((patch, i) => {
    const condition = node(conditions, patch.name, 'BC_t', codes('BCWall'))
    node(condition, 'PointList', 'IndexArray_t', i32(listed[i]!), [listed[i]!.length, 1])
    node(condition, 'GridLocation', 'GridLocation_t', codes('FaceCenter'))
  })
}

/** Faces once each, and for every cell their numbers, negative where the face winds inwards. */
export function facesOf({ cells }: Model): { faces: number[][]; ofCell: number[][]; numberOf: (face: readonly number[]) => number } {
  const key = (face: readonly number[]): string => [...face].sort((a, b) => a - b).join()
  const found = new Map<string, number>()
  const faces: number[][] = []
  const ofCell = cells.map((c) =>
    [
      [0, 3, 2, 1],
      [4, 5, 6, 7],
      [0, 1, 5, 4],
      [1, 2, 6, 5],
      [2, 3, 7, 6],
      [3, 0, 4, 7],
    ].map((local) => {
      const face = local.map((i) => c[i]!)
      const known = found.get(key(face))
      if (known) return -known
      faces.push(face)
      found.set(key(face), faces.length)
      return faces.length
    }),
  )
  return { faces, ofCell, numberOf: (face) => found.get(key(face))! }
}

function structuredConditions(conditions: Group, [ni, nj, nk]: number[]): void {
  const range = (name: string, from: number[], to: number[]): void => {
    const condition = node(conditions, name, 'BC_t', codes('BCWall'))
    node(condition, 'PointRange', 'IndexRange_t', i32([...from, ...to]), [2, 3])
  }
  range('Inlet', [1, 1, 1], [1, nj!, nk!])
  range('Outlet', [ni!, 1, 1], [ni!, nj!, nk!])
}

// --- Exodus II, as NetCDF inside HDF5 --------------------------------------------------------------------------------------

/** Sides of a hexahedron in the numbering of the format, by the local corners of the model's faces. */
export const exodusSide: Record<string, number> = { '0,1,4,5': 1, '1,2,5,6': 2, '2,3,6,7': 3, '0,3,4,7': 4, '0,1,2,3': 5, '4,5,6,7': 6 }

/** Element and side of each face of a patch. */
export function sideSet({ cells }: Model, faces: readonly (readonly number[])[]): { elements: number[]; sides: number[] } {
  const elements: number[] = []
  const sides: number[] = []
  for (const face of faces) {
    const cell = cells.findIndex((c) => face.every((p) => c.includes(p)))
    elements.push(cell + 1)
    sides.push(
      exodusSide[
        face
          .map((p) => cells[cell]!.indexOf(p))
          .sort((a, b) => a - b)
          .join()
      ]!,
    )
  }
  return { elements, sides }
}

export function exodusHdf5(model: Model, times: readonly number[]): (file: Group) => void {
  return (file) => {
    const { points, cells, patches } = model
    const rows = (name: string, texts: string[]): void =>
      void file.create_dataset({ name, data: texts, shape: [texts.length], dtype: 'S33' })
    ;['x', 'y', 'z'].forEach((axis, d) => file.create_dataset({ name: `coord${axis}`, data: f64(points.map((p) => p[d]!)) }))
    rows('eb_names', ['Water'])
    file.create_dataset({ name: 'eb_prop1', data: i32([10]) })
    file.create_dataset({ name: 'connect1', data: i32(cells.flat().map((p) => p + 1)), shape: [cells.length, 8] })
    ;(file.get('connect1') as Group).create_attribute('elem_type', 'HEX8')
    rows(
      'ss_names',
      patches.map((patch) => patch.name),
    )
    file.create_dataset({ name: 'ss_prop1', data: i32(patches.map((_, i) => i + 1)) })
    patches.forEach((patch, i) => {
      const { elements, sides } = sideSet(model, patch.faces)
      file.create_dataset({ name: `elem_ss${i + 1}`, data: i32(elements) })
      file.create_dataset({ name: `side_ss${i + 1}`, data: i32(sides) })
    })
    file.create_dataset({ name: 'time_whole', data: f64(times) })
    rows('name_nod_var', ['temp', 'vel_x', 'vel_y', 'vel_z'])
    const columns = [model.temperature, ...[0, 1, 2].map((d) => model.velocity.map((v) => v[d]!))]
    columns.forEach((column, i) =>
      file.create_dataset({
        name: `vals_nod_var${i + 1}`,
        data: f64(times.flatMap((t) => column.map((x) => (i === 0 ? x + t : x)))),
        shape: [times.length, points.length],
      }),
    )
    rows('name_elem_var', ['press'])
    file.create_dataset({ name: 'vals_elem_var1eb1', data: f64(times.flatMap(() => model.pressure)), shape: [times.length, cells.length] })
  }
}

// --- MED ----------------------------------------------------------------------------------------------------------------

export function medFile(model: Model, times: readonly number[]): (file: Group) => void {
  return (file) => {
    const { points, cells, patches } = model
    const columns = (rows: readonly (readonly number[])[]): number[] => rows[0]!.flatMap((_, c) => rows.map((row) => row[c]!))
    const mesh = file.create_group('ENS_MAA').create_group('Box')
    mesh.create_attribute('ESP', i32([3]))
    const step = mesh.create_group('-0000000000000000001-0000000000000000001')
    step.create_group('NOE').create_dataset({ name: 'COO', data: f64(columns(points)) })
    const kinds = step.create_group('MAI')
    const block = (name: string, rows: number[][], families: number[]): void => {
      const group = kinds.create_group(name)
      group.create_dataset({ name: 'NOD', data: i32(columns(rows.map((row) => row.map((p) => p + 1)))) })
      group.create_dataset({ name: 'FAM', data: i32(families) })
    }
    // the format winds its hexahedra the other way round
    const turned = cells.map((c) => [c[0]!, c[3]!, c[2]!, c[1]!, c[4]!, c[7]!, c[6]!, c[5]!])
    block(
      'HE8',
      turned,
      cells.map(() => 0),
    )
    block(
      'QU4',
      patches.flatMap((patch) => patch.faces),
      patches.flatMap((patch, i) => patch.faces.map(() => -(i + 1))),
    )
    const families = file.create_group('FAS').create_group('Box').create_group('ELEME')
    patches.forEach((patch, i) => {
      const family = families.create_group(`FAM_${-(i + 1)}_${patch.name}`)
      family.create_attribute('NUM', i32([-(i + 1)]))
      family.create_group('GRO').create_dataset({ name: 'NOM', data: codes(patch.name, 80), shape: [1, 80] })
    })
    const fields = file.create_group('CHA')
    const field = (
      name: string,
      components: number,
      unit: string,
      entity: string,
      values: (t: number) => readonly (readonly number[])[],
      rule?: string,
    ): void => {
      const group = fields.create_group(name)
      group.create_attribute('MAI', 'Box')
      group.create_attribute('NCO', i32([components]))
      group.create_attribute('UNI', unit.padEnd(16))
      times.forEach((t, i) => {
        const at = group.create_group(`${String(i + 1).padStart(20, '0')}${String(i + 1).padStart(20, '0')}`)
        at.create_attribute('PDT', f64([t]))
        const inside = at.create_group(entity)
        if (rule) inside.create_attribute('GAU', rule)
        inside.create_group('MED_NO_PROFILE_INTERNAL').create_dataset({ name: 'CO', data: f64(columns(values(t))) })
      })
    }
    field('T', 1, 'K', 'NOE', (t) => model.temperature.map((x) => [x + t]))
    field('U', 3, 'm/s', 'NOE', () => model.velocity)
    field('p', 1, 'Pa', 'MAI.HE8', () => model.pressure.map((x) => [x]))
    const rule = file.create_group('GAUSS').create_group('inner')
    const middle = (list: readonly number[]): number => list.reduce((sum, x) => sum + x / list.length, 0)
    const reference = [
      [-1, -1, -1],
      [-1, 1, -1],
      [1, 1, -1],
      [1, -1, -1],
      [-1, -1, 1],
      [-1, 1, 1],
      [1, 1, 1],
      [1, -1, 1],
    ]
    rule.create_dataset({ name: 'COO', data: f64(columns(reference)) })
    rule.create_dataset({ name: 'GAU', data: f64(columns(reference.map((at) => at.map((x) => x / 2)))) })
    // half way from the middle of a cell to its corners, in their order
    field(
      'g',
      1,
      'm',
      'MAI.HE8',
      () => turned.flatMap((cell) => cell.map((p) => [(model.points[p]![0] + middle(cell.map((q) => model.points[q]![0]))) / 2])),
      'inner',
    )
    // eight integration points to a cell; corners have x, and ten more from cell to cell
    field('q', 2, 'Pa', 'MAI.HE8', () => model.pressure.flatMap((x) => Array.from({ length: 8 }, (_, k) => [x + k, -k])))
    field('n', 1, 'Pa', 'NOE.HE8', () => turned.flatMap((cell, c) => cell.map((p) => [model.points[p]![0] + 10 * c])))
  }
}
