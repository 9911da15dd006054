/** What measuring yields: numbers and curves with their units, and how they came about. */

export interface Quantity {
  name: string
  /** null: unknown */
  unit: string | null
}

/** A measured number. */
export interface Reading {
  /** Of a vector its magnitude. */
  value: number
  unit: string | null
  /** Of a vector or tensor: its components by their names. */
  components?: Record<string, number>
  /** One phrase a step: "sum over 4,812 triangles of Drain, 0.126 m²". */
  madeOf: string[]
  cautions: string[]
}

export interface Series {
  name: string
  x: Float64Array
  /** Not-a-number is a gap. */
  y: Float64Array
}

export interface Curve {
  x: Quantity
  y: Quantity
  series: Series[]
  notes: string[]
}
