/**
 * Shape functions of the quadratic cells, integrals over them and the inverse map.
 *
 * Each type is a list of node positions and of as many terms r^i s^j t^k; the functions are the combinations that are one
 * at their node and zero at all others (Zienkiewicz and Taylor, "The Finite Element Method", standard and serendipity
 * families). The pyramid has three further terms over 1 - t, so that its sides fit its neighbours (Bedrosian, 1992).
 * Parametric coordinates are those of `shapeFunctions.ts`.
 *
 * Integrals by three Gauss points along each direction of a cube that is collapsed to the cell: volumes are exact whatever
 * the curvature, quadratic fields on straight-sided cells too.
 *
 * Not re-entrant: scratch arrays are shared by all calls of a thread.
 */
import type { FloatArray } from './MeshBlock'
import { cornerPositions, linearType, quadraticEdges, quadraticDimension, quadraticNodeCount, QuadraticType } from './quadraticCells'
import { CellType } from './cellTypes'

export const MAX_QUADRATIC_NODES = 27

type Position = readonly [number, number, number]

/** Powers of r, s and t, and of 1 / (1 - t). */
type Term = readonly [number, number, number, number]

interface Functions {
  nNodes: number
  terms: readonly Term[]
  /** (nTerms × nNodes) factor of each term in each shape function. */
  factors: Float64Array
}

interface Element extends Functions {
  dimension: number
  rule: Rule
}

/** Gauss points: weights, and at each the shape functions and their derivatives. */
interface Rule {
  weights: Float64Array
  functions: Float64Array
  derivatives: Float64Array
}

const GAUSS: readonly (readonly [number, number])[] = [
  [0.5 - Math.sqrt(0.15), 5 / 18],
  [0.5, 8 / 18],
  [0.5 + Math.sqrt(0.15), 5 / 18],
]

const elements = new Map<number, Element>()

function elementOf(type: number): Element {
  let element = elements.get(type)
  if (!element) elements.set(type, (element = makeElement(type)))
  return element
}

function makeElement(type: number): Element {
  const terms = termsOf(type)
  const positions = nodePositions(type)
  const factors = inverse(positions.map((at) => terms.map((term) => valueOf(term, at))))
  const functions = { nNodes: quadraticNodeCount[type]!, terms, factors }
  return { ...functions, dimension: quadraticDimension(type), rule: ruleOf(type, functions) }
}

/** Whether a type is quadratic and has shape functions here: all but the triangle of seven nodes. */
export function hasQuadraticShape(type: number): boolean {
  return quadraticDimension(type) > 0 && type !== QuadraticType.triangle7
}

/** Every product of powers up to two that `isIn`. */
function powers(isIn: (i: number, j: number, k: number) => boolean): Term[] {
  const list: Term[] = []
  for (let k = 0; k < 3; k++) for (let j = 0; j < 3; j++) for (let i = 0; i < 3; i++) if (isIn(i, j, k)) list.push([i, j, k, 0])
  return list
}

/** Powers above one count together: two at most in a serendipity cell (Arnold and Awanou, 2011). */
const superlinear = (...exponents: number[]): number => exponents.reduce((sum, e) => sum + (e > 1 ? e : 0), 0)

function termsOf(type: number): Term[] {
  switch (type) {
    case QuadraticType.line3:
      return powers((_, j, k) => j === 0 && k === 0)
    case QuadraticType.triangle6:
      return powers((i, j, k) => k === 0 && i + j <= 2)
    case QuadraticType.quad8:
      return powers((i, j, k) => k === 0 && superlinear(i, j) <= 2)
    case QuadraticType.quad9:
      return powers((_, __, k) => k === 0)
    case QuadraticType.tetra10:
      return powers((i, j, k) => i + j + k <= 2)
    case QuadraticType.hexahedron20:
      return powers((i, j, k) => superlinear(i, j, k) <= 2)
    case QuadraticType.hexahedron27:
      return powers(() => true)
    case QuadraticType.wedge15:
      return powers((i, j, k) => i + j <= 2 && (k < 2 || i + j <= 1))
    case QuadraticType.wedge18:
      return powers((i, j) => i + j <= 2)
    case QuadraticType.pyramid13:
      return [...powers((i, j, k) => i + j + k <= 2), [1, 1, 0, 1], [2, 1, 0, 1], [1, 2, 0, 1]]
    default:
      throw new Error(`no quadratic shape functions for cell type ${type}`)
  }
}

/** Nodes in the middle of these corners, behind those of the edges. */
const middles: Record<number, readonly (readonly number[])[]> = {
  [QuadraticType.quad9]: [[0, 1, 2, 3]],
  [QuadraticType.hexahedron27]: [
    [0, 3, 7, 4],
    [1, 2, 6, 5],
    [0, 1, 5, 4],
    [3, 2, 6, 7],
    [0, 1, 2, 3],
    [4, 5, 6, 7],
    [0, 1, 2, 3, 4, 5, 6, 7],
  ],
  [QuadraticType.wedge18]: [
    [0, 1, 4, 3],
    [1, 2, 5, 4],
    [2, 0, 3, 5],
  ],
}

/** Parametric coordinates of all nodes. */
export function nodePositions(type: number): Position[] {
  const corners = cornerPositions[linearType(type)]!
  const lists = [...quadraticEdges[linearType(type)]!, ...(middles[type] ?? [])]
  return [...corners, ...lists.map((list) => meanPosition(list.map((corner) => corners[corner]!)))] as Position[]
}

function meanPosition(list: readonly (readonly number[])[]): Position {
  return [0, 1, 2].map((d) => list.reduce((sum, at) => sum + at[d]!, 0) / list.length) as unknown as Position
}

/** Shape functions where a point is added to the cell: at the mean of its midside nodes. */
export function centreWeights(type: number): Float64Array {
  const mids = nodePositions(type).slice(cornerPositions[linearType(type)]!.length)
  const weights = new Float64Array(quadraticNodeCount[type]!)
  quadraticFunctions(type, ...meanPosition(mids), weights)
  return weights
}

function valueOf([i, j, k, over]: Term, [r, s, t]: Position): number {
  // the terms over 1 - t vanish at the apex
  if (over && t === 1) return 0
  return r ** i * s ** j * t ** k * (over ? 1 / (1 - t) : 1)
}

/** Inverse of a square matrix given by rows, by Gauss and Jordan with pivots; laid out by rows. */
function inverse(rows: readonly (readonly number[])[]): Float64Array {
  const n = rows.length
  const a = rows.map((row, i) => [...row, ...Array.from({ length: n }, (_, j) => Number(i === j))])
  for (let c = 0; c < n; c++) {
    let pivot = c
    for (let r = c + 1; r < n; r++) if (Math.abs(a[r]![c]!) > Math.abs(a[pivot]![c]!)) pivot = r
    ;[a[c], a[pivot]] = [a[pivot]!, a[c]!]
    const own = a[c]!.map((x) => x / a[c]![c]!)
    a[c] = own
    for (let r = 0; r < n; r++) {
      const factor = a[r]![c]!
      if (r !== c && factor !== 0) a[r] = a[r]!.map((x, i) => x - factor * own[i]!)
    }
  }
  return Float64Array.from(a.flatMap((row) => row.slice(n)))
}

/** Terms and their derivatives where they were evaluated last. */
const terms = new Float64Array(4 * MAX_QUADRATIC_NODES)

function evaluateTerms(list: readonly Term[], r: number, s: number, t: number): void {
  const h = 1 - t
  const q = h > 1e-12 ? 1 / h : 0
  for (let j = 0, o = 0; j < list.length; j++, o += 4) {
    const [a, b, c, over] = list[j]!
    const u = power(r, a),
      v = power(s, b),
      w = power(t, c)
    const f = over ? q : 1
    terms[o] = u * v * w * f
    terms[o + 1] = slope(r, a) * v * w * f
    terms[o + 2] = u * slope(s, b) * w * f
    terms[o + 3] = u * v * slope(t, c) * f + (over ? u * v * w * q * q : 0)
  }
}

function power(x: number, n: number): number {
  return n === 0 ? 1 : n === 1 ? x : x * x
}

function slope(x: number, n: number): number {
  return n === 0 ? 0 : n === 1 ? 1 : 2 * x
}

/** @param weights  filled with one value per node; their sum is 1 */
export function quadraticFunctions(type: number, r: number, s: number, t: number, weights: Float64Array): void {
  const element = elementOf(type)
  evaluateTerms(element.terms, r, s, t)
  combine(element, 0, weights, 1, 0)
}

/** @param derivatives  filled with three values per node, along r, s and t */
export function quadraticDerivatives(type: number, r: number, s: number, t: number, derivatives: Float64Array): void {
  const element = elementOf(type)
  evaluateTerms(element.terms, r, s, t)
  for (let d = 0; d < 3; d++) combine(element, d + 1, derivatives, 3, d)
}

function combine({ nNodes, factors }: Functions, which: number, out: Float64Array, stride: number, at: number): void {
  for (let i = 0; i < nNodes; i++) {
    let sum = 0
    for (let j = 0; j < nNodes; j++) sum += factors[j * nNodes + i]! * terms[4 * j + which]!
    out[stride * i + at] = sum
  }
}

function ruleOf(type: number, element: Functions): Rule {
  const at = gaussPoints(linearType(type))
  const { nNodes } = element
  const rule = {
    weights: new Float64Array(at.length),
    functions: new Float64Array(at.length * nNodes),
    derivatives: new Float64Array(3 * at.length * nNodes),
  }
  at.forEach(([r, s, t, weight], g) => {
    rule.weights[g] = weight
    evaluateTerms(element.terms, r, s, t)
    combine(element, 0, rule.functions.subarray(g * nNodes), 1, 0)
    for (let d = 0; d < 3; d++) combine(element, d + 1, rule.derivatives.subarray(3 * g * nNodes), 3, d)
  })
  return rule
}

/** r, s, t and weight: a cube of Gauss points, collapsed along an edge or to a corner where the cell is. */
function gaussPoints(linear: number): [number, number, number, number][] {
  const list: [number, number, number, number][] = []
  const one = [[0, 1]] as const
  const along = (isUsed: boolean): readonly (readonly [number, number])[] => (isUsed ? GAUSS : one)
  const dimension = linear === CellType.line ? 1 : linear === CellType.triangle || linear === CellType.quad ? 2 : 3
  for (const [a, u] of GAUSS)
    for (const [b, v] of along(dimension > 1))
      for (const [c, w] of along(dimension > 2)) {
        const weight = u * v * w
        switch (linear) {
          case CellType.triangle:
          case CellType.wedge:
            list.push([a * (1 - b), b, c, weight * (1 - b)])
            break
          case CellType.tetra:
            list.push([a * (1 - b) * (1 - c), b * (1 - c), c, weight * (1 - b) * (1 - c) ** 2])
            break
          case CellType.pyramid:
            list.push([a * (1 - c), b * (1 - c), c, weight * (1 - c) ** 2])
            break
          default:
            list.push([a, b, c, weight])
        }
      }
  return list
}

const jacobian = new Float64Array(9)

/** Fills `jacobian`, by rows x y z: derivatives of the position along r, s and t. */
function loadJacobian(
  points: FloatArray,
  nodes: Uint32Array,
  start: number,
  nNodes: number,
  derivatives: Float64Array,
  from: number,
): void {
  jacobian.fill(0)
  for (let i = 0, o = from; i < nNodes; i++, o += 3) {
    const p = 3 * nodes[start + i]!
    const dr = derivatives[o]!,
      ds = derivatives[o + 1]!,
      dt = derivatives[o + 2]!
    for (let d = 0, k = 0; d < 3; d++, k += 3) {
      const x = points[p + d]!
      jacobian[k]! += dr * x
      jacobian[k + 1]! += ds * x
      jacobian[k + 2]! += dt * x
    }
  }
}

/** Growth of volume, area or length where `jacobian` was loaded. */
function growth(dimension: number): number {
  const [a, b, c, e, f, g, h, k, l] = jacobian as unknown as [number, number, number, number, number, number, number, number, number]
  if (dimension === 3) return a * (f * l - g * k) - b * (e * l - g * h) + c * (e * k - f * h)
  if (dimension === 2) return Math.hypot(e * k - h * f, h * b - a * k, a * f - e * b)
  return Math.hypot(a, e, h)
}

/**
 * Integrals of the shape functions over a cell: the share of its volume, area or length that each node carries.
 *
 * @param nodes   point numbers; those of the cell begin at `start`
 * @param shares  filled with one value per node; their sum is the size of the cell
 * @returns the size; a volume cell of the other hand counts as its mirror image
 */
export function quadraticShares(type: number, points: FloatArray, nodes: Uint32Array, start: number, shares: Float64Array): number {
  const { dimension, nNodes, rule } = elementOf(type)
  shares.fill(0, 0, nNodes)
  let size = 0
  for (let g = 0; g < rule.weights.length; g++) {
    loadJacobian(points, nodes, start, nNodes, rule.derivatives, 3 * g * nNodes)
    const weight = rule.weights[g]! * growth(dimension)
    size += weight
    for (let i = 0; i < nNodes; i++) shares[i]! += weight * rule.functions[g * nNodes + i]!
  }
  if (size >= 0) return size
  for (let i = 0; i < nNodes; i++) shares[i] = -shares[i]!
  return -size
}

/** Parametric coordinates that `invertQuadratic` found last. */
export const quadraticPosition = new Float64Array(3)

const derivatives = new Float64Array(3 * MAX_QUADRATIC_NODES)
const NEWTON_STEPS = 25
const NEWTON_TOLERANCE = 1e-10

/**
 * Shape functions of a volume cell at a position, by Newton's method from its middle.
 *
 * @param weights  filled with one value per node
 * @returns how far outside the cell the position lies, in parametric coordinates; Infinity when it was not found
 */
export function invertQuadratic(
  type: number,
  points: FloatArray,
  nodes: Uint32Array,
  start: number,
  x: number,
  y: number,
  z: number,
  weights: Float64Array,
): number {
  const linear = linearType(type)
  const { nNodes } = elementOf(type)
  quadraticPosition.fill(NaN)
  let [r, s, t] = meanPosition(cornerPositions[linear]!)
  for (let step = 0; step < NEWTON_STEPS; step++) {
    quadraticFunctions(type, r, s, t, weights)
    quadraticDerivatives(type, r, s, t, derivatives)
    loadJacobian(points, nodes, start, nNodes, derivatives, 0)
    let fx = -x,
      fy = -y,
      fz = -z
    for (let i = 0; i < nNodes; i++) {
      const p = 3 * nodes[start + i]!
      fx += weights[i]! * points[p]!
      fy += weights[i]! * points[p + 1]!
      fz += weights[i]! * points[p + 2]!
    }
    const determinant = growth(3)
    if (!(Math.abs(determinant) > 0)) return Infinity
    const [a, b, c, e, f, g, h, k, l] = jacobian as unknown as [number, number, number, number, number, number, number, number, number]
    const dr = ((f * l - g * k) * fx + (c * k - b * l) * fy + (b * g - c * f) * fz) / determinant
    const ds = ((g * h - e * l) * fx + (a * l - c * h) * fy + (c * e - a * g) * fz) / determinant
    const dt = ((e * k - f * h) * fx + (b * h - a * k) * fy + (a * f - b * e) * fz) / determinant
    r -= dr
    s -= ds
    t = linear === CellType.pyramid ? Math.min(t - dt, 1) : t - dt
    if (!(Math.abs(r) + Math.abs(s) + Math.abs(t) < 20)) return Infinity
    if (Math.abs(dr) + Math.abs(ds) + Math.abs(dt) < NEWTON_TOLERANCE) {
      quadraticFunctions(type, r, s, t, weights)
      quadraticPosition.set([r, s, t])
      return outside(linear, r, s, t)
    }
  }
  return Infinity
}

function outside(linear: number, r: number, s: number, t: number): number {
  const low = Math.max(-r, -s, -t)
  switch (linear) {
    case CellType.tetra:
      return Math.max(low, r + s + t - 1)
    case CellType.wedge:
      return Math.max(low, r + s - 1, t - 1)
    case CellType.pyramid:
      return Math.max(low, r + t - 1, s + t - 1)
    default:
      return Math.max(low, r - 1, s - 1, t - 1)
  }
}
