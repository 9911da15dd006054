/** By which surface something left a mesh: the nearest one. Triangles are sorted when a place is first asked for. */
import { once } from '../once'
import { joinArrays } from '../formats/meshParts'
import { packTriangles, TriangleTree } from '../mesh/TriangleTree'
import { cross, direction, minus, vectorAt } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { triangleCorners } from '../shapes/Shape'
import type { Shape } from '../shapes/Shape'

/** A surface by its name. */
export interface Side {
  name: string
  shape: Shape
}

export class BoundaryNames {
  private readonly sorted: () => Sorted

  /** @param near  a place that is farther off is at none of them */
  constructor(
    surfaces: readonly Side[],
    private readonly near: number,
  ) {
    this.sorted = once(() => sort(surfaces))
  }

  /** The surface at a place with its normal there; undefined where there is none. */
  at(x: number, y: number, z: number): { name: string; normal: Vector; distance: number } | undefined {
    const { tree, order, runs, corners } = this.sorted()
    const { triangle, distance } = tree.nearest(x, y, z, this.near)
    if (triangle < 0) return undefined
    const own = order[triangle]!
    const name = runs.findLast(({ start }) => start <= own)?.name
    return name === undefined ? undefined : { name, normal: normalOf(corners, own), distance }
  }
}

interface Sorted {
  tree: TriangleTree
  corners: Float64Array
  order: Uint32Array
  /** First triangle of each surface. */
  runs: { start: number; name: string }[]
}

function sort(surfaces: readonly Side[]): Sorted {
  const lists: Float64Array[] = []
  const runs: Sorted['runs'] = []
  let start = 0
  for (const { name, shape } of surfaces) {
    runs.push({ start, name })
    for (const piece of shape.pieces) {
      lists.push(triangleCorners(piece))
      start += piece.cells.length
    }
  }
  const corners = joinArrays(Float64Array, lists)
  const order = new Uint32Array(start)
  return { tree: new TriangleTree(packTriangles(corners, order)), corners, order, runs }
}

function normalOf(corners: Float64Array, t: number): Vector {
  const [a, b, c] = [0, 1, 2].map((i) => vectorAt(corners, 3 * t + i)) as [Vector, Vector, Vector]
  return direction(cross(minus(b, a), minus(c, a)))
}
