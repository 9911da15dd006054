/** Curves of a chart as columns of a table: all their points, as they are shown. */
import type { ChartDrawing } from './drawnCurves'

export interface ChartColumn {
  name: string
  /** null: unknown, or none */
  unit: string | null
  values: Float64Array
}

/** Curves on the same abscissae share their column. */
export function chartColumns({ series }: ChartDrawing): ChartColumn[] {
  const columns: ChartColumn[] = []
  let last: readonly (number | null)[] | undefined
  for (const { name, x, y, errors, shades, quantity, units } of series) {
    if (!last || !isSame(last, x)) {
      columns.push(columnOf(quantity.x.name, units.x, x))
      last = x
    }
    const own = name === quantity.y.name || name.endsWith(`: ${quantity.y.name}`) ? name : `${name}: ${quantity.y.name}`
    columns.push(columnOf(own, units.y, y))
    if (errors) columns.push(columnOf(`± of ${own}`, units.y, errors))
    if (shades && quantity.shade) columns.push(columnOf(quantity.shade.name, units.shade ?? null, shades))
  }
  return columns
}

function columnOf(name: string, unit: string | null, values: readonly (number | null)[]): ChartColumn {
  return { name, unit: unit === '1' ? null : unit, values: Float64Array.from(values, (value) => value ?? NaN) }
}

function isSame(a: readonly (number | null)[], b: readonly (number | null)[]): boolean {
  return a.length === b.length && a.every((value, i) => Object.is(value, b[i]))
}
