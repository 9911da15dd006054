/**
 * Areas, lengths and integrals over a shape. Values at points are linear on each triangle or segment: linear fields
 * are integrated exactly. Quadratic faces and lines are integrated whole by their shape functions, but for values at corners:
 * those depend on the flat pieces' normals. O(nElements).
 */
import { GROUP_CELLS } from '../mesh/MeshBlock'
import { MAX_QUADRATIC_NODES, quadraticShares } from '../mesh/quadraticShape'
import { triangleNormal } from '../shapes/normals'
import { elementSize, valueIndex } from '../shapes/Shape'
import type { Piece, PieceValues, Shape, ShapeKind, ShapeRange, ShapeValues } from '../shapes/Shape'
import { magnitude } from './integrateCells'
import { mergeTotals, Sum } from './sums'
import type { GroupTotals, Totals } from './sums'

export function integrateShape({ kind, pieces }: Shape, field: ShapeValues): Totals {
  const groups: GroupTotals[] = []
  pieces.forEach((piece, i) => {
    groups.push(...integratePiece(kind, piece, field.pieces[i]!))
  })
  return mergeTotals(groups, field.components)
}

/** Totals of the groups of one piece, in order. */
export function integratePiece(kind: ShapeKind, piece: Piece, values: PieceValues): GroupTotals[] {
  // a line drawn by hand lies in no block
  const ranges = piece.ranges.length ? piece.ranges : [{ elementStart: 0, elementEnd: piece.cells.length }]
  return ranges.flatMap((range) => integrateRange(kind, piece, values, range))
}

/** Sizes of the elements of a shape: totals of 1. */
export function sizeOfShape(shape: Shape): Totals {
  const ones = shape.pieces.map(({ cells }) => ({
    values: new Float64Array(cells.length).fill(1),
    components: 1,
    place: 'element' as const,
  }))
  return integrateShape(shape, { components: 1, pieces: ones })
}

/** Elements in a row whose cells are of one group of the case are summed together: what a sum is made of does not depend on blocks. */
function integrateRange(
  kind: ShapeKind,
  piece: Piece,
  values: PieceValues,
  { elementStart, elementEnd }: Pick<ShapeRange, 'elementStart' | 'elementEnd'>,
): GroupTotals[] {
  const { cells } = piece
  const groups: GroupTotals[] = []
  for (let first = elementStart, end = elementStart; first < elementEnd; first = end) {
    const group = Math.floor(cells[first]! / GROUP_CELLS)
    while (end < elementEnd && Math.floor(cells[end]! / GROUP_CELLS) === group) end++
    groups.push(integrateGroup(kind, piece, values, first, end))
  }
  return groups
}

/** Values of the current element and the share of its size that each carries. Not re-entrant. */
const items = new Uint32Array(MAX_QUADRATIC_NODES)
const shares = new Float64Array(MAX_QUADRATIC_NODES)

function integrateGroup(
  kind: ShapeKind,
  piece: Piece,
  { values, components, place }: PieceValues,
  first: number,
  last: number,
): GroupTotals {
  const size = elementSize(kind)
  const whole = place === 'corner' ? undefined : piece.whole
  const measure = new Sum()
  const skipped = new Sum()
  const sums = Array.from({ length: components }, () => new Sum())
  const part = new Float64Array(components)
  let nonFinite = 0
  let min = Infinity
  let max = -Infinity
  for (let e = first; e < last; e++) {
    const q = whole ? whole.of[e]! : -1
    if (q >= 0 && !whole!.leads[e]) continue
    const start = q >= 0 ? whole!.offsets[q]! : 0
    const m = q >= 0 ? quadraticShares(whole!.types[q]!, piece.points, whole!.nodes, start, shares) : elementMeasure(kind, piece, e)
    const isByNodes = q >= 0 && place === 'point'
    const n = isByNodes ? whole!.offsets[q + 1]! - start : size
    for (let i = 0; i < n; i++) {
      items[i] = isByNodes ? whole!.nodes[start + i]! : valueIndex(kind, piece, place, e, i)
      if (!isByNodes) shares[i] = m / size
    }
    part.fill(0)
    let isFinite = true
    for (let i = 0; i < n; i++) {
      const at = items[i]! * components
      for (let c = 0; c < components; c++) part[c]! += shares[i]! * values[at + c]!
    }
    for (let c = 0; c < components; c++) if (!Number.isFinite(part[c]!)) isFinite = false
    if (!isFinite) {
      nonFinite++
      skipped.add(m)
      continue
    }
    measure.add(m)
    for (let c = 0; c < components; c++) sums[c]!.add(part[c]!)
    for (let i = 0; i < n; i++) {
      const x = magnitude(values, items[i]!, components)
      if (x < min) min = x
      if (x > max) max = x
    }
  }
  return { measure: measure.value, skipped: skipped.value, nonFinite, integral: sums.map((s) => s.value), min, max }
}

/** Area of a triangle, length of a segment, 1 for a point. */
export function elementMeasure(kind: ShapeKind, { points, elements }: Piece, e: number): number {
  if (kind === 'points') return 1
  if (kind === 'lines') {
    const a = 3 * elements[2 * e]!
    const b = 3 * elements[2 * e + 1]!
    return Math.hypot(points[b]! - points[a]!, points[b + 1]! - points[a + 1]!, points[b + 2]! - points[a + 2]!)
  }
  const [x, y, z] = triangleNormal(points, elements, e)
  return Math.sqrt(x * x + y * y + z * z) / 2
}
