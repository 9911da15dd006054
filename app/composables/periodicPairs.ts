/** Which periodic sides of a case lie on each other, and how: asked of the server, two at a time. */
import type { Catalogue } from '~~/core/case/catalogue'
import { roleByName } from '~~/core/case/roles'
import type { PairFigures } from '~~/core/check/checkSubject'
import type { PeriodicMotion } from '~~/core/trace/PeriodicSides'

export interface PairedSides {
  sides: [string, string]
  words: string
  motion: PeriodicMotion
}

export function periodicSidesOf({ parts }: Catalogue): string[] {
  return parts.flatMap(({ name, dimension, role }) => (dimension === 2 && (role?.is ?? roleByName(name)) === 'periodic' ? [name] : []))
}

/** @param id  of the case in the library */
export async function pairedSides(id: string, sides: readonly string[], moment: number): Promise<PairedSides[]> {
  const found: PairedSides[] = []
  for (const [i, part] of sides.entries()) {
    for (const other of sides.slice(i + 1)) {
      if (found.some((pair) => pair.sides.includes(part) || pair.sides.includes(other))) continue
      const query = new URLSearchParams({ look: 'pair', part, other, moment: String(moment) })
      const { words, motion } = await api.get<PairFigures>(`/api/cases/${id}/figures?${query}`)
      if (words !== null && motion) found.push({ sides: [part, other], words, motion })
    }
  }
  return found
}
