/** Triangles that are near each other, found by a grid. Memory: some 100 bytes a triangle. */
import type { Vector } from '../mesh/vectors'
import type { Piece } from './Shape'

export type Triangle = [Vector, Vector, Vector]

export function triangleOf({ points, elements }: Piece, e: number): Triangle {
  return [0, 1, 2].map((i) => {
    const p = 3 * elements[3 * e + i]!
    return [points[p]!, points[p + 1]!, points[p + 2]!] as Vector
  }) as Triangle
}

/** Triangles by the cells of a grid that their boxes meet. */
export class TriangleGrid {
  private readonly cells = new Map<string, number[]>()
  private readonly size: number

  constructor(triangles: readonly Triangle[]) {
    const sizes = triangles.map((t) =>
      Math.max(...[0, 1, 2].map((d) => Math.max(...t.map((p) => p[d]!)) - Math.min(...t.map((p) => p[d]!)))),
    )
    this.size = 2 * (sizes.reduce((sum, s) => sum + s, 0) / (sizes.length || 1)) || 1
    triangles.forEach((triangle, t) => {
      for (const key of this.keysOf(triangle)) {
        const list = this.cells.get(key)
        if (list) list.push(t)
        else this.cells.set(key, [t])
      }
    })
  }

  near(triangle: Triangle): Set<number> {
    return new Set([...this.keysOf(triangle)].flatMap((key) => this.cells.get(key) ?? []))
  }

  private *keysOf(triangle: Triangle): Generator<string> {
    const [low, high] = [Math.min, Math.max].map((pick) =>
      [0, 1, 2].map((d) => Math.floor(pick(...triangle.map((p) => p[d]!)) / this.size)),
    )
    for (let i = low![0]!; i <= high![0]!; i++)
      for (let j = low![1]!; j <= high![1]!; j++) for (let k = low![2]!; k <= high![2]!; k++) yield `${i} ${j} ${k}`
  }
}
