/** Keys of what the store holds: equal keys mean equal contents. They are the names of the files. */
import type { Catalogue, Field, Moment } from '../case/catalogue'
import { digest } from '../digest'
import type { Key } from '../digest'

/** Of what mesh blocks hold: those of another layout are made again from the source. */
const LAYOUT = 3
/** Raised when readers give other values for the same file. */
const READER = 1

/** Mesh of a part: of equal key at all moments that name the same topology and coordinates. */
export function meshKey(generation: string, part: string, { topology, coordinates }: Pick<Moment, 'topology' | 'coordinates'>): Key {
  return digest('mesh', LAYOUT, generation, part, topology, coordinates)
}

/** Values of a field on a part at a moment. */
export function fieldKey(mesh: Key, { name, place, from }: Pick<Field, 'name' | 'place' | 'from'>, moment: number): Key {
  return digest('field', READER, mesh, name, place, moment, from ?? null)
}

/** Key of a stored field, or with `field: null` of the mesh of a part. undefined: the case has none such at the moment */
export function storedKey(catalogue: Catalogue, generation: string, moment: number, part: string, field: string | null): Key | undefined {
  const at = catalogue.moments[moment]
  if (!at || !catalogue.parts.some((p) => p.name === part)) return undefined
  const mesh = meshKey(generation, part, at)
  if (field === null) return mesh
  const entry = catalogue.fields.find((f) => f.name === field && f.parts.includes(part))
  return entry?.moments.includes(moment) ? fieldKey(mesh, entry, moment) : undefined
}

export function meshFile(key: Key): string {
  return `${key}.mesh`
}

export function fieldFile(key: Key): string {
  return `${key}.field`
}
