/** By which surface something left a mesh: the nearest one. */
import { joinArrays } from '../formats/meshParts'
import { packTriangles, TriangleTree } from '../mesh/TriangleTree'
import { cross, direction } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import type { Shape } from '../shapes/Shape'

/** A surface by its name. */
export interface Side {
  name: string
  shape: Shape
}

export class BoundaryNames {
  private readonly tree: TriangleTree
  private readonly corners: Float64Array
  private readonly order: Uint32Array
  /** First triangle of each run of a surface. */
  private readonly runs: { start: number; name: string }[] = []

  /** @param near  a place that is farther off is at none of them */
  constructor(
    surfaces: readonly Side[],
    private readonly near: number,
  ) {
    const corners: Float64Array[] = []
    let start = 0
    for (const { name, shape } of surfaces) {
      this.runs.push({ start, name })
      for (const { points, elements } of shape.pieces) {
        corners.push(Float64Array.from({ length: 3 * elements.length }, (_, i) => points[3 * elements[Math.floor(i / 3)]! + (i % 3)]!))
        start += elements.length / 3
      }
    }
    this.corners = joinArrays(Float64Array, corners)
    this.order = new Uint32Array(start)
    this.tree = new TriangleTree(packTriangles(this.corners, this.order))
  }

  /** The surface at a place with its normal there; undefined where there is none. */
  at(x: number, y: number, z: number): { name: string; normal: Vector; distance: number } | undefined {
    const { triangle, distance } = this.tree.nearest(x, y, z, this.near)
    if (triangle < 0) return undefined
    const own = this.order[triangle]!
    const name = this.runs.findLast(({ start }) => start <= own)?.name
    return name === undefined ? undefined : { name, normal: this.normal(own), distance }
  }

  private normal(t: number): Vector {
    const corner = (i: number): Vector => Array.from(this.corners.subarray(9 * t + 3 * i, 9 * t + 3 * i + 3)) as Vector
    const [a, b, c] = [corner(0), corner(1), corner(2)]
    const edge = (to: Vector): Vector => to.map((x, d) => x - a[d]!) as Vector
    return direction(cross(edge(b), edge(c)))
  }
}
