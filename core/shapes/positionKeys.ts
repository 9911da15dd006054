/**
 * Numbers of triangles that are equal for those with the same corners, by the bits of their coordinates, in whatever order: digests of 52
 * bits, so that among a million triangles two different ones are taken for the same once in ten thousand times.
 */
import type { FloatArray } from '../mesh/MeshBlock'

const bits = new Float64Array(3)
const words = new Uint32Array(bits.buffer)

/** Two digests of a position (2 × nPoints), of points that are used only. */
export function positionKeys(points: FloatArray, triangles: Uint32Array): Float64Array {
  const digests = new Uint32Array((2 * points.length) / 3)
  const isKnown = new Uint8Array(points.length / 3)
  const keys = new Float64Array(triangles.length / 3)
  for (let t = 0; t < keys.length; t++) {
    let low = 0
    let high = 0
    for (let n = 0; n < 3; n++) {
      const p = triangles[3 * t + n]!
      if (!isKnown[p]) {
        digest(points, p, digests)
        isKnown[p] = 1
      }
      // sums do not depend on the order of the corners
      low = (low + digests[2 * p]!) | 0
      high = (high + digests[2 * p + 1]!) | 0
    }
    keys[t] = (high & 0xfffff) * 2 ** 32 + (low >>> 0)
  }
  return keys
}

function digest(points: FloatArray, p: number, out: Uint32Array): void {
  // adding 0 makes one number of both zeros
  for (let d = 0; d < 3; d++) bits[d] = points[3 * p + d]! + 0
  let a = 0x9e3779b1
  let b = 0x85ebca6b
  for (let i = 0; i < 6; i++) {
    a = Math.imul(a ^ words[i]!, 0xcc9e2d51)
    a = (a << 15) | (a >>> 17)
    b = Math.imul(b ^ words[i]! ^ a, 0x1b873593)
    b = (b << 13) | (b >>> 19)
  }
  a = Math.imul(a ^ (a >>> 16), 0x85ebca6b)
  b = Math.imul(b ^ (b >>> 15), 0xc2b2ae35)
  out[2 * p] = a ^ (a >>> 13)
  out[2 * p + 1] = b ^ (b >>> 16)
}

/** How often keys occur, in a hash table of plain arrays: there may be millions of them. */
export class KeyCounts {
  private readonly keys: Float64Array
  private readonly counts: Uint8Array

  constructor(lists: readonly Float64Array[]) {
    const n = lists.reduce((sum, { length }) => sum + length, 0)
    const size = 2 ** Math.ceil(Math.log2(2 * n + 2))
    this.keys = new Float64Array(size)
    this.counts = new Uint8Array(size)
    for (const list of lists) {
      for (const key of list) {
        const slot = this.slotOf(key)
        this.keys[slot] = key
        // more than two are as good as two
        if (this.counts[slot]! < 2) this.counts[slot]!++
      }
    }
  }

  /** Whether a key occurs once. */
  isSingle(key: number): boolean {
    return this.counts[this.slotOf(key)] === 1
  }

  private slotOf(key: number): number {
    const mask = this.keys.length - 1
    let slot = ((key % 2 ** 32) ^ (key / 2 ** 32)) & mask
    while (this.counts[slot] && this.keys[slot] !== key) slot = (slot + 1) & mask
    return slot
  }
}
