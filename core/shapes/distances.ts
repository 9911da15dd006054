/** How far a place is from a point or from an endless axis. */
import { direction } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'

export type Distance = (x: number, y: number, z: number) => number

export function fromPoint([x0, y0, z0]: Vector): Distance {
  return (x, y, z) => Math.hypot(x - x0, y - y0, z - z0)
}

export function fromAxis([x0, y0, z0]: Vector, axis: Vector): Distance {
  const [a, b, c] = direction(axis)
  return (x, y, z) => {
    const [u, v, w] = [x - x0, y - y0, z - z0]
    const along = a * u + b * v + c * w
    return Math.hypot(u - along * a, v - along * b, w - along * c)
  }
}
