/** Symmetric 3 × 3 matrices, in the order xx yy zz xy yz xz. */

/** Parts of the largest eigenvalue below which a direction counts as not there. */
const NOTHING = 1e-8
/** A determinant so small, over the cube of the mean diagonal, is left to the eigenvectors. */
const DOUBTFUL = 1e-4

/** Fills `out` with the inverse; directions that the matrix does not know stay 0 (Moore and Penrose). */
export function inverseOfSymmetric(matrix: Float64Array, out: Float64Array): void {
  const [xx, yy, zz, xy, yz, xz] = matrix as unknown as [number, number, number, number, number, number]
  const a = yy * zz - yz * yz
  const b = xz * yz - xy * zz
  const c = xy * yz - yy * xz
  const determinant = xx * a + xy * b + xz * c
  const scale = (xx + yy + zz) / 3
  if (!(determinant > DOUBTFUL * scale ** 3)) {
    pseudoInverse(matrix, out)
    return
  }
  out[0] = a / determinant
  out[1] = (xx * zz - xz * xz) / determinant
  out[2] = (xx * yy - xy * xy) / determinant
  out[3] = b / determinant
  out[4] = (xy * xz - xx * yz) / determinant
  out[5] = c / determinant
}

/** Index of row i and column j. */
const PLACE = [
  [0, 3, 5],
  [3, 1, 4],
  [5, 4, 2],
] as const

function pseudoInverse(matrix: Float64Array, out: Float64Array): void {
  const [xx, yy, zz, xy, yz, xz] = matrix as unknown as [number, number, number, number, number, number]
  const own = principalOf(xx, yy, zz, xy, yz, xz)
  const largest = own[0]!
  out.fill(0)
  for (let e = 0; e < 3; e++) {
    const value = own[e]!
    if (!(value > NOTHING * largest)) continue
    const v = 3 + 3 * e
    for (let i = 0; i < 3; i++) for (let j = i; j < 3; j++) out[PLACE[i]![j]!]! += (own[v + i]! * own[v + j]!) / value
  }
}

const rotated = new Float64Array(9)
const turned = new Float64Array(9)
const found = new Float64Array(12)
/** Pairs of rows that are turned against each other. */
const PAIRS = [0, 1, 1, 2, 0, 2] as const

/**
 * Principal values and directions of one tensor after the other, without making anything new: by rotations (Jacobi 1846; Golub and Van
 * Loan, "Matrix Computations", 8.5).
 *
 * @returns three values from the largest down, then the unit vectors along them, the largest component of each positive; overwritten by the
 *          next call
 */
export function principalOf(xx: number, yy: number, zz: number, xy: number, yz: number, xz: number): Float64Array {
  const [a, v] = [rotated, turned]
  a[0] = xx
  a[4] = yy
  a[8] = zz
  a[1] = a[3] = xy
  a[5] = a[7] = yz
  a[2] = a[6] = xz
  v.fill(0)
  v[0] = v[4] = v[8] = 1
  const small = 1e-30 * (a[0] * a[0] + a[4] * a[4] + a[8] * a[8])
  for (let sweep = 0; sweep < 12; sweep++) {
    const off = a[1] ** 2 + a[2] ** 2 + a[5] ** 2
    if (Number.isNaN(off + small)) return found.fill(NaN)
    if (off <= small) break
    for (let k = 0; k < 6; k += 2) rotate(PAIRS[k]!, PAIRS[k + 1]!)
  }
  sortInto(found)
  return found
}

function rotate(p: number, q: number): void {
  const [a, v] = [rotated, turned]
  const off = a[3 * p + q]!
  if (off === 0) return
  const theta = (a[4 * q]! - a[4 * p]!) / (2 * off)
  const t = (theta < 0 ? -1 : 1) / (Math.abs(theta) + Math.hypot(theta, 1))
  const cos = 1 / Math.hypot(t, 1)
  const sin = t * cos
  for (let i = 0; i < 3; i++) {
    const [x, y] = [a[3 * i + p]!, a[3 * i + q]!]
    a[3 * i + p] = cos * x - sin * y
    a[3 * i + q] = sin * x + cos * y
  }
  for (let j = 0; j < 3; j++) {
    const [x, y] = [a[3 * p + j]!, a[3 * q + j]!]
    a[3 * p + j] = cos * x - sin * y
    a[3 * q + j] = sin * x + cos * y
  }
  for (let i = 0; i < 3; i++) {
    const [x, y] = [v[3 * i + p]!, v[3 * i + q]!]
    v[3 * i + p] = cos * x - sin * y
    v[3 * i + q] = sin * x + cos * y
  }
}

/** From the largest down. */
function sortInto(out: Float64Array): void {
  const [x, y, z] = [rotated[0]!, rotated[4]!, rotated[8]!]
  let [i, j, k] = [0, 1, 2]
  if (x < y) [i, j] = [1, 0]
  const [largest, other] = [Math.max(x, y), Math.min(x, y)]
  if (z > largest) [i, j, k] = [2, i, j]
  else if (z > other) [j, k] = [2, j]
  for (let n = 0; n < 3; n++) {
    const e = n === 0 ? i : n === 1 ? j : k
    out[n] = rotated[4 * e]!
    const [vx, vy, vz] = [turned[e]!, turned[3 + e]!, turned[6 + e]!]
    const most = Math.abs(vx) >= Math.abs(vy) && Math.abs(vx) >= Math.abs(vz) ? vx : Math.abs(vy) >= Math.abs(vz) ? vy : vz
    const sign = most < 0 ? -1 : 1
    out[3 + 3 * n] = sign * vx
    out[4 + 3 * n] = sign * vy
    out[5 + 3 * n] = sign * vz
  }
}
