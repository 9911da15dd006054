/**
 * Gradients of point values in volume cells, by the derivatives of the cells' shape functions.
 *
 * Linear cells: at their middle (Zienkiewicz and Taylor, "The Finite Element Method", isoparametric elements). Pieces of
 * quadratic cells: by the functions of the whole cell at the middle of the piece. Exact for linear fields on every cell type,
 * for quadratic ones on quadratic cells with straight sides. O(nodes).
 *
 * Not re-entrant: scratch arrays are shared by all calls of a thread.
 */
import { CellType, cellNodeCount } from '../mesh/cellTypes'
import { wholesOf } from '../mesh/MeshBlock'
import type { FloatArray, MeshBlock } from '../mesh/MeshBlock'
import { invertQuadratic, MAX_QUADRATIC_NODES, quadraticDerivatives, quadraticPosition } from '../mesh/quadraticShape'
import { shapeDerivatives } from '../mesh/shapeFunctions'

/** Middle of each linear type in parametric coordinates: the mean of its nodes. */
const middles: Record<number, readonly [number, number, number]> = {
  [CellType.tetra]: [1 / 4, 1 / 4, 1 / 4],
  [CellType.hexahedron]: [1 / 2, 1 / 2, 1 / 2],
  [CellType.wedge]: [1 / 3, 1 / 3, 1 / 2],
  [CellType.pyramid]: [2 / 5, 2 / 5, 1 / 5],
}

const linear = new Map<number, Float64Array>()
for (const [type, [r, s, t]] of Object.entries(middles)) {
  const derivatives = new Float64Array(3 * cellNodeCount[Number(type)]!)
  shapeDerivatives(Number(type), r, s, t, derivatives)
  linear.set(Number(type), derivatives)
}

const quadratic = new Float64Array(3 * MAX_QUADRATIC_NODES)
const weights = new Float64Array(MAX_QUADRATIC_NODES)
const jacobian = new Float64Array(9)
const inverse = new Float64Array(9)

/**
 * @param values  (components × nPoints) at the points of the block
 * @returns (3 × components × nCells): of each component its slopes along x, y and z, in the values' unit over the block's length
 *          unit; not-a-number in cells without volume
 */
export function cellGradients(mesh: MeshBlock, values: FloatArray, components: number): Float64Array {
  const { types, offsets, connectivity, points } = mesh
  const whole = wholesOf(mesh)
  const out = new Float64Array(3 * components * types.length)
  for (let c = 0; c < types.length; c++) {
    const q = whole ? whole.wholeOf[c]! : -1
    if (q >= 0) {
      const start = whole!.wholeOffsets[q]!
      const type = whole!.wholeTypes[q]!
      const [x, y, z] = middleOf(mesh, c)
      invertQuadratic(type, points, whole!.wholeNodes, start, x, y, z, weights)
      quadraticDerivatives(type, quadraticPosition[0]!, quadraticPosition[1]!, quadraticPosition[2]!, quadratic)
      slopes(points, whole!.wholeNodes, start, whole!.wholeOffsets[q + 1]! - start, quadratic, values, components, out, 3 * components * c)
    } else {
      const start = offsets[c]!
      slopes(points, connectivity, start, offsets[c + 1]! - start, linear.get(types[c]!)!, values, components, out, 3 * components * c)
    }
  }
  return out
}

function middleOf({ points, offsets, connectivity }: MeshBlock, c: number): [number, number, number] {
  let x = 0,
    y = 0,
    z = 0
  const n = offsets[c + 1]! - offsets[c]!
  for (let i = offsets[c]!; i < offsets[c + 1]!; i++) {
    const p = 3 * connectivity[i]!
    x += points[p]! / n
    y += points[p + 1]! / n
    z += points[p + 2]! / n
  }
  return [x, y, z]
}

function slopes(
  points: FloatArray,
  nodes: Uint32Array,
  start: number,
  n: number,
  derivatives: Float64Array,
  values: FloatArray,
  components: number,
  out: Float64Array,
  at: number,
): void {
  jacobian.fill(0)
  for (let i = 0; i < n; i++) {
    const p = 3 * nodes[start + i]!
    for (let d = 0; d < 3; d++) for (let k = 0; k < 3; k++) jacobian[3 * d + k]! += points[p + d]! * derivatives[3 * i + k]!
  }
  invert()
  for (let component = 0; component < components; component++) {
    let r = 0,
      s = 0,
      t = 0
    for (let i = 0; i < n; i++) {
      const value = values[nodes[start + i]! * components + component]!
      r += value * derivatives[3 * i]!
      s += value * derivatives[3 * i + 1]!
      t += value * derivatives[3 * i + 2]!
    }
    for (let d = 0; d < 3; d++) out[at + 3 * component + d] = r * inverse[d]! + s * inverse[3 + d]! + t * inverse[6 + d]!
  }
}

/** Fills `inverse`, not-a-number where `jacobian` has none: rows r s t, columns x y z. */
function invert(): void {
  const [a, b, c, d, e, f, g, h, k] = jacobian as unknown as [number, number, number, number, number, number, number, number, number]
  const determinant = a * (e * k - f * h) - b * (d * k - f * g) + c * (d * h - e * g)
  const factor = determinant === 0 ? NaN : 1 / determinant
  inverse[0] = (e * k - f * h) * factor
  inverse[1] = (c * h - b * k) * factor
  inverse[2] = (b * f - c * e) * factor
  inverse[3] = (f * g - d * k) * factor
  inverse[4] = (a * k - c * g) * factor
  inverse[5] = (c * d - a * f) * factor
  inverse[6] = (d * h - e * g) * factor
  inverse[7] = (b * g - a * h) * factor
  inverse[8] = (a * e - b * d) * factor
}

/** Trace of the gradient of a vector, by cell. */
export function divergence(gradients: Float64Array): Float64Array {
  const out = new Float64Array(gradients.length / 9)
  for (let c = 0; c < out.length; c++) out[c] = gradients[9 * c]! + gradients[9 * c + 4]! + gradients[9 * c + 8]!
  return out
}

/** Curl from the gradient of a vector, by cell. */
export function curl(gradients: Float64Array): Float64Array {
  const out = new Float64Array(gradients.length / 3)
  for (let c = 0; c < gradients.length / 9; c++) {
    const g = 9 * c
    out[3 * c] = gradients[g + 7]! - gradients[g + 5]!
    out[3 * c + 1] = gradients[g + 2]! - gradients[g + 6]!
    out[3 * c + 2] = gradients[g + 3]! - gradients[g + 1]!
  }
  return out
}
