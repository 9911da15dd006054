/** What measuring yields: numbers and curves with their units, and how they came about. */
import type { Description } from '../case/describeCase'
import type { Vector } from '../mesh/vectors'

export interface Quantity {
  name: string
  /** null: unknown */
  unit: string | null
  /** Of temperatures: how far apart they are, not a level. */
  isDifference?: boolean
}

/** A number that belongs to a reading: what flows in, the share of the pressure in a force. */
export interface ReadingPart extends Quantity {
  /** Of a vector its magnitude. */
  value: number
  components?: Record<string, number>
}

/** What one click may change about a reading, so that a caution goes. */
export interface ReadingMend {
  /** The caution that it answers. */
  caution: string
  label: string
  settings?: Record<string, unknown>
  /** Settings that become variables, by the names of their fields in the case. */
  fields?: Record<string, string>
  /** Inputs that become parts of the case, by their names. */
  inputs?: Record<string, readonly string[]>
  /** A setting that becomes a formula, which is made where there is none of its text. */
  formula?: { setting: string; name: string; text: string }
  /** What is said of the case, for all of its studies. */
  said?: Pick<Description, 'units' | 'planes'>
  /** A step that is made instead, of what an input of this one is made of, with a setting that becomes a formula. */
  makes?: { kind: string; settings: Record<string, unknown>; of: string; formula?: { setting: string; name: string; text: string } }
}

/** A measured number. */
export interface Reading {
  /** Of a vector its magnitude. */
  value: number
  unit: string | null
  isDifference?: boolean
  /** Of a vector or tensor: its components by their names. */
  components?: Record<string, number>
  parts?: readonly ReadingPart[]
  /** Place of a smallest or largest value, in the length unit of the case. */
  at?: Vector
  /** One phrase a step: "sum over 4,812 triangles of Drain, 0.126 m²". */
  madeOf: string[]
  cautions: string[]
  mends?: readonly ReadingMend[]
}

/** A reading that was JSON, which has no not-a-number. */
export function readingOf(json: unknown): Reading {
  const number = (x: number | null): number => x ?? NaN
  const restored = <T extends Pick<Reading, 'value' | 'components'>>(of: T): T => ({
    ...of,
    value: number(of.value),
    ...(of.components && { components: Object.fromEntries(Object.entries(of.components).map(([name, x]) => [name, number(x)])) }),
  })
  const reading = json as Reading
  return { ...restored(reading), ...(reading.parts && { parts: reading.parts.map(restored) }) }
}

export interface Series {
  name: string
  x: Float64Array
  /** Not-a-number is a gap. */
  y: Float64Array
  /** Half of what the values may be off by, in their unit. */
  errors?: Float64Array
  /** A third variable, which colours the points. */
  shades?: Float64Array
  /** Three coordinates for each point, in the length unit of the case, where it lies in the case. */
  places?: Float64Array
}

export interface Curve {
  x: Quantity
  y: Quantity
  /** That colours points. */
  shade?: Quantity
  series: Series[]
  /** Points by themselves: there is no line between them. */
  isLoose?: boolean
  notes: string[]
  /** By the note that each answers. */
  mends?: readonly ReadingMend[]
}

/** A series as JSON, which has no not-a-number: gaps are null. */
export interface PlainSeries {
  name: string
  x: readonly (number | null)[]
  y: readonly (number | null)[]
  errors?: readonly (number | null)[]
  shades?: readonly (number | null)[]
  places?: readonly number[]
}

export type PlainCurve = Omit<Curve, 'series'> & { series: readonly PlainSeries[] }

export function plainCurve(curve: Curve): PlainCurve {
  const list = (values: Float64Array): (number | null)[] => Array.from(values, (x) => (Number.isFinite(x) ? x : null))
  const series = curve.series.map(({ places, errors, shades, ...own }) => ({
    ...{ ...own, x: list(own.x), y: list(own.y) },
    ...(errors && { errors: list(errors) }),
    ...(shades && { shades: list(shades) }),
    ...(places && { places: Array.from(places) }),
  }))
  return { ...curve, series }
}

/** A curve that was JSON. */
export function curveOf(json: unknown): Curve {
  const curve = json as PlainCurve
  const array = (values: readonly (number | null)[]): Float64Array => Float64Array.from(values, (value) => value ?? NaN)
  const series = curve.series.map(({ places, errors, shades, ...own }) => ({
    ...{ ...own, x: array(own.x), y: array(own.y) },
    ...(errors && { errors: array(errors) }),
    ...(shades && { shades: array(shades) }),
    ...(places && { places: Float64Array.from(places) }),
  }))
  return { ...curve, series }
}
