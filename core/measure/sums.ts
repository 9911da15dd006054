/**
 * Compensated sums that do not depend on how the work was divided.
 *
 * Neumaier's variant of Kahan summation ("Rundungsfehleranalyse einiger Verfahren zur Summation endlicher Summen", 1974).
 * Items are summed in fixed groups and the group sums once more, always in the same order: bitwise equal for every
 * block size and worker count.
 */
export class Sum {
  private total = 0
  private lost = 0

  add(x: number): void {
    const t = this.total + x
    this.lost += Math.abs(this.total) >= Math.abs(x) ? this.total - t + x : x - t + this.total
    this.total = t
  }

  get value(): number {
    // an infinite total has a not-a-number compensation
    return Number.isFinite(this.lost) ? this.total + this.lost : this.total
  }
}

export function sumOf(values: Iterable<number>): number {
  const sum = new Sum()
  for (const value of values) sum.add(value)
  return sum.value
}

/**
 * Totals of one group of cells or elements.
 *
 * `measure` is the volume, area or length of the finite items, `integral` that of each component over it,
 * `skipped` the measure of the items left out because a value there is not finite.
 */
export interface GroupTotals {
  measure: number
  skipped: number
  nonFinite: number
  integral: number[]
  min: number
  max: number
}

export interface Totals extends GroupTotals {
  mean: number[]
}

/** Adds up group totals in the order given. */
export function mergeTotals(groups: readonly GroupTotals[], components: number): Totals {
  const integral = Array.from({ length: components }, (_, c) => sumOf(groups.map((g) => g.integral[c]!)))
  const measure = sumOf(groups.map((g) => g.measure))
  return {
    measure,
    skipped: sumOf(groups.map((g) => g.skipped)),
    nonFinite: groups.reduce((n, g) => n + g.nonFinite, 0),
    integral,
    min: groups.reduce((m, g) => Math.min(m, g.min), Infinity),
    max: groups.reduce((m, g) => Math.max(m, g.max), -Infinity),
    mean: integral.map((sum) => sum / measure),
  }
}
