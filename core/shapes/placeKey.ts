import type { FloatArray } from '../mesh/MeshBlock'

/** A text that is equal for points at bitwise the same place; both zeros are one. */
export function placeKey(points: FloatArray, p: number): string {
  return `${points[3 * p]! + 0} ${points[3 * p + 1]! + 0} ${points[3 * p + 2]! + 0}`
}
