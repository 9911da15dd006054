/**
 * The geometry that a step yields, apart from any values on it: pieces, most of them of one block each, in the order of the blocks.
 *
 * Every point carries sparse weights over points of the case and every element the case cell it lies in, however long the chain of
 * steps was: other fields and other moments are mapped without cutting again.
 */
import { Growing } from '../mesh/growing'
import type { FieldValues, FloatArray } from '../mesh/MeshBlock'
import type { FlowTexture } from './flowTexture'

export type ShapeKind = 'surface' | 'lines' | 'points'

/** A run of points and elements of a piece that lie in one block. */
export interface ShapeRange {
  part: string
  block: number
  pointStart: number
  pointEnd: number
  elementStart: number
  elementEnd: number
}

/** Quadratic cells that elements are pieces of. Totals take each one whole, at its leading element. */
export interface WholeElements {
  /** (nElements) number of the quadratic cell, -1 for none. */
  of: Int32Array
  /** (nElements) 1 for one element of each. */
  leads: Uint8Array
  types: Uint8Array
  offsets: Uint32Array
  /** Points of the piece. */
  nodes: Uint32Array
}

/**
 *   points        Float64Array (3 × nPoints), in the case's length unit
 *   elements      Uint32Array: triangles (3 × n), segments (2 × n) or points (n), by the kind of the shape
 *   cells         Uint32Array (n), cell of each element, local to the block of its range; NO_CELL outside the case
 *   weightStarts  Uint32Array (nPoints + 1)
 *   sources       Uint32Array, points local to the block of the range
 *   weights       Float64Array, summing to 1 for each point; a point outside the case has none
 *   ranges        in order; points and elements are covered without gaps
 *   whole         the quadratic faces or lines that some elements are pieces of, of parts shown as they are only
 *   paths         Uint32Array (nPaths + 1), traced and sampled lines only: first point of each path
 *   pointCells    Uint32Array (nPoints), traced and sampled lines only: the cell that each point lies in, local to the block of its range
 *   columns       values per point of the columns of the shape, in their order
 */
export interface Piece {
  points: Float64Array
  elements: Uint32Array
  cells: Uint32Array
  weightStarts: Uint32Array
  sources: Uint32Array
  weights: Float64Array
  ranges: ShapeRange[]
  whole?: WholeElements
  paths?: Uint32Array
  pointCells?: Uint32Array
  columns?: Float64Array[]
  /** Float64Array (3 × nPoints): what an arrow at each point shows. */
  vectors?: Float64Array
  /** Of a copy in another place: how it got there (`turned.ts`). Vectors and tensors of the case turn with it. */
  motion?: readonly number[]
  /**
   * Of the outside of a volume: whether it was on the boundary of the region, or a cut laid it open. `open` while it is not known whether
   * the volume goes on behind it.
   */
  from?: 'boundary' | 'cut' | 'open'
  /** Of the outside of a volume: all of the boundary of a block that is not cut. */
  uncut?: UncutBlock
}

export interface UncutBlock {
  /** Pieces of the same name are equal. */
  name: string
  /** Where coordinates in pictures of it count from: the middle of all that the volume is of. */
  about: readonly [number, number, number]
}

/** `range`: of all that it is a part of, at every moment. */
export interface ShapeColumn {
  name: string
  unit: string | null
  title?: string
  range?: readonly [number, number]
}

export interface Shape {
  kind: ShapeKind
  pieces: readonly Piece[]
  /** Further values per point that are no field, such as time along a streamline. */
  columns?: ShapeColumn[]
  /** Where `normal` points, in words. */
  direction?: string
  /** Of points that carry arrows: what these show, the longest of them, and how far the points are apart. */
  arrows?: ArrowMeta
  /** Short facts for the reader: how lines ended, samples outside the domain. */
  notes?: string[]
  table?: FactTable
  /** Brightness on a surface, for its elements in their order. */
  texture?: FlowTexture
  /** Places along lines at which numbers may stand. */
  labels?: LineLabel[]
  /** Of a share of the outside of a volume: cells that were left out because a condition has no value there. */
  nLost?: number
}

/** A number at a point of a shape of lines, on the way to the next one; points of all pieces in their order. */
export interface LineLabel {
  value: number
  point: number
  next: number
}

/** Facts about a shape, row by row: numbers, and names in columns without a unit. */
export interface FactTable {
  columns: { name: string; unit: string | null }[]
  rows: (number | string)[][]
}

export interface ArrowMeta {
  name: string
  unit: string | null
  longest: number
  /** In the case's length unit. */
  spacing: number
}

/** Corners of the triangles of a piece one after the other (9 × n). */
export function triangleCorners({ points, elements }: Pick<Piece, 'points' | 'elements'>): Float64Array {
  return Float64Array.from({ length: 3 * elements.length }, (_, i) => points[3 * elements[Math.floor(i / 3)]! + (i % 3)]!)
}

/** Number that stands for no cell. */
export const NO_CELL = 0xffffffff

/** Numbers per element in `elements`. */
export function elementSize(kind: ShapeKind): number {
  return kind === 'surface' ? 3 : kind === 'lines' ? 2 : 1
}

export function elementCount({ pieces }: Shape): number {
  return pieces.reduce((n, { cells }) => n + cells.length, 0)
}

/** Names of the parts of the case that a shape lies in. */
export function partsOf({ pieces }: Shape): string[] {
  return [...new Set(pieces.flatMap(({ ranges }) => ranges.map(({ part }) => part)))]
}

/** One piece out of several; points are not merged. Paths, cells of points and columns are joined where all pieces have them. */
export function joinPieces(pieces: readonly Piece[]): Piece {
  if (pieces.length === 1) return pieces[0]!
  const sum = (count: (piece: Piece) => number): number => pieces.reduce((n, piece) => n + count(piece), 0)
  const out: Piece = {
    points: new Float64Array(sum((s) => s.points.length)),
    elements: new Uint32Array(sum((s) => s.elements.length)),
    cells: new Uint32Array(sum((s) => s.cells.length)),
    weightStarts: new Uint32Array(sum((s) => s.weightStarts.length - 1) + 1),
    sources: new Uint32Array(sum((s) => s.sources.length)),
    weights: new Float64Array(sum((s) => s.weights.length)),
    ranges: [],
  }
  let point = 0
  let node = 0
  let element = 0
  let weight = 0
  for (const piece of pieces) {
    out.points.set(piece.points, 3 * point)
    for (let i = 0; i < piece.elements.length; i++) out.elements[node + i] = piece.elements[i]! + point
    out.cells.set(piece.cells, element)
    for (let i = 1; i < piece.weightStarts.length; i++) out.weightStarts[point + i] = piece.weightStarts[i]! + weight
    out.sources.set(piece.sources, weight)
    out.weights.set(piece.weights, weight)
    for (const range of piece.ranges) {
      out.ranges.push({
        ...range,
        pointStart: range.pointStart + point,
        pointEnd: range.pointEnd + point,
        elementStart: range.elementStart + element,
        elementEnd: range.elementEnd + element,
      })
    }
    point += piece.points.length / 3
    node += piece.elements.length
    element += piece.cells.length
    weight += piece.weights.length
  }
  if (pieces.some((piece) => piece.whole)) out.whole = joinWholes(pieces)
  if (pieces.length && pieces.every((piece) => piece.paths)) out.paths = joinPaths(pieces)
  if (pieces.length && pieces.every((piece) => piece.vectors)) out.vectors = joinFloats(pieces.map((piece) => piece.vectors!))
  if (pieces.length && pieces.every(({ motion }) => motion && motion.every((x, i) => x === pieces[0]!.motion?.[i])))
    out.motion = pieces[0]!.motion!
  if (pieces.length && pieces.every((piece) => piece.pointCells)) out.pointCells = joinNumbers(pieces.map((piece) => piece.pointCells!))
  return out
}

function joinFloats(lists: readonly Float64Array[]): Float64Array {
  const out = new Growing(Float64Array)
  for (const list of lists) out.pushAll(list)
  return out.finish()
}

function joinNumbers(lists: readonly Uint32Array[]): Uint32Array {
  const out = new Growing(Uint32Array)
  for (const list of lists) out.pushAll(list)
  return out.finish()
}

function joinPaths(pieces: readonly Piece[]): Uint32Array {
  const starts = [0]
  let point = 0
  for (const { paths, points } of pieces) {
    for (let k = 1; k < paths!.length; k++) starts.push(paths![k]! + point)
    point += points.length / 3
  }
  return Uint32Array.from(starts)
}

function joinWholes(pieces: readonly Piece[]): WholeElements {
  const of = new Growing(Int32Array)
  const leads = new Growing(Uint8Array)
  const types = new Growing(Uint8Array)
  const offsets = new Growing(Uint32Array)
  const nodes = new Growing(Uint32Array)
  offsets.push(0)
  let point = 0
  for (const { whole, cells, points } of pieces) {
    const first = types.length
    const node = nodes.length
    of.pushAll(whole ? whole.of.map((q) => (q < 0 ? q : q + first)) : new Int32Array(cells.length).fill(-1))
    leads.pushAll(whole?.leads ?? new Uint8Array(cells.length))
    types.pushAll(whole?.types ?? [])
    offsets.pushAll(whole ? whole.offsets.subarray(1).map((end) => end + node) : [])
    nodes.pushAll(whole ? whole.nodes.map((p) => p + point) : [])
    point += points.length / 3
  }
  return { of: of.finish(), leads: leads.finish(), types: types.finish(), offsets: offsets.finish(), nodes: nodes.finish() }
}

/**
 * Values on a piece: one entry per point, per element for values that live on cells, or per corner of each element for values that are
 * linear on an element but jump between elements (anything with `normal` in it).
 */
export interface PieceValues {
  values: Float64Array
  components: number
  place: 'point' | 'element' | 'corner'
}

/** Values on a shape: each piece has its own place, since a field may live on points in one part and on cells in another. */
export interface ShapeValues {
  components: number
  pieces: readonly PieceValues[]
}

/** Index of the value at corner `i` of element `e`. */
export function valueIndex(kind: ShapeKind, piece: Piece, place: PieceValues['place'], e: number, i: number): number {
  if (place === 'element') return e
  const corner = elementSize(kind) * e + i
  return place === 'point' ? piece.elements[corner]! : corner
}

/** Values at every corner of every element, whatever their place. */
export function cornerValues(kind: ShapeKind, piece: Piece, { values, components, place }: PieceValues): PieceValues {
  if (place === 'corner') return { values, components, place }
  const size = elementSize(kind)
  const out = new Float64Array(size * piece.cells.length * components)
  for (let e = 0, o = 0; e < piece.cells.length; e++) {
    for (let i = 0; i < size; i++) {
      const at = valueIndex(kind, piece, place, e, i) * components
      for (let c = 0; c < components; c++) out[o++] = values[at + c]!
    }
  }
  return { values: out, components, place: 'corner' }
}

/** Values of all pieces in one array; where their places differ, by corners. */
export function joinValues({ kind, pieces }: Shape, { components, pieces: parts }: ShapeValues): PieceValues {
  const place = parts[0]?.place ?? 'point'
  const alike = parts.every((part) => part.place === place) ? parts : parts.map((part, i) => cornerValues(kind, pieces[i]!, part))
  const values = new Float64Array(alike.reduce((n, part) => n + part.values.length, 0))
  let at = 0
  for (const part of alike) {
    values.set(part.values, at)
    at += part.values.length
  }
  return { values, components, place: alike[0]?.place ?? 'point' }
}

/** Which of the points or cells of a block a piece takes values from; undefined when they are so many that all are as well. */
export type Touched = (place: 'point' | 'cell', n: number) => Uint32Array | undefined

/**
 * Maps values of the case onto a piece.
 *
 * @param withValues  calls back with the values on a block of a part, valid during the call only; called once per block. Values that are
 *                    not touched are not looked at
 */
export function mapPiece(
  piece: Piece,
  withValues: (part: string, block: number, use: (values: FieldValues) => void, touched: Touched) => void,
): PieceValues {
  const order = piece.ranges.map((_, i) => i).sort((i, j) => compareRanges(piece.ranges[i]!, piece.ranges[j]!))
  let out: PieceValues | undefined
  for (let first = 0, end = 0; first < order.length; first = end) {
    const { part, block } = piece.ranges[order[first]!]!
    while (end < order.length && compareRanges(piece.ranges[order[end]!]!, { part, block }) === 0) end++
    const own = order.slice(first, end).map((i) => piece.ranges[i]!)
    const use = (field: FieldValues): void => {
      out ??= emptyValues(piece, field)
      if (out.place === 'element' && field.place === 'point') out = toPoints(piece, out)
      for (const range of own) mapRange(piece, range, field, out)
    }
    withValues(part, block, use, (place, n) => touchedBy(piece, own, place, n))
  }
  return out ?? { values: new Float64Array(0), components: 1, place: 'point' }
}

/** Share of the values of a block up to which it pays to look for those that are touched. */
const FEW = 0.5

function touchedBy(
  { cells, pointCells, sources, weightStarts }: Piece,
  ranges: readonly ShapeRange[],
  place: 'point' | 'cell',
  n: number,
): Uint32Array | undefined {
  const isTouched = new Uint8Array(n)
  let count = 0
  const touch = (ids: Uint32Array, from: number, to: number): void => {
    for (let i = from; i < to; i++) {
      const id = ids[i]!
      // no cell is none of them
      if (id >= n || isTouched[id]) continue
      isTouched[id] = 1
      count++
    }
  }
  for (const range of ranges) {
    if (place === 'point') touch(sources, weightStarts[range.pointStart]!, weightStarts[range.pointEnd]!)
    else {
      touch(cells, range.elementStart, range.elementEnd)
      if (pointCells) touch(pointCells, range.pointStart, range.pointEnd)
    }
  }
  if (count > FEW * n) return undefined
  const ids = new Uint32Array(count)
  for (let id = 0, at = 0; at < count; id++) if (isTouched[id]) ids[at++] = id
  return ids
}

function emptyValues(piece: Piece, { components, place }: FieldValues): PieceValues {
  const isAtPoints = place === 'point'
  const n = isAtPoints ? piece.points.length / 3 : piece.cells.length
  return { components, place: isAtPoints ? 'point' : 'element', values: new Float64Array(components * n) }
}

/** A line through parts of which some have values on cells: a point there has the value of its cell. */
function toPoints({ points, elements, cells }: Piece, { values, components }: PieceValues): PieceValues {
  const out = new Float64Array((components * points.length) / 3)
  const size = elements.length / cells.length
  for (let e = 0; e < cells.length; e++) {
    const to = components * elements[size * e + size - 1]!
    for (let c = 0; c < components; c++) out[to + c] = values[components * e + c]!
  }
  return { components, place: 'point', values: out }
}

function mapRange(piece: Piece, range: ShapeRange, { values, components, place }: FieldValues, out: PieceValues): void {
  if (place === 'point') mapPoints(piece, range, values, components, out.values)
  else if (out.place === 'element') mapCells(piece.cells, range.elementStart, range.elementEnd, values, components, out.values)
  else if (piece.pointCells) mapCells(piece.pointCells, range.pointStart, range.pointEnd, values, components, out.values)
}

function compareRanges(a: Pick<ShapeRange, 'part' | 'block'>, b: Pick<ShapeRange, 'part' | 'block'>): number {
  return a.part < b.part ? -1 : a.part > b.part ? 1 : a.block - b.block
}

function mapPoints(
  { weightStarts, sources, weights }: Piece,
  range: ShapeRange,
  values: FloatArray,
  components: number,
  out: Float64Array,
): void {
  for (let p = range.pointStart; p < range.pointEnd; p++) {
    const start = weightStarts[p]!
    const end = weightStarts[p + 1]!
    for (let c = 0; c < components; c++) {
      if (end === start) {
        out[p * components + c] = NaN
        continue
      }
      let sum = 0
      for (let w = start; w < end; w++) sum += weights[w]! * values[sources[w]! * components + c]!
      out[p * components + c] = sum
    }
  }
}

/** @param cells  of elements or of points */
function mapCells(cells: Uint32Array, from: number, to: number, values: FloatArray, components: number, out: Float64Array): void {
  for (let i = from; i < to; i++) {
    const at = cells[i]! * components
    for (let c = 0; c < components; c++) out[i * components + c] = cells[i] === NO_CELL ? NaN : values[at + c]!
  }
}
