/** Header of a result packet; its arrays are `points`, `elements` and `values`. */
export interface ShapeMeta {
  kind: 'surface' | 'lines' | 'points'
  /** Added to `points` gives coordinates in the case's length unit. */
  origin: number[]
  box: number[] | null
  nElements: number
  /** Parts of the case the shape lies in. */
  parts: string[]
  direction: string | null
  notes: string[]
  /** Variables of its own, such as the time along a streamline. */
  columns: { name: string; unit: string | null }[]
}

export interface ValuesMeta {
  name: string
  unit: string | null
  place: 'point' | 'element'
  /** Added to `values` gives them in their unit. */
  reference: number
  range: [number | null, number | null]
  /** The middle 98 % of the values. */
  middle: [number | null, number | null]
  nonFinite: number
}

export interface ResultMeta {
  shapeKey: string
  valueKey: string | null
  /** null when the asker has it. */
  shape: ShapeMeta | null
  values: ValuesMeta | null
}

/** Header of the first look at a case that is still being read; its arrays are `points`, `elements` and `values`. */
export interface LookMeta {
  origin: number[]
  values: { name: string; unit: string | null; place: 'point' | 'element'; range: [number, number] } | null
}
