/**
 * Volumes and integrals over the volume cells of one block.
 *
 * Each linear cell is the union of its tetrahedra (`mesh/tetrahedra.ts`); point values are linear on each, so that linear
 * fields are integrated exactly and smooth ones to second order. Quadratic cells are integrated whole, by their shape
 * functions (`mesh/quadraticShape.ts`). O(nCells).
 */
import { MAX_QUADRATIC_NODES, quadraticShares } from '../mesh/quadraticShape'
import { tetrahedraOf } from '../mesh/tetrahedra'
import { GROUP_CELLS, wholesOf } from '../mesh/MeshBlock'
import type { FieldValues, MeshBlock } from '../mesh/MeshBlock'
import { Sum } from './sums'
import type { GroupTotals } from './sums'

/** Totals of each group of cells. Extremes are over the points or cells used, of the magnitude for vectors. */
export function integrateCells(mesh: MeshBlock, field: FieldValues): GroupTotals[] {
  const nCells = mesh.types.length
  const groups: GroupTotals[] = []
  for (let first = 0; first < nCells; first += GROUP_CELLS) {
    groups.push(integrateGroup(mesh, field, first, Math.min(first + GROUP_CELLS, nCells)))
  }
  return groups
}

/** Corners of the cell at hand and the share of its volume that each node carries. Not re-entrant. */
const corners = new Float64Array(24)
const shares = new Float64Array(MAX_QUADRATIC_NODES)

/** Fills `shares`; their sum is the volume of the cell. */
function loadShares(mesh: MeshBlock, start: number, nNodes: number, tets: Uint8Array): number {
  const { connectivity, points } = mesh
  for (let i = 0, o = 0; i < nNodes; i++, o += 3) {
    const p = 3 * connectivity[start + i]!
    corners[o] = points[p]!
    corners[o + 1] = points[p + 1]!
    corners[o + 2] = points[p + 2]!
    shares[i] = 0
  }
  // every tetrahedron of a cell has the cell's apex as its first node
  const apex = tets[0]!
  const ax = corners[3 * apex]!, ay = corners[3 * apex + 1]!, az = corners[3 * apex + 2]!
  let volume = 0
  for (let k = 0; k < tets.length; k += 4) {
    const b = tets[k + 1]!, c = tets[k + 2]!, d = tets[k + 3]!
    const bx = corners[3 * b]! - ax, by = corners[3 * b + 1]! - ay, bz = corners[3 * b + 2]! - az
    const cx = corners[3 * c]! - ax, cy = corners[3 * c + 1]! - ay, cz = corners[3 * c + 2]! - az
    const dx = corners[3 * d]! - ax, dy = corners[3 * d + 1]! - ay, dz = corners[3 * d + 2]! - az
    // divided once at the end: the volume of a plain box comes out exact
    const sixfold = bx * (cy * dz - cz * dy) + by * (cz * dx - cx * dz) + bz * (cx * dy - cy * dx)
    volume += sixfold
    shares[b]! += sixfold / 24
    shares[c]! += sixfold / 24
    shares[d]! += sixfold / 24
  }
  shares[apex] = volume / 24
  return volume / 6
}

function integrateGroup(mesh: MeshBlock, field: FieldValues, first: number, last: number): GroupTotals {
  const { types, offsets, connectivity, pointNumbers } = mesh
  const { values, components, place } = field
  const quadratic = wholesOf(mesh)
  const isScalar = components === 1
  const measure = new Sum()
  const skipped = new Sum()
  const sums = Array.from({ length: components }, () => new Sum())
  const scalarSum = sums[0]!
  const part = new Float64Array(components)
  let nonFinite = 0
  let min = Infinity
  let max = -Infinity
  for (let c = first; c < last; c++) {
    const q = quadratic ? quadratic.wholeOf[c]! : -1
    // a quadratic cell counts once, with its first piece
    if (q >= 0 && !quadratic!.wholeLeads[c]) continue
    const nodes = q >= 0 ? quadratic!.wholeNodes : connectivity
    const start = q >= 0 ? quadratic!.wholeOffsets[q]! : offsets[c]!
    const end = q >= 0 ? quadratic!.wholeOffsets[q + 1]! : offsets[c + 1]!
    const nNodes = place === 'point' ? end - start : 1
    const volume = q >= 0
      ? quadraticShares(quadratic!.wholeTypes[q]!, mesh.points, nodes, start, shares)
      : loadShares(mesh, start, end - start, tetrahedraOf(types[c]!, connectivity, start, pointNumbers))
    if (place === 'cell') shares[0] = volume
    let low = Infinity, high = -Infinity, whole = 0
    if (isScalar) {
      for (let i = 0; i < nNodes; i++) {
        const x = values[place === 'point' ? nodes[start + i]! : c]!
        whole += shares[i]! * x
        if (x < low) low = x
        if (x > high) high = x
      }
    } else {
      part.fill(0)
      for (let i = 0; i < nNodes; i++) {
        const item = place === 'point' ? nodes[start + i]! : c
        for (let d = 0; d < components; d++) part[d]! += shares[i]! * values[item * components + d]!
        const x = magnitude(values, item, components)
        if (x < low) low = x
        if (x > high) high = x
      }
      for (let d = 0; d < components; d++) whole += part[d]!
    }
    // infinities and not-a-number only: they alone differ from themselves
    if (whole - whole !== 0) {
      nonFinite++
      skipped.add(volume)
      continue
    }
    measure.add(volume)
    if (isScalar) scalarSum.add(whole)
    else for (let d = 0; d < components; d++) sums[d]!.add(part[d]!)
    if (low < min) min = low
    if (high > max) max = high
  }
  return { measure: measure.value, skipped: skipped.value, nonFinite, integral: sums.map((s) => s.value), min, max }
}

/** The value itself for scalars, the magnitude for vectors, the norm for tensors (six components are symmetric). */
export function magnitude(values: ArrayLike<number>, index: number, components: number): number {
  const at = index * components
  if (components === 1) return values[at]!
  let sum = 0
  for (let c = 0; c < components; c++) {
    const x = values[at + c]!
    sum += (components === 6 && c >= 3 ? 2 : 1) * x * x
  }
  return Math.sqrt(sum)
}
