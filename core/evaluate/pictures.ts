/**
 * Shapes and values as the browser gets them: coordinates as float32 about an origin, values as float32 minus a reference, so that a
 * small difference on a large value keeps its digits.
 */
import { extremesOf } from '../measure/extremes'
import { magnitude } from '../measure/integrateCells'
import { quantiles } from '../measure/quantiles'
import { boxCentre, boxOfPoints, unionBox } from '../mesh/boxes'
import { elementCount, joinValues, partsOf } from '../shapes/Shape'
import type { ArrowMeta, FactTable, LineLabel, PieceValues, Shape, ShapeKind } from '../shapes/Shape'
import type { PacketSource } from '../store/packet'
import type { NamedShapeValues } from './shapePacket'

/** Header of a shape; its arrays are `points`, `elements`, and of surfaces `cells`. */
export interface ShapeMeta {
  kind: ShapeKind
  /** Added to `points` gives coordinates in the case's length unit. */
  origin: number[]
  box: number[] | null
  nElements: number
  /** Parts of the case the shape lies in. */
  parts: string[]
  direction: string | null
  notes: string[]
  /** Variables of its own, such as the time along a streamline. */
  columns: NonNullable<Shape['columns']>
  /** Of points with arrows; the array is `vectors`. */
  arrows: ArrowMeta | null
  table: FactTable | null
  labels: LineLabel[]
  /** Width and height; the arrays are `texels` and `places`. */
  texture: [number, number] | null
}

/** Header of values; the array is `values`. */
export interface ValuesMeta {
  name: string
  unit: string | null
  place: PieceValues['place']
  /** 1, unless values were asked for as vectors and tensors. */
  components: number
  /** Added to `values` gives them in their unit. */
  reference: number
  /** Of the magnitude for vectors and tensors. */
  range: [number | null, number | null]
  /** The middle 98 % of the values. */
  middle: [number | null, number | null]
  nonFinite: number
}

export function shapePicture(shape: Shape): { meta: ShapeMeta; arrays: Record<string, PacketSource> } {
  const { kind, pieces, direction = null, notes = [], columns = [], arrows = null, table = null, labels = [], texture } = shape
  const filled = pieces.filter(({ points }) => points.length > 0)
  const box = filled.length ? unionBox(filled.map(({ points }) => boxOfPoints(points))) : null
  const origin: [number, number, number] = box ? boxCentre(box) : [0, 0, 0]
  const meta: ShapeMeta = {
    kind,
    origin,
    box,
    nElements: elementCount(shape),
    parts: partsOf(shape),
    direction,
    notes,
    columns,
    arrows,
    table,
    labels,
    texture: texture ? [texture.width, texture.height] : null,
  }
  const arrays = { points: localPoints(shape, origin), elements: joinedElements(shape) }
  if (texture) return { meta, arrays: { ...arrays, cells: cellKeys(shape), texels: texture.texels, places: texture.places } }
  if (arrows) return { meta, arrays: { ...arrays, vectors: Float32Array.from(joinedVectors(shape)) } }
  return { meta, arrays: kind === 'surface' ? { ...arrays, cells: cellKeys(shape) } : arrays }
}

function joinedVectors({ pieces }: Shape): number[] {
  return pieces.flatMap(({ vectors }) => Array.from(vectors ?? []))
}

function localPoints({ pieces }: Shape, [x0, y0, z0]: readonly [number, number, number]): Float32Array {
  const out = new Float32Array(pieces.reduce((n, { points }) => n + points.length, 0))
  let at = 0
  for (const { points } of pieces) {
    for (let i = 0; i < points.length; i += 3) {
      out[at++] = points[i]! - x0
      out[at++] = points[i + 1]! - y0
      out[at++] = points[i + 2]! - z0
    }
  }
  return out
}

function joinedElements({ pieces }: Shape): Uint32Array {
  const out = new Uint32Array(pieces.reduce((n, { elements }) => n + elements.length, 0))
  let at = 0
  let first = 0
  for (const { elements, points } of pieces) {
    for (let i = 0; i < elements.length; i++) out[at++] = elements[i]! + first
    first += points.length / 3
  }
  return out
}

/** A number per element, equal where the case cell is: blocks hold fewer than 2^17 cells. */
function cellKeys({ pieces }: Shape): Uint32Array {
  const keys = new Uint32Array(pieces.reduce((n, { cells }) => n + cells.length, 0))
  const blocks = new Map<string, number>()
  let first = 0
  for (const { cells, ranges } of pieces) {
    for (const { part, block, elementStart, elementEnd } of ranges) {
      const name = `${part} ${block}`
      if (!blocks.has(name)) blocks.set(name, blocks.size)
      const base = blocks.get(name)! * 2 ** 17
      for (let e = elementStart; e < elementEnd; e++) keys[first + e] = base + cells[e]!
    }
    first += cells.length
  }
  return keys
}

/** @param isWhole  vectors and tensors as such, not their magnitudes */
export function valuesPicture(
  shape: Shape,
  values: NamedShapeValues,
  isWhole: boolean,
): { meta: ValuesMeta; arrays: Record<string, PacketSource> } {
  const all = joinValues(shape, values)
  const { components, place } = all
  const n = all.values.length / components
  const sizes = components === 1 ? all.values : new Float64Array(n)
  if (components > 1) for (let i = 0; i < n; i++) sizes[i] = magnitude(all.values, i, components)
  const { nonFinite, ...extremes } = extremesOf(sizes, 1)
  const [min, max] = nonFinite < n ? [extremes.min, extremes.max] : [null, null]
  const [low, high] = quantiles(nonFinite ? sizes.filter(Number.isFinite) : sizes.slice(), [0.01, 0.99])
  const sent = isWhole ? all.values : sizes
  const middle = min === null ? 0 : (min + max!) / 2
  // only worth it when the values are large against their spread; components have no common reference
  const isNarrow = min !== null && Math.abs(middle) > 100 * (max! - min) && sent === sizes
  const reference = isNarrow ? middle : 0
  const out = new Float32Array(sent.length)
  for (let i = 0; i < out.length; i++) out[i] = sent[i]! - reference
  const meta: ValuesMeta = {
    name: values.name,
    unit: values.unit,
    place,
    components: isWhole ? components : 1,
    reference,
    range: [min, max],
    middle: [low ?? null, high ?? null],
    nonFinite,
  }
  return { meta, arrays: { values: out } }
}

/** Header of the first look at a case that is still being read; its arrays are `points`, `elements` and `values`. */
export interface LookMeta {
  origin: number[]
  values: { name: string; unit: string | null; place: 'point' | 'element'; range: [number, number] } | null
}
