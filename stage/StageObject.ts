/** What the stage is given to draw: geometry as it came in a packet, and a look. */
import type { Look } from '../core/study/studyModel'

/** Geometry and values of one step. Arrays are those of the result packet. */
export interface StageGeometry {
  /** Changes when the geometry does. */
  key: string
  kind: 'surface' | 'lines' | 'points'
  /** Added to `points` gives coordinates. */
  origin: readonly number[]
  points: Float32Array
  elements: Uint32Array
  /** Case cell of each element, told apart across blocks; for cell edges. */
  cells?: Uint32Array
  /** Brightness on a surface, and its places (from 0 to 1) for the corners of the elements. */
  texture?: { width: number; height: number; texels: Uint8Array; places: Float32Array }
  /** Points with arrows: three numbers for each. */
  vectors?: Float32Array
}

/** Where points are drawn instead: moved by three numbers each times a factor, and all of them by an offset. */
export interface StageMotion {
  /** Changes when the vectors do. */
  key: string
  vectors: Float32Array | null
  factor: number
  offset: readonly [number, number, number]
}

export interface StageValues {
  key: string
  /** Per point, per element or per corner of each element, less the reference. */
  values: Float32Array
  reference: number
  place: 'point' | 'element' | 'corner'
}

const cornersOf = { surface: 3, lines: 2, points: 1 }

/** Value, less the reference, at a place of the list of elements. */
export function valueAtCorner({ kind, elements }: StageGeometry, { values, place }: StageValues, corner: number): number {
  return values[place === 'point' ? elements[corner]! : place === 'corner' ? corner : Math.floor(corner / cornersOf[kind])]!
}

/** Dots are so many times as wide as lines of the same look. */
export const DOT_WIDTHS = 4

/** Points that may have texts: more cannot be told apart. */
export const MOST_LABELLED = 1000

export interface StageLabel {
  text: string
  /** Point at which it stands, and the next one along the line; the same for a text above a point. */
  point: number
  next: number
}

export type Rgb = readonly [number, number, number]

export interface StageLook {
  /** RGBA look-up table; null draws in the plain colour. */
  table: Uint8Array | null
  /** In the unit of the values. */
  min: number
  max: number
  bands: number
  isLog?: boolean | undefined
  levels?: readonly number[] | undefined
  /** Colours of what lies beyond the range and of what is no number; null is not drawn, undefined is held at the end, or grey. */
  low?: Rgb | null | undefined
  high?: Rgb | null | undefined
  blank?: Rgb | null | undefined
  fade?: Look['fade']
  plain: readonly [number, number, number]
  opacity: number
  isLit: boolean
  isSmooth: boolean
  edges: Look['edges']
  /** Points (1/72 inch). */
  width: number
  /** Faces that are seen from behind are left out. */
  isOneSided?: boolean
  /** Of lines; flat when absent. */
  form?: Look['form']
  /** Lines have a dark rim, so that they stand out from each other and from what is behind them. */
  hasHalo?: boolean
  /** Width of lines in the length unit of the case, instead. */
  thickness?: number
  arrows?: ArrowLook
}

export interface ArrowLook {
  length: 'equal' | 'size' | 'log'
  /** Of the longest arrow, in the length unit of the case. */
  longest: number
  /** Size of the vector that is as long as that. */
  largest: number
}

export interface StageObject {
  id: string
  geometry: StageGeometry
  values: StageValues | null
  look: StageLook
  motion?: StageMotion | null
  /** It belongs to what is compared with: drawn on the other side of a swipe line only. */
  isOther?: boolean
  /** It is no result: nothing is read of it. */
  isMark?: boolean
  /** Numbers on lines, texts above points. */
  labels?: readonly StageLabel[]
  /** Place in the trail: the later one wins where two coincide. */
  order: number
}
