/** A text for each triangle that is equal for those with the same corners, by their coordinates, in whatever order. */
import type { FloatArray } from '../mesh/MeshBlock'

export function positionKeys(points: FloatArray, triangles: Uint32Array): string[] {
  const texts = new Map<number, string>()
  const textOf = (p: number): string => {
    let text = texts.get(p)
    // adding 0 makes one number of both zeros
    if (text === undefined) texts.set(p, (text = `${points[3 * p]! + 0} ${points[3 * p + 1]! + 0} ${points[3 * p + 2]! + 0}`))
    return text
  }
  return Array.from({ length: triangles.length / 3 }, (_, t) =>
    [textOf(triangles[3 * t]!), textOf(triangles[3 * t + 1]!), textOf(triangles[3 * t + 2]!)].sort().join('|'),
  )
}
