/** Versions of the mesh over the moments, put right when quick looks at it have taken a moving mesh for a fixed one. */
import type { Catalogue } from './catalogue'

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

/** The versions found for the moments that are known, on a catalogue with further ones, whose versions are numbered behind. */
export function keepVersions(fresh: Catalogue, known: Catalogue): Catalogue {
  const versionOf = new Map<number, number>()
  // a fresh version stands for the known one of its last moment, so that moments added to a fixed mesh stay with it
  fresh.moments.forEach(({ topology }, m) => {
    if (known.moments[m]) versionOf.set(topology, known.moments[m].topology)
  })
  let next = Math.max(-1, ...known.moments.map(({ topology }) => topology)) + 1
  const moments = fresh.moments.map((moment, m) => {
    const before = known.moments[m]
    if (before) return { ...moment, topology: before.topology, coordinates: before.coordinates }
    const isMoving = isSplit(fresh, known, moment.topology)
    if (isMoving || !versionOf.has(moment.topology)) versionOf.set(isMoving ? -1 - m : moment.topology, next++)
    const version = versionOf.get(isMoving ? -1 - m : moment.topology)!
    return { ...moment, topology: version, coordinates: version }
  })
  return { ...fresh, moments }
}

/** Whether moments that a quick look takes for one mesh are known to have several. */
function isSplit(fresh: Catalogue, known: Catalogue, topology: number): boolean {
  const versions = known.moments.filter((_, m) => fresh.moments[m]?.topology === topology).map((moment) => moment.topology)
  return new Set(versions).size > 1
}
