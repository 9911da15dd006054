/** Versions of the mesh over the moments, put right when quick looks at it have taken a moving mesh for a fixed one. */
import type { Catalogue } from '../study/caseModel'

/** Whether moments that count as of one mesh have different keys. @param keys  one for each moment */
export function needsVersions({ moments }: Catalogue, keys: readonly string[]): boolean {
  const keyOf = new Map<number, string>()
  return moments.some(({ topology }, m) => {
    const known = keyOf.get(topology)
    keyOf.set(topology, known ?? keys[m]!)
    return known !== undefined && known !== keys[m]
  })
}

/** The first moment of each version keeps its number, since its mesh may be stored; other meshes get new ones. */
export function withVersions(catalogue: Catalogue, keys: readonly string[]): Catalogue {
  const versions = new Map<string, number>()
  const taken = new Set<number>()
  let next = Math.max(...catalogue.moments.map((m) => m.topology)) + 1
  const moments = catalogue.moments.map((moment, m) => {
    const key = keys[m]!
    if (!versions.has(key)) {
      versions.set(key, taken.has(moment.topology) ? next++ : moment.topology)
      taken.add(moment.topology)
    }
    const version = versions.get(key)!
    return { ...moment, topology: version, coordinates: version }
  })
  return { ...catalogue, moments }
}
