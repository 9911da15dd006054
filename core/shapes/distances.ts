/** How far a place is from a point or from an endless axis. Roots of sums: `Math.hypot` takes several times as long. */
import { direction } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'

export type Distance = (x: number, y: number, z: number) => number

export function fromPoint([x0, y0, z0]: Vector): Distance {
  return (x, y, z) => root(x - x0, y - y0, z - z0)
}

export function fromAxis([x0, y0, z0]: Vector, axis: Vector): Distance {
  const [a, b, c] = direction(axis)
  return (x, y, z) => {
    const u = x - x0
    const v = y - y0
    const w = z - z0
    const along = a * u + b * v + c * w
    return root(u - along * a, v - along * b, w - along * c)
  }
}

function root(x: number, y: number, z: number): number {
  return Math.sqrt(x * x + y * y + z * z)
}
