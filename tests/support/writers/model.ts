/** One small case that is written in every format: a box of hexahedra in water, with fields known in closed form. */
import type { Position } from '../meshes'

export interface Model {
  points: Position[]
  /** Corners of each hexahedron. */
  cells: number[][]
  /** Quads of named boundaries, wound out of the box. */
  patches: { name: string; faces: number[][] }[]
  /** At the points. */
  temperature: number[]
  velocity: Position[]
  /** At the cells. */
  pressure: number[]
  /** xx yy zz xy yz xz at the points. */
  stress: number[][]
}

export const SIZE: Position = [2, 1, 0.5]
export const COUNTS: Position = [4, 3, 2]

/** Means over the box: what `measure` must say whatever the format. */
export const EXACT = { volume: 1, temperature: 290 + 1 + 1 - 0.25, outflow: 0.5 * (1 + 2 * 2), pressure: 100, inletArea: 0.5 }

export const temperatureAt = ([x, y, z]: Position): number => 290 + x + 2 * y - z
export const velocityAt = ([x, y]: Position): Position => [1 + 2 * x, y, 0]
export const stressAt = ([x, y, z]: Position): number[] => [x, y, z, x + y, y + z, x + z]

export function boxModel(): Model {
  const [nx, ny, nz] = COUNTS
  const points: Position[] = []
  for (let k = 0; k <= nz; k++)
    for (let j = 0; j <= ny; j++) for (let i = 0; i <= nx; i++) points.push([(SIZE[0] * i) / nx, (SIZE[1] * j) / ny, (SIZE[2] * k) / nz])
  const at = (i: number, j: number, k: number): number => (k * (ny + 1) + j) * (nx + 1) + i
  const cells: number[][] = []
  const inlet: number[][] = []
  const outlet: number[][] = []
  const walls: number[][] = []
  for (let k = 0; k < nz; k++)
    for (let j = 0; j < ny; j++)
      for (let i = 0; i < nx; i++) {
        const c = [
          at(i, j, k),
          at(i + 1, j, k),
          at(i + 1, j + 1, k),
          at(i, j + 1, k),
          at(i, j, k + 1),
          at(i + 1, j, k + 1),
          at(i + 1, j + 1, k + 1),
          at(i, j + 1, k + 1),
        ] as const
        cells.push([...c])
        const quad = (list: number[][], a: number, b: number, d: number, e: number): number => list.push([c[a]!, c[b]!, c[d]!, c[e]!])
        if (i === 0) quad(inlet, 0, 4, 7, 3)
        if (i === nx - 1) quad(outlet, 1, 2, 6, 5)
        if (j === 0) quad(walls, 0, 1, 5, 4)
        if (j === ny - 1) quad(walls, 3, 7, 6, 2)
        if (k === 0) quad(walls, 0, 3, 2, 1)
        if (k === nz - 1) quad(walls, 4, 5, 6, 7)
      }
  return {
    points,
    cells,
    patches: [
      { name: 'Inlet', faces: inlet },
      { name: 'Outlet', faces: outlet },
      { name: 'Walls', faces: walls },
    ],
    temperature: points.map(temperatureAt),
    velocity: points.map(velocityAt),
    stress: points.map(stressAt),
    // linear in x: the mean over the box is the value in its middle
    pressure: cells.map((cell) => 90 + 10 * (cell.reduce((sum, p) => sum + points[p]![0], 0) / cell.length)),
  }
}
