/** How large a case is, in a few words, for lists of cases. */
import type { Catalogue } from '~~/core/case/catalogue'
import { formatCount } from '~~/core/colour/ticks'

export function sizeOfCase({ parts, moments }: Catalogue): string {
  const most = Math.max(...parts.map(({ dimension }) => dimension))
  const cells = parts.filter(({ dimension }) => dimension === most).reduce((n, part) => n + part.cells, 0)
  if (parts.every(({ abscissa }) => abscissa)) return `${formatCount(cells)} rows of XY data`
  const n = moments.length
  return (
    `${formatCount(cells)} cells · ${parts.length} ${parts.length === 1 ? 'part' : 'parts'} · ` +
    `${n === 1 ? 'one moment' : `${n} moments`}`
  )
}
