/**
 * Nearest place on triangles, by a tree of boxes. Segments and points are triangles whose corners coincide. Triangles are divided at the
 * middle of the longest side of the box of their centres; a search looks into the nearer box first. Distance to a triangle after Ericson,
 * "Real-Time Collision Detection" (2005), 5.1.5.
 *
 * Building O(n log n), a search O(log n) where triangles lie far apart.
 */

/** Triangles of a box that is not divided further. */
const LEAF = 8
/** Numbers of a node: its box, then its first triangle and their count, or the number of its second child and 0. */
const NODE = 8
/** Deeper than any tree of triangles in memory. */
const MOST_DEPTH = 64

export class TriangleTree {
  /**
   * @param packed  number of nodes, nodes, then the corners of the triangles in their order (9 × n): as `packTriangles` made it
   */
  constructor(private readonly packed: Float64Array) {}

  private readonly stack = new Int32Array(2 * MOST_DEPTH)

  /** @returns Infinity where there are no triangles */
  distance(x: number, y: number, z: number): number {
    return this.nearest(x, y, z).distance
  }

  /**
   * @param farthest  what is not nearer than this is not looked at
   * @returns distance, the triangle by its place in the order in which they are packed (-1 for none), and the shares of its second and
   *          third corner in the nearest place
   */
  nearest(x: number, y: number, z: number, farthest = Infinity): { distance: number; triangle: number; s: number; t: number } {
    const { packed, stack } = this
    const nNodes = packed[0]!
    const found = { distance: Infinity, triangle: -1, s: 0, t: 0 }
    if (!nNodes) return found
    const triangles = 1 + NODE * nNodes
    let best = farthest * farthest
    let top = 0
    stack[top++] = 0
    while (top) {
      const at = 1 + NODE * stack[--top]!
      if (boxDistance(packed, at, x, y, z) >= best) continue
      const [start, count] = [packed[at + 6]!, packed[at + 7]!]
      if (count) {
        for (let t = start; t < start + count; t++) {
          const distance = triangleDistance(packed, triangles + 9 * t, x, y, z)
          if (distance >= best) continue
          best = distance
          Object.assign(found, { triangle: t, s: shares[0], t: shares[1] })
        }
        continue
      }
      const left = (at - 1) / NODE + 1
      const isLeftNear = boxDistance(packed, 1 + NODE * left, x, y, z) <= boxDistance(packed, 1 + NODE * start, x, y, z)
      stack[top++] = isLeftNear ? start : left
      stack[top++] = isLeftNear ? left : start
    }
    if (found.triangle >= 0) found.distance = Math.sqrt(best)
    return found
  }

  /** The nearest ones, the nearest first; fewer where there are not so many. */
  nearestFew(x: number, y: number, z: number, count: number): { triangle: number; distance: number }[] {
    const { packed } = this
    const triangles = 1 + NODE * packed[0]!
    const found: { triangle: number; distance: number }[] = []
    const visit = (at: number): void => {
      const isFull = found.length === count
      if (isFull && boxDistance(packed, at, x, y, z) >= found[count - 1]!.distance) return
      const [start, n] = [packed[at + 6]!, packed[at + 7]!]
      for (let t = start; t < start + n; t++) {
        const distance = triangleDistance(packed, triangles + 9 * t, x, y, z)
        if (found.length === count && distance >= found[count - 1]!.distance) continue
        if (found.length === count) found.pop()
        const place = found.findIndex((other) => other.distance > distance)
        found.splice(place < 0 ? found.length : place, 0, { triangle: t, distance })
      }
      if (n) return
      const children = [at + NODE, 1 + NODE * start]
      if (boxDistance(packed, children[1]!, x, y, z) < boxDistance(packed, children[0]!, x, y, z)) children.reverse()
      children.forEach(visit)
    }
    if (packed[0]) visit(1)
    return found.map(({ triangle, distance }) => ({ triangle, distance: Math.sqrt(distance) }))
  }
}

/** Shares of the second and third corner in the place that was nearest. */
const shares = new Float64Array(2)

/**
 * @param corners  of the triangles (9 × n)
 * @param order    filled with the order in which they are packed (n)
 */
export function packTriangles(corners: Float64Array, order: Uint32Array = new Uint32Array(corners.length / 9)): Float64Array {
  const n = corners.length / 9
  for (let t = 0; t < n; t++) order[t] = t
  const nodes: number[] = []
  const centre = (t: number, d: number): number => corners[9 * t + d]! + corners[9 * t + 3 + d]! + corners[9 * t + 6 + d]!
  const build = (first: number, end: number): void => {
    const node = nodes.length
    nodes.push(...boxOf(corners, order, first, end), first, end - first)
    if (end - first <= LEAF) return
    const sizes = [0, 1, 2].map((d) => {
      let [low, high] = [Infinity, -Infinity]
      for (let i = first; i < end; i++) {
        const c = centre(order[i]!, d)
        low = Math.min(low, c)
        high = Math.max(high, c)
      }
      return high - low
    })
    const axis = sizes.indexOf(Math.max(...sizes))
    order.subarray(first, end).sort((a, b) => centre(a, axis) - centre(b, axis))
    const middle = (first + end) >> 1
    build(first, middle)
    nodes[node + 6] = nodes.length / NODE
    nodes[node + 7] = 0
    build(middle, end)
  }
  if (n) build(0, n)
  const packed = new Float64Array(1 + nodes.length + corners.length)
  packed[0] = nodes.length / NODE
  for (let i = 0; i < nodes.length; i++) packed[1 + i] = nodes[i]!
  for (let i = 0; i < n; i++) packed.set(corners.subarray(9 * order[i]!, 9 * order[i]! + 9), 1 + nodes.length + 9 * i)
  return packed
}

function boxOf(corners: Float64Array, order: Uint32Array, first: number, end: number): number[] {
  const box = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity]
  for (let i = first; i < end; i++) {
    for (let k = 0; k < 9; k++) {
      const x = corners[9 * order[i]! + k]!
      const d = k % 3
      box[d] = Math.min(box[d]!, x)
      box[3 + d] = Math.max(box[3 + d]!, x)
    }
  }
  return box
}

/** Square of the distance to a box. */
function boxDistance(packed: Float64Array, at: number, x: number, y: number, z: number): number {
  const dx = Math.max(packed[at]! - x, 0, x - packed[at + 3]!)
  const dy = Math.max(packed[at + 1]! - y, 0, y - packed[at + 4]!)
  const dz = Math.max(packed[at + 2]! - z, 0, z - packed[at + 5]!)
  return dx * dx + dy * dy + dz * dz
}

/** Square of the distance to a triangle: to its face, to an edge or to a corner, whichever region the position lies in. */
function triangleDistance(at: Float64Array, i: number, x: number, y: number, z: number): number {
  const [ax, ay, az] = [at[i]!, at[i + 1]!, at[i + 2]!]
  const [ux, uy, uz] = [at[i + 3]! - ax, at[i + 4]! - ay, at[i + 5]! - az]
  const [vx, vy, vz] = [at[i + 6]! - ax, at[i + 7]! - ay, at[i + 8]! - az]
  const [px, py, pz] = [x - ax, y - ay, z - az]
  const d1 = ux * px + uy * py + uz * pz
  const d2 = vx * px + vy * py + vz * pz
  const off = (s: number, t: number): number => {
    shares[0] = s
    shares[1] = t
    return (px - s * ux - t * vx) ** 2 + (py - s * uy - t * vy) ** 2 + (pz - s * uz - t * vz) ** 2
  }
  if (d1 <= 0 && d2 <= 0) return off(0, 0)
  const [uu, uv, vv] = [ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz]
  const [d3, d4] = [d1 - uu, d2 - uv]
  if (d3 >= 0 && d4 <= d3) return off(1, 0)
  const vc = d1 * d4 - d3 * d2
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return off(d1 / (d1 - d3), 0)
  const [d5, d6] = [d1 - uv, d2 - vv]
  if (d6 >= 0 && d5 <= d6) return off(0, 1)
  const vb = d5 * d2 - d1 * d6
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return off(0, d2 / (d2 - d6))
  const va = d3 * d6 - d5 * d4
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
    const t = (d4 - d3) / (d4 - d3 + (d5 - d6))
    return off(1 - t, t)
  }
  const sum = va + vb + vc
  return off(vb / sum, vc / sum)
}
