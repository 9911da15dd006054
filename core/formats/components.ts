/** Scalars that are the components of one vector, recognised by their names: `VelocityX`, `vel_x`, `U:0`. */
import type { FloatArray } from '../mesh/MeshBlock'
import type { SourceField } from './SourceCase'

const patterns = [/^(.*[^_\s])[_ .:-]?([XYZ])$/, /^(.+)[_ .:-]([xyz])$/, /^(.+)[_ .:-]([012])$/]
const symmetric = /^(.+?)[_ .:-]?(xx|yy|zz|xy|yz|xz|zx|XX|YY|ZZ|XY|YZ|XZ|ZX)$/
const tensorOrder = ['xx', 'yy', 'zz', 'xy', 'yz', 'xz']

/** Joins what belongs together on the same parts, place and moments; all else stays as it is, in its order. */
export function joinComponents(fields: readonly SourceField[]): SourceField[] {
  const groups = new Map<string, (SourceField | undefined)[]>()
  const keys = fields.map((field) => {
    const found = field.components === 1 ? componentOf(field.name) : undefined
    if (!found) return undefined
    const key = [found.base, found.size, field.place, field.parts.join('\n'), field.moments?.join() ?? ''].join('\n')
    const list = groups.get(key) ?? []
    list[found.index] = field
    groups.set(key, list)
    return { key, ...found }
  })
  const out: SourceField[] = []
  const done = new Set<string>()
  fields.forEach((field, i) => {
    const key = keys[i]
    const list = key && groups.get(key.key)!
    if (!key || !list || Array.from({ length: key.size }, (_, c) => list[c]).includes(undefined)) {
      out.push(field)
      return
    }
    if (done.has(key.key)) return
    done.add(key.key)
    out.push(joined(key.base, list as SourceField[]))
  })
  return out
}

/** Of which vector or tensor a scalar is a component, by its name. */
export function componentOf(name: string): { base: string; index: number; size: number } | undefined {
  const tensor = symmetric.exec(name)
  if (tensor) return { base: tensor[1]!, index: tensorOrder.indexOf(tensor[2]!.toLowerCase().replace('zx', 'xz')), size: 6 }
  for (const pattern of patterns) {
    const match = pattern.exec(name)
    if (match) return { base: match[1]!, index: 'xyz012'.indexOf(match[2]!.toLowerCase()) % 3, size: 3 }
  }
  return undefined
}

function joined(name: string, list: SourceField[]): SourceField {
  const first = list[0]!
  const n = list.length
  return {
    ...first,
    name,
    components: n,
    async read(part, moment) {
      const columns: FloatArray[] = []
      for (const field of list) columns.push(await field.read(part, moment))
      return interleave(columns)
    },
    async window(from, to, part, moment) {
      const columns: FloatArray[] = []
      for (const field of list) {
        const column = await field.window?.(from, to, part, moment)
        if (!column) return undefined
        columns.push(column)
      }
      return interleave(columns)
    },
  }
}

/** Columns of one component each as values of as many components. */
export function interleave(columns: readonly FloatArray[]): FloatArray {
  const n = columns.length
  const size = n * columns[0]!.length
  const out = columns.every((c) => c instanceof Float32Array) ? new Float32Array(size) : new Float64Array(size)
  columns.forEach((column, c) => {
    for (let i = 0; i < column.length; i++) out[n * i + c] = column[i]!
  })
  return out
}
