/**
 * Guesses of units that files leave out, by name and then by the size of the values. A guess is marked as one wherever
 * the unit is shown, and can be confirmed or corrected.
 */
import { isVelocity, quantityByName } from '../units/quantities'
import type { Catalogue, Field } from './catalogue'

export interface FieldRange {
  min: number | null
  max: number | null
}

/**
 * @param ranges  smallest and largest magnitude of a field over the case; undefined where nothing was read yet
 * @returns a unit for each field that has none, by name
 */
export function guessUnits(catalogue: Catalogue, ranges: (field: string) => FieldRange | undefined): Record<string, string> {
  const guesses: Record<string, string> = {}
  for (const field of catalogue.fields) {
    if (field.unit !== null && field.unitFrom !== 'guess') continue
    const guess = guessUnit(field, catalogue, ranges)
    if (guess !== undefined) guesses[field.name] = guess
  }
  return guesses
}

function guessUnit(field: Field, catalogue: Catalogue, ranges: (field: string) => FieldRange | undefined): string | undefined {
  const quantity = quantityByName(field.name, field.components)
  const range = ranges(field.name)
  if (!quantity || !range || range.min === null || range.max === null) return undefined
  switch (quantity.name) {
    case 'temperature':
      return temperatureUnit(range.min, range.max)
    case 'pressure':
      return looksKinematic(catalogue, range, ranges) ? 'm²/s²' : quantity.unit
    default:
      return unitByLength(field, catalogue.lengthUnit) ?? (quantity.name === 'displacement' ? undefined : quantity.unit)
  }
}

/** The unit that goes with a unit of length; undefined where it does not depend on it, or nothing is known. */
export function unitByLength({ name, components }: Pick<Field, 'name' | 'components'>, lengthUnit: string | null): string | undefined {
  const quantity = quantityByName(name, components)
  if (quantity?.name === 'displacement') return lengthUnit ?? undefined
  // with lengths in mm and forces in N, stresses come out in MPa
  return quantity?.name === 'stress' ? (lengthUnit === 'mm' ? 'MPa' : quantity.unit) : undefined
}

/** Computed temperatures are hardly ever below 120 K, and hardly ever above 120 °C everywhere. */
function temperatureUnit(min: number, max: number): string | undefined {
  if (min >= 120) return 'K'
  return max < 1000 && min > -273.15 ? '°C' : undefined
}

/** Incompressible solvers divide pressure by density: its spread is then near the square of the speed. */
export function looksKinematic(catalogue: Catalogue, pressure: FieldRange, ranges: (field: string) => FieldRange | undefined): boolean {
  const velocity = catalogue.fields.find(isVelocity)
  const speed = velocity && ranges(velocity.name)?.max
  if (!speed || pressure.min === null || pressure.max === null) return false
  const ratio = (pressure.max - pressure.min) / speed ** 2
  // bounds about the dynamic pressure per density, ½; with the density of water it would be 500
  return ratio > 0.02 && ratio < 20 && Math.max(Math.abs(pressure.min), Math.abs(pressure.max)) < 50 * speed ** 2
}
