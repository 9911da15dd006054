/**
 * Joins the pieces of a divided mesh where they touch: a cell refers to the first of several points that lie at bitwise the
 * same place in different pieces. Points of one piece are never joined, they may lie together on purpose. O(points).
 */
import type { FloatArray } from './MeshBlock'

/**
 * @param points        (3 × nPoints) of all pieces, one after the other
 * @param firstPoints   number of the first point of each piece, ascending from 0
 * @returns for each point the first one at its place in another piece, or itself; and how many were joined
 */
export function seamTargets(points: FloatArray, firstPoints: readonly number[]): { target: Uint32Array; joined: number } {
  const n = points.length / 3
  const size = 2 ** Math.ceil(Math.log2(Math.max(2 * n, 16)))
  const table = new Int32Array(size).fill(-1)
  const target = new Uint32Array(n)
  let joined = 0
  for (let piece = 0, p = 0; piece < firstPoints.length; piece++) {
    const first = firstPoints[piece]!
    const end = firstPoints[piece + 1] ?? n
    for (; p < end; p++) {
      const x = points[3 * p]!, y = points[3 * p + 1]!, z = points[3 * p + 2]!
      let h = hash(x, y, z) & (size - 1)
      let other = table[h]!
      while (other >= 0 && !(other < first && points[3 * other] === x && points[3 * other + 1] === y && points[3 * other + 2] === z)) {
        h = (h + 1) & (size - 1)
        other = table[h]!
      }
      target[p] = other >= 0 ? other : p
      if (other >= 0) joined++
      else table[h] = p
    }
  }
  return { target, joined }
}

/** Renumbers `connectivity` in place to the joined points. @returns how many were joined */
export function joinSeams(points: FloatArray, firstPoints: readonly number[], connectivity: Uint32Array): number {
  const { target, joined } = seamTargets(points, firstPoints)
  if (joined) for (let i = 0; i < connectivity.length; i++) connectivity[i] = target[connectivity[i]!] ?? connectivity[i]!
  return joined
}

const numbers = new Float64Array(3)
const words = new Int32Array(numbers.buffer)

function hash(x: number, y: number, z: number): number {
  numbers[0] = x + 0
  numbers[1] = y + 0
  numbers[2] = z + 0
  let h = 0
  for (let i = 0; i < 6; i++) h = Math.imul(h ^ words[i]!, 0x9e3779b1) ^ (h >>> 15)
  return (h ^ (h >>> 13)) >>> 0
}
