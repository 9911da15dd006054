/** Exact values of all fields at a position, from the cell that holds it. */
import { PartLocator } from '../../core/mesh/locate'
import type { Evaluator } from '../../core/study/Evaluator'

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
export function probe(evaluator: Evaluator, at: [number, number, number], parts: string[]): ProbeResult {
  const regions = parts.map((name) => evaluator.data.part(name)).filter((part) => part.dimension === 3)
  const locator = new PartLocator(regions)
  const spot = locator.findExactly(...at)
  if (!spot) return { part: null, cell: null, rows: [] }
  const part = locator.partOfLast()
  const mesh = part.block(locator.block)
  const { plan, data } = evaluator
  const names = [...Object.keys(plan.fields), ...Object.keys(plan.formulas)]
  const rows: ProbeRow[] = []
  for (const name of names) {
    const source = plan.fields[name]
    const isFormula = plan.formulas[name] !== undefined
    if (!isFormula && !data.catalogue.fields.some((f) => f.name === source && f.parts.includes(part.name))) continue
    try {
      const { values, components, place } = evaluator.blockValues(name, part, locator.block)
      const { unit } = evaluator.quantity(name, part.name)
      const sum = (c: number): number => {
        if (place === 'cell') return values[spot.cell * components + c]!
        let total = 0
        spot.nodes.forEach((node, i) => (total += spot.weights[i]! * values[node * components + c]!))
        return total
      }
      rows.push({ name, unit, values: Array.from({ length: components }, (_, c) => sum(c)) })
    } catch (error) {
      // a formula that does not fit this part has no value here
      if (!isFormula) throw error
    }
  }
  return { part: part.name, cell: mesh.cellNumbers[spot.cell]!, rows }
}
