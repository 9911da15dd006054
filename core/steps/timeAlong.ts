/**
 * Time along a line is length over speed. In s where both units are known and this is a time; in the product of the units where it is none,
 * as along the lines of a force; without a unit where one is unknown.
 */
import { divide, parseUnit, unitName } from '../units/units'

/** @returns the unit of the time, and what turns lengths by values of the vector into it */
export function timeAlong(lengthUnit: string | null, vectorUnit: string | null): { unit: string | null; factor: number } {
  const length = lengthUnit === null ? null : parseUnit(lengthUnit)
  const speed = vectorUnit === null ? null : parseUnit(vectorUnit)
  if (!length || !speed) return { unit: null, factor: 1 }
  return { unit: unitName(divide(length.dimensions, speed.dimensions)), factor: length.factor / speed.factor }
}
