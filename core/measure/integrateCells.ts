/**
 * Volumes and integrals over the volume cells of one block.
 *
 * Each cell is the union of its tetrahedra (`mesh/tetrahedra.ts`); point values are linear on each, so that linear
 * fields are integrated exactly and smooth ones to second order. O(nCells).
 */
import { tetrahedraOf } from '../mesh/tetrahedra'
import { GROUP_CELLS } from '../mesh/MeshBlock'
import type { FieldValues, FloatArray, MeshBlock } from '../mesh/MeshBlock'
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

/** Corners of the cell at hand and the sizes there; 8 nodes are the most a cell has. Not re-entrant. */
const corners = new Float64Array(24)
const sizes = new Float64Array(8)

function integrateGroup(mesh: MeshBlock, field: FieldValues, first: number, last: number): GroupTotals {
  const { types, offsets, connectivity, points, pointNumbers } = mesh
  const { values, components, place } = field
  const measure = new Sum()
  const skipped = new Sum()
  const sums = Array.from({ length: components }, () => new Sum())
  const part = new Float64Array(components)
  let nonFinite = 0
  let min = Infinity
  let max = -Infinity
  for (let c = first; c < last; c++) {
    const start = offsets[c]!
    const nNodes = offsets[c + 1]! - start
    for (let i = 0, o = 0; i < nNodes; i++, o += 3) {
      const p = 3 * connectivity[start + i]!
      corners[o] = points[p]!
      corners[o + 1] = points[p + 1]!
      corners[o + 2] = points[p + 2]!
      if (place === 'point') sizes[i] = components === 1 ? values[connectivity[start + i]!]! : magnitude(values, connectivity[start + i]!, components)
    }
    const tets = tetrahedraOf(types[c]!, connectivity, start, pointNumbers)
    let volume = 0
    part.fill(0)
    for (let k = 0; k < tets.length; k += 4) {
      const a = tets[k]!, b = tets[k + 1]!, d = tets[k + 2]!, e = tets[k + 3]!
      const v = tetVolume(corners, a, b, d, e)
      volume += v
      if (place !== 'point') continue
      const quarter = v / 4
      if (components === 1) part[0]! += quarter * (sizes[a]! + sizes[b]! + sizes[d]! + sizes[e]!)
      else addVector(part, quarter, values, components, connectivity[start + a]!, connectivity[start + b]!, connectivity[start + d]!, connectivity[start + e]!)
    }
    if (place === 'cell') {
      for (let i = 0; i < components; i++) part[i] = volume * values[c * components + i]!
      sizes[0] = magnitude(values, c, components)
    }
    let isFinite = true
    for (let i = 0; i < components; i++) if (!(Math.abs(part[i]!) < Infinity)) isFinite = false
    if (!isFinite) {
      nonFinite++
      skipped.add(volume)
      continue
    }
    measure.add(volume)
    for (let i = 0; i < components; i++) sums[i]!.add(part[i]!)
    for (let i = place === 'cell' ? 0 : nNodes - 1; i >= 0; i--) {
      const x = sizes[i]!
      if (x < min) min = x
      if (x > max) max = x
    }
  }
  return { measure: measure.value, skipped: skipped.value, nonFinite, integral: sums.map((s) => s.value), min, max }
}

function addVector(part: Float64Array, weight: number, values: FloatArray, n: number, a: number, b: number, d: number, e: number): void {
  for (let i = 0; i < n; i++) part[i]! += weight * (values[a * n + i]! + values[b * n + i]! + values[d * n + i]! + values[e * n + i]!)
}

/** Signed volume of a tetrahedron of four points. */
export function tetVolume(points: Float64Array | number[], a: number, b: number, c: number, d: number): number {
  const ax = points[3 * a]!, ay = points[3 * a + 1]!, az = points[3 * a + 2]!
  const bx = points[3 * b]! - ax, by = points[3 * b + 1]! - ay, bz = points[3 * b + 2]! - az
  const cx = points[3 * c]! - ax, cy = points[3 * c + 1]! - ay, cz = points[3 * c + 2]! - az
  const dx = points[3 * d]! - ax, dy = points[3 * d + 1]! - ay, dz = points[3 * d + 2]! - az
  return (bx * (cy * dz - cz * dy) + by * (cz * dx - cx * dz) + bz * (cx * dy - cy * dx)) / 6
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
