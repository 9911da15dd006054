/** Functions that are 0 or more inside a form: a half space, a box, a ball, an endless cylinder. In the case's length unit. */
import type { Box, FloatArray } from '../mesh/MeshBlock'
import { direction, dot } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import type { Level, Side } from './condition'
import { fromAxis, fromPoint } from './distances'
import type { Distance } from './distances'

/** Inside is where the normal points. */
export function planeLevel(origin: Vector, normal: Vector): Level {
  const unit = direction(normal)
  const [nx, ny, nz] = unit
  const offset = dot(unit, origin)
  // how far from its middle a box reaches along the normal
  const reach = (half: Vector): number => Math.abs(nx) * half[0] + Math.abs(ny) * half[1] + Math.abs(nz) * half[2]
  return ofPosition((x, y, z) => nx * x + ny * y + nz * z - offset, reach)
}

/** Six half spaces, so that edges stay sharp; none for a box without volume. */
export function boxLevels(low: Vector, high: Vector): Level[] {
  return [0, 1, 2].flatMap((d) => {
    const [from, to] = [Math.min(low[d]!, high[d]!), Math.max(low[d]!, high[d]!)]
    if (from === to) return []
    const axis = [0, 1, 2].map((i) => Number(i === d)) as Vector
    const at = (x: number): Vector => axis.map((a) => a * x) as Vector
    return [planeLevel(at(from), axis), planeLevel(at(to), axis.map((a) => -a) as Vector)]
  })
}

/** Linear between points of the mesh: a ball with flat faces, which approaches the ball with the second order of the cells. */
export function sphereLevel(centre: Vector, radius: number): Level {
  const distance = fromPoint(centre)
  return ofPosition((x, y, z) => radius - distance(x, y, z))
}

export function cylinderLevel(origin: Vector, axis: Vector, radius: number): Level {
  const distance = fromAxis(origin, axis)
  return ofPosition((x, y, z) => radius - distance(x, y, z))
}

/** A function that changes by no more than the distance. @param reach  by how much in half a box at most */
function ofPosition(f: Distance, reach: (half: Vector) => number = (half) => Math.hypot(...half)): Level {
  const at = (points: FloatArray): Float64Array => {
    const out = new Float64Array(points.length / 3)
    for (let p = 0; p < out.length; p++) out[p] = f(points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!)
    return out
  }
  return {
    onMesh: ({ points }) => at(points),
    onPiece: ({ points }) => at(points),
    sideOf: (box) => sideOfBox(f, box, reach),
    at: f,
  }
}

function sideOfBox(f: Distance, [x0, y0, z0, x1, y1, z1]: Box, reachOf: (half: Vector) => number): Side {
  const middle = f((x0 + x1) / 2, (y0 + y1) / 2, (z0 + z1) / 2)
  // boxes of single precision are rounded
  const half: Vector = [(x1 - x0) / 2, (y1 - y0) / 2, (z1 - z0) / 2]
  const reach = reachOf(half) + 1e-6 * Math.hypot(...half)
  return middle > reach ? 'in' : middle < -reach ? 'out' : 'cut'
}
