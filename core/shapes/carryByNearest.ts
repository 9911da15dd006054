/** Values of a surface, of lines or of points at positions near it: those of its nearest place, linear on each triangle and segment. */
import type { Carried } from '../mesh/carryByCells'
import { packTriangles, TriangleTree } from '../mesh/TriangleTree'
import { elementCount, elementSize, valueIndex } from './Shape'
import type { Shape, ShapeValues } from './Shape'

const CHECK_EVERY = 1024

/** Searches one shape again and again. */
export class NearestPlaces {
  private readonly tree: TriangleTree
  private readonly order: Uint32Array
  /** First element of each piece, and the end. */
  private readonly starts: number[]

  constructor(private readonly shape: Shape) {
    const { pieces, kind } = shape
    const size = elementSize(kind)
    const n = elementCount(shape)
    const corners = new Float64Array(9 * n)
    this.starts = [0]
    let at = 0
    for (const { elements, points } of pieces) {
      for (let e = 0; e < elements.length / size; e++, at += 9) {
        // of segments and points the last corner stands for those that are missing
        for (let k = 0; k < 3; k++) {
          const p = 3 * elements[size * e + Math.min(k, size - 1)]!
          for (let d = 0; d < 3; d++) corners[at + 3 * k + d] = points[p + d]!
        }
      }
      this.starts.push(at / 9)
    }
    this.order = new Uint32Array(n)
    this.tree = new TriangleTree(packTriangles(corners, this.order))
  }

  /**
   * @param positions  (3 × n) in the unit of the shape
   * @returns also the largest distance
   */
  carry(positions: ArrayLike<number>, { components, pieces: valuesOf }: ShapeValues, check: () => void): Carried & { largest: number } {
    const { kind, pieces } = this.shape
    const n = positions.length / 3
    const out = new Float64Array(components * n).fill(NaN)
    let [nLost, largest] = [0, 0]
    for (let i = 0; i < n; i++) {
      if (i % CHECK_EVERY === 0) check()
      const { distance, triangle, s, t } = this.tree.nearest(positions[3 * i]!, positions[3 * i + 1]!, positions[3 * i + 2]!)
      if (triangle < 0) {
        nLost++
        continue
      }
      largest = Math.max(largest, distance)
      const element = this.order[triangle]!
      const p = this.pieceOf(element)
      const own = valuesOf[p]!
      const e = element - this.starts[p]!
      const last = elementSize(kind) - 1
      const shares = [1 - s - t, s, t]
      for (let c = 0; c < components; c++) {
        let sum = 0
        for (let k = 0; k < 3; k++) {
          const index = valueIndex(kind, pieces[p]!, own.place, e, Math.min(k, last))
          if (shares[k] !== 0) sum += shares[k]! * own.values[index * components + c]!
        }
        out[i * components + c] = sum
      }
    }
    return { values: out, components, nLost, largest }
  }

  private pieceOf(element: number): number {
    let [low, high] = [0, this.starts.length - 2]
    while (low < high) {
      const middle = (low + high + 1) >> 1
      if (this.starts[middle]! <= element) low = middle
      else high = middle - 1
    }
    return low
  }
}
