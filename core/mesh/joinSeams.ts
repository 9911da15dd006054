/**
 * Joins the pieces of a divided mesh where they touch: a cell refers to the first of several points with bitwise the
 * same coordinates in different pieces. Points of one piece are never joined, they may coincide on purpose. O(points).
 */
import { Growing } from './growing'
import type { FloatArray } from './MeshBlock'

/** Points of the pieces so far by their places. */
export class SeamTable {
  private readonly points = new Growing(Float64Array)
  private readonly numbers = new Growing(Uint32Array)
  /** Places in the lists above, from 1. */
  private table = new Uint32Array(1 << 10)
  /** How many were joined to one of an earlier piece. */
  joined = 0

  /**
   * Points of the next piece.
   *
   * @param points   (3 × n)
   * @param numbers  (n), by which later pieces know them
   * @returns for each the number of the first one at its place in another piece, or its own
   */
  join(points: FloatArray, numbers: Uint32Array): Uint32Array {
    const earlier = this.numbers.length
    const targets = new Uint32Array(numbers.length)
    for (let p = 0; p < numbers.length; p++) {
      if (2 * this.numbers.length >= this.table.length) this.grow()
      const [x, y, z] = [points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!]
      const mask = this.table.length - 1
      let h = hash(x, y, z) & mask
      let other = this.table[h]! - 1
      while (
        other >= 0 &&
        !(other < earlier && this.points.at(3 * other) === x && this.points.at(3 * other + 1) === y && this.points.at(3 * other + 2) === z)
      ) {
        h = (h + 1) & mask
        other = this.table[h]! - 1
      }
      targets[p] = other >= 0 ? this.numbers.at(other) : numbers[p]!
      if (other >= 0) this.joined++
      else {
        for (const at of [x, y, z]) this.points.push(at)
        this.numbers.push(numbers[p]!)
        this.table[h] = this.numbers.length
      }
    }
    return targets
  }

  private grow(): void {
    this.table = new Uint32Array(4 * this.table.length)
    const mask = this.table.length - 1
    for (let i = 0; i < this.numbers.length; i++) {
      let h = hash(this.points.at(3 * i), this.points.at(3 * i + 1), this.points.at(3 * i + 2)) & mask
      while (this.table[h]) h = (h + 1) & mask
      this.table[h] = i + 1
    }
  }
}

/**
 * @param points        (3 × nPoints) of all pieces, one after the other
 * @param firstPoints   number of the first point of each piece, ascending from 0
 * @returns for each point the first one at its place in another piece, or itself; and how many were joined
 */
export function seamTargets(points: FloatArray, firstPoints: readonly number[]): { target: Uint32Array; joined: number } {
  const n = points.length / 3
  const numbers = Uint32Array.from({ length: n }, (_, p) => p)
  const target = new Uint32Array(n)
  const table = new SeamTable()
  firstPoints.forEach((first, k) => {
    const end = firstPoints[k + 1] ?? n
    target.set(table.join(points.subarray(3 * first, 3 * end), numbers.subarray(first, end)), first)
  })
  return { target, joined: table.joined }
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
