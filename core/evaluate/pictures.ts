/**
 * Shapes and values as the browser gets them: coordinates as float32 about an origin, values as float32 minus a reference, so that a
 * small difference on a large value keeps its digits.
 */
import { extremesOf } from '../measure/extremes'
import { magnitude } from '../measure/integrateCells'
import { quantiles } from '../measure/quantiles'
import { boxCentre, boxOfPoints, unionBox } from '../mesh/boxes'
import { elementCount, joinValues, partsOf } from '../shapes/Shape'
import type { ArrowMeta, FactTable, LineLabel, Piece, PieceValues, Shape, ShapeKind } from '../shapes/Shape'
import type { PacketSource } from '../store/packet'
import { blockNumbers, CELLS_OF_BLOCK, chunksOf } from './chunks'
import type { Chunk, Had } from './chunks'
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
  /** Of the outside of a volume (`chunks.ts`). Those that the asker has are not in the arrays. */
  chunks?: Chunk[]
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
  /** Where some are not sent: for each chunk of the shape the place of the one that the asker has, -1 if it is sent. */
  was?: number[]
}

/** @param had  of the outside of a volume, which is put into chunks: names of those that the asker has */
export function shapePicture(shape: Shape, had?: Had): { meta: ShapeMeta; arrays: Record<string, PacketSource> } {
  const { kind, pieces, direction = null, notes = [], columns = [], arrows = null, table = null, labels = [], texture } = shape
  const filled = pieces.filter(({ points }) => points.length > 0)
  const box = filled.length ? unionBox(filled.map(({ points }) => boxOfPoints(points))) : null
  const about = had && pieces.find(({ uncut }) => uncut)?.uncut!.about
  const origin = about ?? (box ? boxCentre(box) : ([0, 0, 0] as const))
  const chunks = had && chunksOf(shape, had)
  const meta: ShapeMeta = {
    kind,
    origin: [...origin],
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
    ...(chunks && { chunks }),
  }
  if (chunks) {
    const sent = pieces.filter((_, i) => chunks[i]!.was === undefined)
    return { meta, arrays: chunkArrays(sent, origin) }
  }
  const arrays = { points: localPoints(pieces, origin), elements: joinedElements(shape) }
  if (texture) return { meta, arrays: { ...arrays, cells: cellKeys(shape), texels: texture.texels, places: texture.places } }
  if (arrows) return { meta, arrays: { ...arrays, vectors: Float32Array.from(joinedVectors(shape)) } }
  return { meta, arrays: kind === 'surface' ? { ...arrays, cells: cellKeys(shape) } : arrays }
}

/** Without a copy where they are sent as they are. */
function chunkArrays(pieces: readonly Piece[], origin: readonly number[]): Record<string, PacketSource> {
  const [elements, cells] = [pieces.map((piece) => piece.elements), pieces.map((piece) => piece.cells)]
  const none = new Uint32Array(0)
  return { points: localPoints(pieces, origin), elements: pieces.length ? elements : none, cells: pieces.length ? cells : none }
}

function joinedVectors({ pieces }: Shape): number[] {
  return pieces.flatMap(({ vectors }) => Array.from(vectors ?? []))
}

function localPoints(pieces: readonly Piece[], origin: readonly number[]): Float32Array {
  const out = new Float32Array(pieces.reduce((n, { points }) => n + points.length, 0))
  const [x0, y0, z0] = origin as [number, number, number]
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

/** A number per element, equal where the case cell is. */
function cellKeys({ pieces }: Shape): Uint32Array {
  const keys = new Uint32Array(pieces.reduce((n, { cells }) => n + cells.length, 0))
  const numberOf = blockNumbers()
  let first = 0
  for (const { cells, ranges } of pieces) {
    for (const range of ranges) {
      const base = numberOf(range) * CELLS_OF_BLOCK
      for (let e = range.elementStart; e < range.elementEnd; e++) keys[first + e] = base + cells[e]!
    }
    first += cells.length
  }
  return keys
}

/**
 * @param isWhole  vectors and tensors as such, not their magnitudes
 * @param had  names of the chunks on which the asker has these values, for a shape that is sent in chunks
 */
export function valuesPicture(
  shape: Shape,
  values: NamedShapeValues,
  isWhole: boolean,
  had?: Had,
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
  const chunks = !had || place === 'corner' || reference ? [] : chunksOf(shape, had)
  const isPart = chunks.some(({ was }) => was !== undefined)
  const wanted = isPart ? stretches(chunks, place, sent.length / n) : [[0, sent.length] as const]
  const out = new Float32Array(wanted.reduce((sum, [from, to]) => sum + to - from, 0))
  let at = 0
  for (const [from, to] of wanted) {
    if (reference) for (let i = from; i < to; i++) out[at + i - from] = sent[i]! - reference
    else out.set(sent.subarray(from, to), at)
    at += to - from
  }
  const meta: ValuesMeta = {
    name: values.name,
    unit: values.unit,
    place,
    components: isWhole ? components : 1,
    reference,
    range: [min, max],
    middle: [low ?? null, high ?? null],
    nonFinite,
    ...(isPart && { was: chunks.map(({ was = -1 }) => was) }),
  }
  return { meta, arrays: { values: out } }
}

/** Where values of the chunks lie that are sent: from and to. */
function stretches(chunks: readonly Chunk[], place: PieceValues['place'], components: number): [number, number][] {
  let at = 0
  return chunks.flatMap(({ points, elements, was }): [number, number][] => {
    const from = at
    at += components * (place === 'point' ? points : elements)
    return was === undefined ? [[from, at]] : []
  })
}

/** Header of the first look at a case that is still being read; its arrays are `points`, `elements` and `values`. */
export interface LookMeta {
  origin: number[]
  values: { name: string; unit: string | null; place: 'point' | 'element'; range: [number, number] } | null
}
