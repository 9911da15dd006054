/** The reference's own mesh and fields, made here, for benches without a compiler. See the reference's README. */
import { CellType } from '../core/mesh/cellTypes'
import type { BenchMesh } from './benchMesh'

const { sin, cos, PI } = Math

/** 2n × n × n/2 skewed hexahedra, n the even number nearest to the cube root of `cells`. */
export function boxMesh(cells: number): BenchMesh {
  const n = Math.max(2, 2 * Math.round(Math.cbrt(cells) / 2))
  const [nx, ny, nz] = [2 * n, n, n / 2]
  const nPoints = (nx + 1) * (ny + 1) * (nz + 1)
  const points = new Float32Array(3 * nPoints)
  const T = new Float32Array(nPoints)
  const U = new Float32Array(3 * nPoints)
  let p = 0
  for (let k = 0; k <= nz; k++) {
    for (let j = 0; j <= ny; j++) {
      for (let i = 0; i <= nx; i++, p++) {
        const [a, b, c] = [(2 * i) / nx, j / ny, (0.5 * k) / nz]
        const sine = (angle: number, at: number, last: number): number => (at === 0 || at === last ? 0 : sin(angle))
        points[3 * p] = a + 0.03 * sine(PI * a, i, nx) * cos(PI * b) * cos(2 * PI * c)
        points[3 * p + 1] = b + 0.025 * sine(PI * b, j, ny) * cos(PI * a) * cos(2 * PI * c)
        points[3 * p + 2] = c + 0.015 * sine(2 * PI * c, k, nz) * cos(PI * a) * cos(PI * b)
        const [x, y, z] = [points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!]
        T[p] = 300 + 20 * x + 25 * sin(PI * y) * sin(2 * PI * z) + 15 * sin(2 * PI * x) * sin(PI * y) * cos(2 * PI * z)
        U[3 * p] = 0.8 + 0.4 * y + 0.5 * sin(PI * y) * sin(2 * PI * z) + 0.1 * PI * cos(PI * x) * cos(PI * y)
        U[3 * p + 1] = 0.3 * PI * sin(PI * y) * cos(2 * PI * z) + 0.1 * PI * sin(PI * x) * sin(PI * y)
        U[3 * p + 2] = -0.15 * PI * cos(PI * y) * sin(2 * PI * z)
      }
    }
  }
  const nCells = nx * ny * nz
  const connectivity = new Uint32Array(8 * nCells)
  const offsets = new Uint32Array(nCells + 1)
  let c = 0
  for (let k = 0; k < nz; k++) {
    for (let j = 0; j < ny; j++) {
      for (let i = 0; i < nx; i++, c++) {
        const at = (di: number, dj: number, dk: number): number => ((k + dk) * (ny + 1) + j + dj) * (nx + 1) + i + di
        connectivity.set([at(0, 0, 0), at(1, 0, 0), at(1, 1, 0), at(0, 1, 0), at(0, 0, 1), at(1, 0, 1), at(1, 1, 1), at(0, 1, 1)], 8 * c)
        offsets[c + 1] = 8 * (c + 1)
      }
    }
  }
  const cellNumbers = Uint32Array.from({ length: nCells }, (_, i) => i)
  const types = new Uint8Array(nCells).fill(CellType.hexahedron)
  return { mesh: { points, types, offsets, connectivity, cellNumbers, mirrored: 0 }, T, U }
}
