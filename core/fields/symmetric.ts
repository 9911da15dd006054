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
  const { values, vectors } = eigenOf(matrix)
  const largest = Math.max(...values)
  out.fill(0)
  values.forEach((value, e) => {
    if (!(value > NOTHING * largest)) return
    for (let i = 0; i < 3; i++) for (let j = i; j < 3; j++) out[PLACE[i]![j]!]! += (vectors[i]![e]! * vectors[j]![e]!) / value
  })
}

/** Eigenvalues, and eigenvectors as columns, by rotations (Jacobi 1846; Golub and Van Loan, "Matrix Computations", 8.5). */
export function eigenOf(matrix: ArrayLike<number>): { values: number[]; vectors: number[][] } {
  const a = [0, 1, 2].map((i) => [0, 1, 2].map((j) => matrix[PLACE[i]![j]!]!))
  const vectors = [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ]
  for (let sweep = 0; sweep < 12; sweep++) {
    for (const [p, q] of [
      [0, 1],
      [1, 2],
      [0, 2],
    ] as const) {
      if (a[p]![q] === 0) continue
      const theta = (a[q]![q]! - a[p]![p]!) / (2 * a[p]![q]!)
      const t = (theta < 0 ? -1 : 1) / (Math.abs(theta) + Math.hypot(theta, 1))
      const cos = 1 / Math.hypot(t, 1)
      const sin = t * cos
      for (const row of a) [row[p], row[q]] = [cos * row[p]! - sin * row[q]!, sin * row[p]! + cos * row[q]!]
      for (let j = 0; j < 3; j++) [a[p]![j], a[q]![j]] = [cos * a[p]![j]! - sin * a[q]![j]!, sin * a[p]![j]! + cos * a[q]![j]!]
      for (const row of vectors) [row[p], row[q]] = [cos * row[p]! - sin * row[q]!, sin * row[p]! + cos * row[q]!]
    }
  }
  return { values: [0, 1, 2].map((i) => a[i]![i]!), vectors }
}
