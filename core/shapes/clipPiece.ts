/**
 * What is left of a piece of a surface, of lines or of points where a function given at its points is 0 or more, or where elements were
 * chosen. Linear on every element; the order of elements stays. O(nElements).
 */
import { Growing } from '../mesh/growing'
import { clippedTriangle, CutPoints, fanOf } from './CutPoints'
import { elementSize } from './Shape'
import type { Piece, ShapeKind, ShapeRange } from './Shape'

/**
 * @param level     (nPoints); where it is not a number, elements are left out
 * @param isStrict  elements in which it is 0 everywhere are left out
 * @returns undefined when nothing is left
 */
export function clipPiece(kind: ShapeKind, piece: Piece, level: Float64Array, isStrict = false): Piece | undefined {
  if (level.every((x) => (isStrict ? x > 0 : x >= 0))) return piece
  const size = elementSize(kind)
  const { elements } = piece
  if (kind === 'surface') return clipTriangles(piece, level, isStrict)
  return rebuilt(piece, level, (points, e, add) => {
    const nodes = Array.from(elements.subarray(size * e, size * e + size))
    if (nodes.some((p) => Number.isNaN(level[p]!)) || nodes.every((p) => (isStrict ? level[p]! <= 0 : level[p]! < 0))) return
    if (kind === 'points') add([points.kept(nodes[0]!)])
    else {
      const [p, q] = nodes as [number, number]
      const ends = [level[p]! >= 0 ? points.kept(p) : points.crossing(p, q), level[q]! >= 0 ? points.kept(q) : points.crossing(p, q)]
      if (ends[0] !== ends[1]) add(ends)
    }
  })
}

/** Most triangles lie on one side: these are found without lists. */
function clipTriangles(piece: Piece, level: Float64Array, isStrict: boolean): Piece | undefined {
  const { elements } = piece
  return rebuilt(piece, level, (points, e, add) => {
    const p = elements[3 * e]!
    const q = elements[3 * e + 1]!
    const r = elements[3 * e + 2]!
    const a = level[p]!
    const b = level[q]!
    const c = level[r]!
    const isKept = isStrict ? a > 0 || b > 0 || c > 0 : a >= 0 || b >= 0 || c >= 0
    if (!isKept || Number.isNaN(a + b + c)) return
    if (a >= 0 && b >= 0 && c >= 0) add([points.kept(p), points.kept(q), points.kept(r)])
    else fanOf(clippedTriangle(points, level, [p, q, r]), points, (i, j, k) => add([i, j, k]))
  })
}

/** @param isChosen  (nElements) kept where it is 0 or more */
export function chooseElements(kind: ShapeKind, piece: Piece, isChosen: Float64Array): Piece | undefined {
  if (isChosen.every((x) => x >= 0)) return piece
  const size = elementSize(kind)
  return rebuilt(piece, new Float64Array(piece.points.length / 3), (points, e, add) => {
    if (isChosen[e]! >= 0) add(Array.from(piece.elements.subarray(size * e, size * e + size), (p) => points.kept(p)))
  })
}

/** @param each  adds what is left of an element */
function rebuilt(
  piece: Piece,
  level: Float64Array,
  each: (points: CutPoints, element: number, add: (nodes: readonly number[]) => void) => void,
): Piece | undefined {
  const points = new CutPoints(piece, level)
  const elements = new Growing(Uint32Array)
  const cells = new Growing(Uint32Array)
  const ranges: ShapeRange[] = []
  let element = 0
  const add = (nodes: readonly number[]): void => {
    for (const p of nodes) elements.push(p)
    cells.push(piece.cells[element]!)
  }
  // a line drawn by hand lies in no block
  const all = piece.ranges.length ? piece.ranges : [{ part: null, block: 0, elementStart: 0, elementEnd: piece.cells.length }]
  for (const { part, block, elementStart, elementEnd } of all) {
    const [pointStart, start] = [points.count, cells.length]
    // points of a range lie in its block: one that two ranges use is kept once for each
    points.startRange()
    for (element = elementStart; element < elementEnd; element++) each(points, element, add)
    if (part !== null && cells.length > start)
      ranges.push({ part, block, pointStart, pointEnd: points.count, elementStart: start, elementEnd: cells.length })
  }
  if (!cells.length) return undefined
  return {
    ...points.finish(),
    elements: elements.finish(),
    cells: cells.finish(),
    ranges,
    ...(piece.motion && { motion: piece.motion }),
    ...(piece.columns && { columns: piece.columns.map((column) => points.interpolated(column)) }),
  }
}
