/**
 * The geometry a step yields, apart from any values on it.
 *
 * Every point carries sparse weights over points of the case and every element the case cell it lies in, however long
 * the chain of steps was: other fields and other moments are mapped without cutting again.
 *
 *   points        Float64Array (3 × nPoints), in the case's length unit
 *   elements      Uint32Array: triangles (3 × n), segments (2 × n) or points (n), by `kind`
 *   cells         Uint32Array (n), cell of each element, local to the block of its range
 *   weightStarts  Uint32Array (nPoints + 1)
 *   sources       Uint32Array, points local to the block of the range
 *   weights       Float64Array, summing to 1 for each point
 *   ranges        runs of points and elements that belong to one block, in order; both are covered without gaps
 *   paths         Uint32Array (nPaths + 1), streamlines and sampled lines only: first point of each path
 *   whole         the quadratic faces or lines that some elements are pieces of, of parts shown as they are only
 *   columns       further values per point that are no field, such as time along a streamline
 */
import { Growing } from '../mesh/growing'
import type { FieldValues, FloatArray } from '../mesh/MeshBlock'

export type ShapeKind = 'surface' | 'lines' | 'points'

export interface ShapeRange {
  part: string
  block: number
  pointStart: number
  pointEnd: number
  elementStart: number
  elementEnd: number
}

export interface Column {
  name: string
  unit: string | null
  values: Float64Array
}

/** Quadratic cells that elements are pieces of. Totals take each one whole, at its leading element. */
export interface WholeElements {
  /** (nElements) number of the quadratic cell, -1 for none. */
  of: Int32Array
  /** (nElements) 1 for one element of each. */
  leads: Uint8Array
  types: Uint8Array
  offsets: Uint32Array
  /** Points of the shape. */
  nodes: Uint32Array
}

export interface Shape {
  kind: ShapeKind
  points: Float64Array
  elements: Uint32Array
  cells: Uint32Array
  weightStarts: Uint32Array
  sources: Uint32Array
  weights: Float64Array
  ranges: ShapeRange[]
  whole?: WholeElements
  paths?: Uint32Array
  columns?: Column[]
  /** Where `normal` points, in words. */
  direction?: string
  /** Short facts for the reader: how lines ended, samples outside the domain. */
  notes?: string[]
}

/** Numbers per element in `elements`. */
export function elementSize(kind: ShapeKind): number {
  return kind === 'surface' ? 3 : kind === 'lines' ? 2 : 1
}

export function emptyShape(kind: ShapeKind): Shape {
  return {
    kind,
    points: new Float64Array(0),
    elements: new Uint32Array(0),
    cells: new Uint32Array(0),
    weightStarts: new Uint32Array(1),
    sources: new Uint32Array(0),
    weights: new Float64Array(0),
    ranges: [],
  }
}

/** Joins shapes of one kind; points are not merged. Paths and columns are not joined. */
export function joinShapes(kind: ShapeKind, shapes: readonly Shape[]): Shape {
  const sum = (count: (shape: Shape) => number): number => shapes.reduce((n, shape) => n + count(shape), 0)
  const out: Shape = {
    kind,
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
  for (const shape of shapes) {
    out.points.set(shape.points, 3 * point)
    for (let i = 0; i < shape.elements.length; i++) out.elements[node + i] = shape.elements[i]! + point
    out.cells.set(shape.cells, element)
    for (let i = 1; i < shape.weightStarts.length; i++) out.weightStarts[point + i] = shape.weightStarts[i]! + weight
    out.sources.set(shape.sources, weight)
    out.weights.set(shape.weights, weight)
    for (const range of shape.ranges) {
      out.ranges.push({
        ...range,
        pointStart: range.pointStart + point,
        pointEnd: range.pointEnd + point,
        elementStart: range.elementStart + element,
        elementEnd: range.elementEnd + element,
      })
    }
    point += shape.points.length / 3
    node += shape.elements.length
    element += shape.cells.length
    weight += shape.weights.length
  }
  if (shapes.some((shape) => shape.whole)) out.whole = joinWholes(shapes)
  return out
}

function joinWholes(shapes: readonly Shape[]): WholeElements {
  const out = { of: new Growing(Int32Array), leads: new Growing(Uint8Array), types: new Growing(Uint8Array), offsets: new Growing(Uint32Array), nodes: new Growing(Uint32Array) }
  out.offsets.push(0)
  let point = 0
  for (const { whole, cells, points } of shapes) {
    const first = out.types.length
    const node = out.nodes.length
    out.of.pushAll(whole ? whole.of.map((q) => (q < 0 ? q : q + first)) : new Int32Array(cells.length).fill(-1))
    out.leads.pushAll(whole?.leads ?? new Uint8Array(cells.length))
    out.types.pushAll(whole?.types ?? [])
    out.offsets.pushAll(whole ? whole.offsets.subarray(1).map((end) => end + node) : [])
    out.nodes.pushAll(whole ? whole.nodes.map((p) => p + point) : [])
    point += points.length / 3
  }
  return { of: out.of.finish(), leads: out.leads.finish(), types: out.types.finish(), offsets: out.offsets.finish(), nodes: out.nodes.finish() }
}

/**
 * Values on a shape: one entry per point, per element for values that live on cells, or per corner of each element
 * for values that are linear on an element but jump between elements (anything with `normal` in it).
 */
export interface ShapeValues {
  values: Float64Array
  components: number
  place: 'point' | 'element' | 'corner'
}

/** Index of the value at corner `i` of element `e`. */
export function valueIndex(shape: Shape, place: ShapeValues['place'], e: number, i: number): number {
  if (place === 'element') return e
  const corner = elementSize(shape.kind) * e + i
  return place === 'point' ? shape.elements[corner]! : corner
}

/**
 * Maps values of the case onto a shape.
 *
 * @param valuesOf  values on a block of a part; asked once per block, blocks in ascending order
 */
export function mapValues(shape: Shape, valuesOf: (part: string, block: number) => FieldValues): ShapeValues {
  const order = shape.ranges.map((_, i) => i).sort((i, j) => compareRanges(shape.ranges[i]!, shape.ranges[j]!))
  let out: ShapeValues | undefined
  let current: FieldValues | undefined
  let last: ShapeRange | undefined
  for (const i of order) {
    const range = shape.ranges[i]!
    if (!current || !last || compareRanges(last, range) !== 0) current = valuesOf(range.part, range.block)
    last = range
    const { components, place, values } = current
    out ??= {
      components,
      place: place === 'point' ? 'point' : 'element',
      values: new Float64Array(components * (place === 'point' ? shape.points.length / 3 : shape.cells.length)),
    }
    if (place === 'point') mapPoints(shape, range, values, components, out.values)
    else mapCells(shape, range, values, components, out.values)
  }
  return out ?? { values: new Float64Array(0), components: 1, place: 'point' }
}

function compareRanges(a: ShapeRange, b: ShapeRange): number {
  return a.part < b.part ? -1 : a.part > b.part ? 1 : a.block - b.block
}

function mapPoints(shape: Shape, range: ShapeRange, values: FloatArray, components: number, out: Float64Array): void {
  const { weightStarts, sources, weights } = shape
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

function mapCells(shape: Shape, range: ShapeRange, values: FloatArray, components: number, out: Float64Array): void {
  for (let e = range.elementStart; e < range.elementEnd; e++) {
    const from = shape.cells[e]! * components
    for (let c = 0; c < components; c++) out[e * components + c] = values[from + c]!
  }
}
