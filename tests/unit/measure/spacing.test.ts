/** Spacings of even lattices are their steps. */
import { expect, it } from 'vitest'
import type { Box } from '../../../core/mesh/MeshBlock'
import { drawnLine, drawnPoints } from '../../../core/shapes/drawnLine'
import { spacingIn, spacingOfShape } from '../../../core/measure/spacing'
import type { Vector } from '../../../core/mesh/vectors'

const lattice = (n: number): Vector[] =>
  Array.from({ length: n ** 3 }, (_, i) => [i % n, Math.floor(i / n) % n, Math.floor(i / n / n)].map((c) => 0.5 * c) as Vector)

it('of points that fill a box, about, and of a line exactly', () => {
  expect(spacingOfShape({ kind: 'points', pieces: [drawnPoints(lattice(20))] })).toBeCloseTo(0.5 * (19 / 20), 9)
  const line = drawnLine(
    [0, 1, 2, 4].map((x): Vector => [x, 2 * x, -x]),
    false,
  )
  expect(spacingOfShape({ kind: 'lines', pieces: [line] })).toBeCloseTo((4 * Math.sqrt(6)) / 3, 9)
})

it.each<[string, number[][], number, number]>([
  ['a cube', [[0, 0, 0, 2, 2, 2]], 64, 0.5],
  [
    'two boxes',
    [
      [0, 0, 0, 1, 1, 1],
      [5, 5, 5, 6, 6, 6],
    ],
    16,
    0.5,
  ],
  ['a flat box', [[0, 0, 3, 4, 1, 3]], 16, 0.5],
  ['a length', [[1, 2, 3, 1, 2, 8]], 10, 0.5],
  ['one cell', [[0, 0, 0, 1, 1, 1]], 1, NaN],
  ['one place', [[1, 1, 1, 1, 1, 1]], 4, NaN],
])('of %s', (_, boxes, n, spacing) =>
  expect(spacingIn(boxes as unknown as Box[], n)).toEqual(Number.isNaN(spacing) ? NaN : expect.closeTo(spacing, 9)),
)
