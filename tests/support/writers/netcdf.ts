/** Writes classic NetCDF files (CDF-1, CDF-2, CDF-5) with the variables of an Exodus II case. */
import { sideSet } from './hdf5'
import type { Model } from './model'

type Kind = 'char' | 'int' | 'double'
const kinds: Record<Kind, { code: number; size: number }> = {
  char: { code: 2, size: 1 },
  int: { code: 4, size: 4 },
  double: { code: 6, size: 8 },
}

interface Variable {
  name: string
  kind: Kind
  dimensions: string[]
  values: readonly number[]
  attributes?: Record<string, string>
}

export type NetcdfVersion = 1 | 2 | 5

/** Dimension `time` is the record dimension. */
export function netcdfFile(version: NetcdfVersion, dimensions: Record<string, number>, variables: Variable[], nRecords: number): Buffer {
  const names = Object.keys(dimensions)
  const word = (n: number): Buffer => {
    const out = Buffer.alloc(4)
    out.writeUInt32BE(n)
    return out
  }
  const long = (n: number): Buffer => {
    const out = Buffer.alloc(8)
    out.writeBigUInt64BE(BigInt(n))
    return out
  }
  const count = version === 5 ? long : word
  const padded = (bytes: Buffer): Buffer => Buffer.concat([bytes, Buffer.alloc((4 - (bytes.length % 4)) % 4)])
  const name = (text: string): Buffer => Buffer.concat([count(text.length), padded(Buffer.from(text))])
  const attributes = (list: Record<string, string> = {}): Buffer => {
    const entries = Object.entries(list)
    return Buffer.concat([
      word(entries.length ? 12 : 0),
      count(entries.length),
      ...entries.flatMap(([key, text]) => [name(key), word(2), count(text.length), padded(Buffer.from(text))]),
    ])
  }
  const encoded = ({ kind, values }: Variable): Buffer => {
    const { size } = kinds[kind]
    const out = Buffer.alloc(size * values.length)
    values.forEach((value, i) =>
      kind === 'char' ? out.writeUInt8(value, i) : kind === 'int' ? out.writeInt32BE(value, 4 * i) : out.writeDoubleBE(value, 8 * i),
    )
    return out
  }
  const isRecord = (variable: Variable): boolean => variable.dimensions[0] === 'time'
  const size = (variable: Variable): number =>
    kinds[variable.kind].size * variable.dimensions.filter((d) => d !== 'time').reduce((n, d) => n * dimensions[d]!, 1)
  const header = (begins: number[]): Buffer =>
    Buffer.concat([
      Buffer.from([0x43, 0x44, 0x46, version]),
      count(nRecords),
      word(10),
      count(names.length),
      ...names.flatMap((d) => [name(d), count(d === 'time' ? 0 : dimensions[d]!)]),
      attributes({ title: 'box' }),
      word(11),
      count(variables.length),
      ...variables.flatMap((v, i) => [
        name(v.name),
        count(v.dimensions.length),
        ...v.dimensions.map((d) => count(names.indexOf(d))),
        attributes(v.attributes),
        word(kinds[v.kind].code),
        count(4 * Math.ceil(size(v) / 4)),
        version === 1 ? word(begins[i]!) : long(begins[i]!),
      ]),
    ])
  const start = header(variables.map(() => 0)).length
  let at = start
  const ordered = [...variables.filter((v) => !isRecord(v)), ...variables.filter(isRecord)]
  const begins = new Map<Variable, number>()
  for (const v of ordered) {
    begins.set(v, at)
    at += 4 * Math.ceil(size(v) / 4)
  }
  const records: Buffer[] = []
  for (let r = 0; r < nRecords; r++)
    for (const v of ordered.filter(isRecord)) records.push(padded(encoded(v).subarray(r * size(v), (r + 1) * size(v))))
  return Buffer.concat([
    header(variables.map((v) => begins.get(v)!)),
    ...ordered.filter((v) => !isRecord(v)).map((v) => padded(encoded(v))),
    ...records,
  ])
}

export function exodusClassic(model: Model, version: NetcdfVersion, times: readonly number[]): Buffer {
  const { points, cells, patches } = model
  const width = 33
  const letters = (texts: string[]): number[] => texts.flatMap((text) => [...text.padEnd(width, '\0')].map((ch) => ch.charCodeAt(0)))
  const dimensions: Record<string, number> = {
    time: 0,
    len_name: width,
    num_nodes: points.length,
    num_el: cells.length,
    nod_per: 8,
    blocks: 1,
    sets: patches.length,
    nodal: 4,
    one: 1,
    two: 2,
  }
  const variables: Variable[] = [
    ...['x', 'y', 'z'].map((axis, d): Variable => ({
      name: `coord${axis}`,
      kind: 'double',
      dimensions: ['num_nodes'],
      values: points.map((p) => p[d]!),
    })),
    { name: 'eb_names', kind: 'char', dimensions: ['blocks', 'len_name'], values: letters(['Water']) },
    {
      name: 'connect1',
      kind: 'int',
      dimensions: ['num_el', 'nod_per'],
      values: cells.flat().map((p) => p + 1),
      attributes: { elem_type: 'HEX' },
    },
    { name: 'ss_names', kind: 'char', dimensions: ['sets', 'len_name'], values: letters(patches.map((patch) => patch.name)) },
    { name: 'ss_prop1', kind: 'int', dimensions: ['sets'], values: patches.map((_, i) => i + 1) },
    { name: 'name_nod_var', kind: 'char', dimensions: ['nodal', 'len_name'], values: letters(['temp', 'vel_x', 'vel_y', 'vel_z']) },
    { name: 'name_elem_var', kind: 'char', dimensions: ['one', 'len_name'], values: letters(['press']) },
    { name: 'name_glo_var', kind: 'char', dimensions: ['two', 'len_name'], values: letters(['energy', 'load']) },
    { name: 'vals_glo_var', kind: 'double', dimensions: ['time', 'two'], values: times.flatMap((t) => [10 * t, 7]) },
    { name: 'time_whole', kind: 'double', dimensions: ['time'], values: times },
  ]
  patches.forEach((patch, i) => {
    const { elements, sides } = sideSet(model, patch.faces)
    dimensions[`side${i + 1}`] = elements.length
    variables.push(
      { name: `elem_ss${i + 1}`, kind: 'int', dimensions: [`side${i + 1}`], values: elements },
      { name: `side_ss${i + 1}`, kind: 'int', dimensions: [`side${i + 1}`], values: sides },
    )
  })
  const columns = [model.temperature, ...[0, 1, 2].map((d) => model.velocity.map((v) => v[d]!))]
  columns.forEach((column, i) =>
    variables.push({
      name: `vals_nod_var${i + 1}`,
      kind: 'double',
      dimensions: ['time', 'num_nodes'],
      values: times.flatMap((t) => column.map((x) => (i === 0 ? x + t : x))),
    }),
  )
  variables.push({ name: 'vals_elem_var1eb1', kind: 'double', dimensions: ['time', 'num_el'], values: times.flatMap(() => model.pressure) })
  return netcdfFile(version, dimensions, variables, times.length)
}
