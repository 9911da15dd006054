/** Scalars that look like the components of one vector or symmetric tensor: `u v w`, `Ux Uy Uz`, `S_xx … S_xz`. */
import { componentOf } from '../formats/components'
import type { Catalogue, Field } from '../case/catalogue'

export interface ComponentGroup {
  /** Name that the joined field would have. */
  name: string
  /** Names of the scalars, in the order of the core. */
  from: string[]
}

const bare = [
  ['u', 'v', 'w'],
  ['U', 'V', 'W'],
]

/** Groups that are not joined yet: all of one place, on the same parts and moments. */
export function componentGroups(catalogue: Catalogue): ComponentGroup[] {
  const groups = new Map<string, { name: string; size: number; fields: (Field | undefined)[] }>()
  const add = (name: string, index: number, size: number, field: Field): void => {
    const key = JSON.stringify([name, size, field.place, field.parts, field.moments])
    const group = groups.get(key) ?? { name, size, fields: [] }
    group.fields[index] = field
    groups.set(key, group)
  }
  for (const field of catalogue.fields) {
    if (field.components !== 1) continue
    for (const names of bare) if (names.includes(field.name)) add('velocity', names.indexOf(field.name), 3, field)
    // without a sign between, a last letter says less: only whole groups are offered
    const found = componentOf(field.name) ?? componentOf(field.name.replace(/(.)([xyz])$/, '$1_$2'))
    if (found) add(found.base, found.index, found.size, field)
  }
  const isJoined = (from: string[]): boolean => catalogue.fields.some((f) => f.parts.length && f.from?.join() === from.join())
  return [...groups.values()].flatMap(({ name, size, fields }) => {
    const from = Array.from({ length: size }, (_, c) => fields[c]?.name)
    return from.includes(undefined) || isJoined(from as string[]) ? [] : [{ name, from: from as string[] }]
  })
}
