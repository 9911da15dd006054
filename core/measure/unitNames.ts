/** Names of units of what is measured: products with lengths, and quotients. */
import { divide, multiplyUnits, parseUnit, unitName } from '../units/units'

/** Of a size: length, area or volume. null: the length unit is unknown */
export function powerName(lengthUnit: string, dimension: number): string | null {
  return productName('1', lengthUnit, dimension)
}

/** Unit of a variable times a length to a power; the length's own unit is kept when the variable has none. */
export function productName(unit: string | null, lengthUnit: string | null, dimension: number): string | null {
  const length = lengthUnit === null ? null : parseUnit(lengthUnit)
  const value = unit === null ? null : parseUnit(unit)
  if (!value || (!length && dimension > 0)) return null
  let product = value
  for (let d = 0; d < dimension; d++) product = multiplyUnits(product, length!)
  if (product.factor === 1) return unitName(product.dimensions)
  const size = dimension === 0 ? '' : dimension === 1 ? lengthUnit! : `${lengthUnit}${['', '', '²', '³'][dimension]}`
  return unit === '1' ? size : `${unit}·${size}`
}

/** Of a quotient, in coherent units as the values are. */
export function quotientName(above: string | null, below: string | null): string | null {
  const [a, b] = [above === null ? null : parseUnit(above), below === null ? null : parseUnit(below)]
  return a && b ? unitName(divide(a.dimensions, b.dimensions)) : null
}
