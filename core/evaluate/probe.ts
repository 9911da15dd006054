/** Exact values of all fields and formulas at a position, from the cell that holds it. */
import { UserError } from '../errors'
import { nameOf } from '../fields/formula/expressions'
import { fieldOn } from '../fields/formula/scope'
import { wholeDomain } from '../mesh/Domain'
import { PartLocator } from '../mesh/locate'
import type { FrameData } from './FrameData'

export interface ProbeRow {
  name: string
  unit: string | null
  /** Components; one for scalars. */
  values: number[]
}

export interface ProbeResult {
  part: string | null
  /** Number of the cell in its file. */
  cell: number | null
  rows: ProbeRow[]
}

/** @param parts  names of the regions to look in */
export function probe(data: FrameData, at: [number, number, number], parts: readonly string[]): ProbeResult {
  const locator = new PartLocator(wholeDomain(parts.map((name) => data.part(name)).filter(({ dimension }) => dimension === 3)))
  try {
    const spot = locator.findExactly(...at)
    if (!spot) return { part: null, cell: null, rows: [] }
    const part = locator.partOfLast()
    const { names } = data.expressions
    const rows: ProbeRow[] = []
    for (const name of [...Object.keys(names.fields), ...Object.keys(names.formulas)]) {
      const isFormula = Object.hasOwn(names.formulas, name)
      if (!isFormula && !fieldOn(names, name, part.name)?.moments.includes(names.moment!)) continue
      try {
        const { values, components, place } = data.blockValues(nameOf(name), [part.name], part, locator.block)
        const { unit } = data.quantity(nameOf(name), [part.name])
        const sum = (c: number): number => {
          if (place === 'cell') return values[spot.cell * components + c]!
          let total = 0
          spot.nodes.forEach((node, i) => (total += spot.weights[i]! * values[node * components + c]!))
          return total
        }
        rows.push({ name, unit, values: Array.from({ length: components }, (_, c) => sum(c)) })
      } catch (error) {
        // a formula that does not fit this part has no value here
        if (!isFormula || !(error instanceof UserError)) throw error
      }
    }
    return { part: part.name, cell: part.block(locator.block).cellNumbers[spot.cell]!, rows }
  } finally {
    locator.close()
  }
}
