/**
 * Linear shape functions of the volume cells, and the inverse map by Newton's method.
 *
 * Hexahedron, wedge: products of linear functions; pyramid: the rational functions of Bedrosian (1992), exact for
 * linear fields and conforming on the square base; tetra: barycentric. See Zienkiewicz and Taylor, "The Finite Element
 * Method", chapter on standard element families.
 *
 * Not re-entrant: scratch arrays are shared by all calls of a thread.
 */
import { CellType, cellNodeCount } from './cellTypes'
import type { FloatArray } from './MeshBlock'

/** Eight nodes at most, three derivatives each. */
const derivatives = new Float64Array(24)
const nodes = new Float64Array(24)

/** Newton stops after a step below this: convergence is quadratic, so the remaining error is its square. */
const NEWTON_TOLERANCE = 1e-8
const NEWTON_STEPS = 25
/** Outside by more than this after the first step: a walk need not know better where to go. */
const FAR_OUTSIDE = 0.5
/** How far outside [0, 1] a parametric coordinate may lie and still count as inside: closes rounding gaps. */
export const INSIDE_TOLERANCE = 1e-9

/**
 * Values of the shape functions at parametric coordinates (r, s, t) in the unit cell.
 *
 * @param weights  filled with one value per node; their sum is 1
 */
export function shapeFunctions(type: number, r: number, s: number, t: number, weights: Float64Array): void {
  const w = weights
  switch (type) {
    case CellType.tetra:
      w[0] = 1 - r - s - t
      w[1] = r
      w[2] = s
      w[3] = t
      return
    case CellType.hexahedron: {
      const r0 = 1 - r
      const s0 = 1 - s
      const t0 = 1 - t
      w[0] = r0 * s0 * t0
      w[1] = r * s0 * t0
      w[2] = r * s * t0
      w[3] = r0 * s * t0
      w[4] = r0 * s0 * t
      w[5] = r * s0 * t
      w[6] = r * s * t
      w[7] = r0 * s * t
      return
    }
    case CellType.wedge: {
      const q = 1 - r - s
      w[0] = q * (1 - t)
      w[1] = r * (1 - t)
      w[2] = s * (1 - t)
      w[3] = q * t
      w[4] = r * t
      w[5] = s * t
      return
    }
    case CellType.pyramid: {
      // (r, s) run over the square base shrunk towards the apex: 0 ≤ r, s ≤ 1 - t
      const h = 1 - t
      if (h < 1e-12) {
        w[0] = w[1] = w[2] = w[3] = 0
        w[4] = 1
        return
      }
      w[0] = ((h - r) * (h - s)) / h
      w[1] = (r * (h - s)) / h
      w[2] = (r * s) / h
      w[3] = ((h - r) * s) / h
      w[4] = t
      return
    }
    default:
      throw new Error(`no shape functions for cell type ${type}`)
  }
}

/** @param d  filled with three values per node, along r, s and t */
export function shapeDerivatives(type: number, r: number, s: number, t: number, d: Float64Array): void {
  switch (type) {
    case CellType.tetra:
      d.set([-1, -1, -1, 1, 0, 0, 0, 1, 0, 0, 0, 1])
      return
    case CellType.hexahedron: {
      const r0 = 1 - r
      const s0 = 1 - s
      const t0 = 1 - t
      d[0] = -s0 * t0
      d[1] = -r0 * t0
      d[2] = -r0 * s0
      d[3] = s0 * t0
      d[4] = -r * t0
      d[5] = -r * s0
      d[6] = s * t0
      d[7] = r * t0
      d[8] = -r * s
      d[9] = -s * t0
      d[10] = r0 * t0
      d[11] = -r0 * s
      d[12] = -s0 * t
      d[13] = -r0 * t
      d[14] = r0 * s0
      d[15] = s0 * t
      d[16] = -r * t
      d[17] = r * s0
      d[18] = s * t
      d[19] = r * t
      d[20] = r * s
      d[21] = -s * t
      d[22] = r0 * t
      d[23] = r0 * s
      return
    }
    case CellType.wedge: {
      const q = 1 - r - s
      const t0 = 1 - t
      d[0] = -t0
      d[1] = -t0
      d[2] = -q
      d[3] = t0
      d[4] = 0
      d[5] = -r
      d[6] = 0
      d[7] = t0
      d[8] = -s
      d[9] = -t
      d[10] = -t
      d[11] = q
      d[12] = t
      d[13] = 0
      d[14] = r
      d[15] = 0
      d[16] = t
      d[17] = s
      return
    }
    case CellType.pyramid: {
      const h = Math.max(1 - t, 1e-9)
      const rs = (r * s) / (h * h)
      d[0] = -(h - s) / h
      d[1] = -(h - r) / h
      d[2] = -1 + rs
      d[3] = (h - s) / h
      d[4] = -r / h
      d[5] = -rs
      d[6] = s / h
      d[7] = r / h
      d[8] = rs
      d[9] = -s / h
      d[10] = (h - r) / h
      d[11] = -rs
      d[12] = 0
      d[13] = 0
      d[14] = 1
      return
    }
    default:
      throw new Error(`no shape functions for cell type ${type}`)
  }
}

/**
 * Loads the nodes of one cell for `invertCell`.
 *
 * @returns number of nodes
 */
export function loadCell(type: number, points: FloatArray, connectivity: Uint32Array, start: number): number {
  const n = cellNodeCount[type]!
  for (let i = 0; i < n; i++) {
    const p = 3 * connectivity[start + i]!
    nodes[3 * i] = points[p]!
    nodes[3 * i + 1] = points[p + 1]!
    nodes[3 * i + 2] = points[p + 2]!
  }
  if (type === CellType.hexahedron) loadTrilinear()
  return n
}

/** Coefficients of 1 r s t rs st rt rst for x, y and z of the hexahedron loaded last. */
const trilinear = new Float64Array(24)

function loadTrilinear(): void {
  for (let d = 0, o = 0; d < 3; d++, o += 8) {
    const a = nodes[d]!,
      b = nodes[3 + d]!,
      c = nodes[6 + d]!,
      e = nodes[9 + d]!
    const f = nodes[12 + d]!,
      g = nodes[15 + d]!,
      h = nodes[18 + d]!,
      k = nodes[21 + d]!
    trilinear[o] = a
    trilinear[o + 1] = b - a
    trilinear[o + 2] = e - a
    trilinear[o + 3] = f - a
    trilinear[o + 4] = c - b - e + a
    trilinear[o + 5] = k - e - f + a
    trilinear[o + 6] = g - b - f + a
    trilinear[o + 7] = h - c - g - k + b + e + f - a
  }
}

/** Position less the target, and the nine derivatives by rows x y z, of the hexahedron loaded last. */
const map = new Float64Array(12)

function mapTrilinear(x: number, y: number, z: number, r: number, s: number, t: number): void {
  const q = trilinear
  const rs = r * s,
    st = s * t,
    rt = r * t,
    rst = rs * t
  map[0] = q[0]! + q[1]! * r + q[2]! * s + q[3]! * t + q[4]! * rs + q[5]! * st + q[6]! * rt + q[7]! * rst - x
  map[1] = q[8]! + q[9]! * r + q[10]! * s + q[11]! * t + q[12]! * rs + q[13]! * st + q[14]! * rt + q[15]! * rst - y
  map[2] = q[16]! + q[17]! * r + q[18]! * s + q[19]! * t + q[20]! * rs + q[21]! * st + q[22]! * rt + q[23]! * rst - z
  map[3] = q[1]! + q[4]! * s + q[6]! * t + q[7]! * st
  map[4] = q[2]! + q[4]! * r + q[5]! * t + q[7]! * rt
  map[5] = q[3]! + q[5]! * s + q[6]! * r + q[7]! * rs
  map[6] = q[9]! + q[12]! * s + q[14]! * t + q[15]! * st
  map[7] = q[10]! + q[12]! * r + q[13]! * t + q[15]! * rt
  map[8] = q[11]! + q[13]! * s + q[14]! * r + q[15]! * rs
  map[9] = q[17]! + q[20]! * s + q[22]! * t + q[23]! * st
  map[10] = q[18]! + q[20]! * r + q[21]! * t + q[23]! * rt
  map[11] = q[19]! + q[21]! * s + q[22]! * r + q[23]! * rs
}

function mapByNodes(type: number, x: number, y: number, z: number, r: number, s: number, t: number, weights: Float64Array): void {
  const n = cellNodeCount[type]!
  shapeFunctions(type, r, s, t, weights)
  shapeDerivatives(type, r, s, t, derivatives)
  map.fill(0)
  map[0] = -x
  map[1] = -y
  map[2] = -z
  for (let i = 0, j = 0; i < n; i++, j += 3) {
    for (let d = 0; d < 3; d++) {
      const at = nodes[j + d]!
      map[d]! += weights[i]! * at
      map[3 + 3 * d]! += derivatives[j]! * at
      map[4 + 3 * d]! += derivatives[j + 1]! * at
      map[5 + 3 * d]! += derivatives[j + 2]! * at
    }
  }
}

/**
 * Parametric coordinates of a position in the cell loaded last, by Newton's method.
 *
 * @param parametric  start value on entry, result on return (3)
 * @param weights     filled with the shape functions at the result
 * @param isHasty     gives up after one step that ends well outside: enough to tell a walk which face to cross
 * @returns whether the position lies in the cell (to INSIDE_TOLERANCE); false too when the cell is degenerate
 */
export function invertCell(
  type: number,
  x: number,
  y: number,
  z: number,
  parametric: Float64Array,
  weights: Float64Array,
  isHasty = false,
): boolean {
  const isHexahedron = type === CellType.hexahedron
  let r = parametric[0]!
  let s = parametric[1]!
  let t = parametric[2]!
  for (let step = 0; step < NEWTON_STEPS; step++) {
    if (isHexahedron) mapTrilinear(x, y, z, r, s, t)
    else mapByNodes(type, x, y, z, r, s, t, weights)
    const fx = map[0]!,
      fy = map[1]!,
      fz = map[2]!
    const a = map[3]!,
      b = map[4]!,
      c = map[5]!,
      e = map[6]!,
      f = map[7]!,
      g = map[8]!,
      h = map[9]!,
      k = map[10]!,
      l = map[11]!
    const m0 = f * l - g * k,
      m1 = g * h - e * l,
      m2 = e * k - f * h
    const determinant = a * m0 + b * m1 + c * m2
    if (!(Math.abs(determinant) > 0)) return false
    const q = 1 / determinant
    const stepR = (fx * m0 + fy * (c * k - b * l) + fz * (b * g - c * f)) * q
    const stepS = (fx * m1 + fy * (a * l - c * h) + fz * (c * e - a * g)) * q
    const stepT = (fx * m2 + fy * (b * h - a * k) + fz * (a * f - b * e)) * q
    r -= stepR
    s -= stepS
    t -= stepT
    const outside = Math.max(Math.abs(r - 0.5), Math.abs(s - 0.5), Math.abs(t - 0.5)) - 0.5
    // far outside: report the direction, do not chase a root that is not there
    if (!(outside < 20)) break
    if (isHasty && step === 0 && outside > FAR_OUTSIDE) break
    if (Math.abs(stepR) + Math.abs(stepS) + Math.abs(stepT) < NEWTON_TOLERANCE) break
  }
  parametric[0] = r
  parametric[1] = s
  parametric[2] = t
  if (!isInside(type, r, s, t)) return false
  shapeFunctions(type, r, s, t, weights)
  return true
}

function isInside(type: number, r: number, s: number, t: number): boolean {
  const lo = -INSIDE_TOLERANCE
  const hi = 1 + INSIDE_TOLERANCE
  if (!(r >= lo && s >= lo && t >= lo && t <= hi)) return false
  switch (type) {
    case CellType.tetra:
      return r + s + t <= hi
    case CellType.wedge:
      return r + s <= hi
    case CellType.pyramid:
      return r + t <= hi && s + t <= hi
    default:
      return r <= hi && s <= hi
  }
}
