/** Numbers in the units of the study. */
import { formatNumber } from '~~/core/colour/ticks'
import { dimensionKey, displayOf, inDisplay } from '~~/core/units/quantities'
import type { Display } from '~~/core/units/quantities'
import { parseUnit } from '~~/core/units/units'

export function useShownUnits() {
  const store = useStudyStore()

  /** How values of a unit are shown in this study; null when the unit is unknown. */
  function display(unit: string | null, isDifference = false): Display | null {
    return displayOf(unit, store.document?.units ?? {}, isDifference)
  }

  /** The unit that values of a unit are shown in; itself when it is unknown. */
  const shownUnit = (unit: string): string => display(unit)?.unit ?? unit

  /** A value in the unit of the study, with it. */
  function shown(value: number, unit: string | null, digits = 5, isDifference = false): string {
    const to = display(unit, isDifference)
    if (!to) return `${formatNumber(value, digits)} (unit unknown)`
    return `${formatNumber(inDisplay(to, value), digits)}${to.unit === '1' ? '' : ` ${to.unit}`}`
  }

  /** Components of a vector by their names: `x 1.5, y 0, z −2 m/s`. */
  function shownParts(components: Readonly<Record<string, number>>, unit: string | null, digits = 4): string {
    const to = display(unit)
    const parts = Object.entries(components).map(([name, value]) => `${name} ${formatNumber(to ? inDisplay(to, value) : value, digits)}`)
    return `${parts.join(', ')}${to ? (to.unit === '1' ? '' : ` ${to.unit}`) : ' (unit unknown)'}`
  }

  function showIn(unit: string, wished: string): void {
    const key = dimensionKey(parseUnit(unit)!.dimensions)
    void store.edit(`Show in ${wished}`, (study) => void (study.units = { ...study.units, [key]: wished }))
  }

  return { display, shownUnit, shown, shownParts, showIn }
}
