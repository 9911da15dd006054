/** Where followed paths end: by surface, with counts, shares and times, for each size. */
import { formatNumber } from '../colour/ticks'
import { vectorAt } from '../mesh/vectors'
import type { FactTable } from '../shapes/Shape'
import type { BoundaryNames } from './BoundaryNames'
import { pathEnds } from './paths'
import type { Paths } from './paths'
import type { Let } from './releases'
import { lineEnds } from './streamlines'

export interface Ending {
  where: string
  size: number
  /** From its release to its end. */
  lasted: number
}

/** @param surfaces  by which something may have left the mesh */
export function endingsOf({ starts, positions, times, ends }: Paths, lets: readonly Let[], surfaces: BoundaryNames): Ending[] {
  return ends.map((end, i) => {
    const last = starts[i + 1]! - 1
    const { size, time } = lets[i]!
    if (last < starts[i]!) return { where: end, size, lasted: 0 }
    const [x, y, z] = vectorAt(positions, last)
    const at = end === 'left the mesh' || end === 'came to rest' ? surfaces.at(x, y, z)?.name : undefined
    const where = at === undefined ? end : end === 'came to rest' ? `at rest on ${at}` : at
    return { where, size, lasted: times[last]! - time }
  })
}

/** The most frequent one first. */
export function endNotes(endings: readonly Ending[]): string[] {
  return namesOf(endings).map((where) => {
    const n = endings.filter((ending) => ending.where === where).length
    const share = formatNumber((100 * n) / endings.length, 3)
    return `${n.toLocaleString('en')} of ${endings.length.toLocaleString('en')} (${share} %) ${wordsOf(where)}`
  })
}

const states: ReadonlySet<string> = new Set([...pathEnds, ...lineEnds])

function wordsOf(where: string): string {
  return states.has(where) || where.startsWith('at rest') ? where : `ended at ${where}`
}

/** The most frequent one first. */
export function namesOf(endings: readonly Ending[]): string[] {
  const counts = new Map<string, number>()
  for (const { where } of endings) counts.set(where, (counts.get(where) ?? 0) + 1)
  return [...counts].sort((a, b) => b[1] - a[1]).map(([where]) => where)
}

/**
 * By ending and size: how many, their share of their size and of all mass, and the times that they took. What was let go has its mass by
 * the third power of its diameter, or each size the same.
 *
 * @param diameters  mm; undefined for what has no size
 */
export function endTable(
  endings: readonly Ending[],
  diameters: readonly number[] | undefined,
  isEqualMass: boolean,
  unit: string | null,
): FactTable {
  const mass = (size: number): number => (diameters && !isEqualMass ? diameters[size]! ** 3 : 1)
  const total = endings.reduce((sum, { size }) => sum + mass(size), 0)
  const rows = (diameters ?? [0]).flatMap((diameter, size) => {
    const own = endings.filter((ending) => ending.size === size)
    return namesOf(own).map((where) => {
      const times = own.filter((ending) => ending.where === where).map(({ lasted }) => lasted)
      const mean = times.reduce((sum, time) => sum + time, 0) / times.length
      const share = [times.length, (100 * times.length) / own.length, ...(diameters ? [(100 * times.length * mass(size)) / total] : [])]
      const span = [mean, times.reduce((a, b) => Math.min(a, b)), times.reduce((a, b) => Math.max(a, b))]
      return [where, ...(diameters ? [diameter] : []), ...share, ...span]
    })
  })
  const sized = diameters ? [{ name: 'diameter', unit: 'mm' }] : []
  const columns = [
    { name: 'end', unit: null },
    ...sized,
    { name: 'count', unit: '1' },
    { name: diameters ? 'share of size' : 'share', unit: '%' },
    ...(diameters ? [{ name: 'share of mass', unit: '%' }] : []),
    ...['mean', 'min', 'max'].map((name) => ({ name, unit })),
  ]
  return { columns, rows }
}
