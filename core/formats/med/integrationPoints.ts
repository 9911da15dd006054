/** Where the integration points of cells are: a file gives them in a reference cell of its own. */
import { CellType } from '../../mesh/cellTypes'
import type { FloatArray } from '../../mesh/MeshBlock'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { cornerPositions, linearType } from '../../mesh/quadraticCells'
import { hasQuadraticShape, quadraticFunctions } from '../../mesh/quadraticShape'
import { shapeFunctions } from '../../mesh/shapeFunctions'

/** Shape functions at the points of a kind of cell, for each the values of its nodes: (nPoints × nNodes). */
export type IntegrationRule = Float64Array

/** Nodes next to the first one along the axes of the core's unit cells. */
const axisNodes: Record<number, readonly number[]> = {
  [CellType.line]: [1],
  [CellType.triangle]: [1, 2],
  [CellType.quad]: [1, 3],
  [CellType.tetra]: [1, 2, 3],
  [CellType.hexahedron]: [1, 3, 4],
  [CellType.wedge]: [1, 2, 3],
  [CellType.pyramid]: [1, 3, 4],
}
/** Cells in the side t = 0, or the edge s = t = 0, of another have its shape functions. */
const asSideOf: Record<number, number> = {
  [CellType.line]: CellType.hexahedron,
  [CellType.quad]: CellType.hexahedron,
  [CellType.triangle]: CellType.tetra,
}
const TOLERANCE = 1e-6

/**
 * @param type       of the cells, as in `SourceMesh`
 * @param reference  nodes of the reference cell, axis by axis: (nNodes × dimension)
 * @param points     integration points there, axis by axis
 * @returns undefined when the reference cell is of another shape
 */
export function integrationRule(type: number, nNodes: number, reference: FloatArray, points: FloatArray): IntegrationRule | undefined {
  const corners = cornerPositions[linearType(type)]
  const axes = axisNodes[linearType(type)]
  if (!corners || !axes || reference.length !== nNodes * axes.length || points.length % axes.length) return undefined
  const at = (list: FloatArray, i: number): number[] => axes.map((_, d) => list[(d * list.length) / axes.length + i]!)
  const origin = at(reference, 0)
  const edges = axes.map((node) => at(reference, node).map((x, d) => x - origin[d]!))
  const unit = (x: readonly number[]): number[] =>
    solved(
      edges,
      x.map((value, d) => value - origin[d]!),
    )
  const isSameShape = corners.every((corner, i) => unit(at(reference, i)).every((x, d) => Math.abs(x - corner[d]!) < TOLERANCE))
  if (!isSameShape) return undefined
  const nPoints = points.length / axes.length
  const rule = new Float64Array(nPoints * nNodes)
  const weights = new Float64Array(Math.max(nNodes, 8))
  for (let k = 0; k < nPoints; k++) {
    const [r = 0, s = 0, t = 0] = unit(at(points, k))
    if (hasQuadraticShape(type)) quadraticFunctions(type, r, s, t, weights)
    else shapeFunctions(asSideOf[type] ?? type, r, s, t, weights)
    rule.set(weights.subarray(0, nNodes), k * nNodes)
  }
  return rule
}

/** How often each edge makes up a vector, by Cramer's rule; one to three of as many components. */
function solved(edges: readonly (readonly number[])[], vector: readonly number[]): number[] {
  const full = determinant(edges)
  return edges.map((_, i) => determinant(edges.map((edge, j) => (i === j ? vector : edge))) / full)
}

function determinant(rows: readonly (readonly number[])[]): number {
  const [a, b, c] = rows as [number[], number[], number[]]
  if (!b) return a[0]!
  if (!c) return a[0]! * b[1]! - a[1]! * b[0]!
  return a[0]! * (b[1]! * c[2]! - b[2]! * c[1]!) - a[1]! * (b[0]! * c[2]! - b[2]! * c[0]!) + a[2]! * (b[0]! * c[1]! - b[1]! * c[0]!)
}

/** Positions of the points of cells [first, first + n), cell by cell: (3 × n × nPoints). */
export function placedPoints({ points, offsets, connectivity }: SourceMesh, first: number, n: number, rule: IntegrationRule): Float64Array {
  const nNodes = n ? offsets[first + 1]! - offsets[first]! : 1
  const nPoints = rule.length / nNodes
  const out = new Float64Array(3 * n * nPoints)
  for (let c = 0, o = 0; c < n; c++) {
    for (let k = 0; k < nPoints; k++, o += 3) {
      for (let i = 0; i < nNodes; i++) {
        const node = 3 * connectivity[offsets[first + c]! + i]!
        for (let d = 0; d < 3; d++) out[o + d]! += rule[k * nNodes + i]! * points[node + d]!
      }
    }
  }
  return out
}
