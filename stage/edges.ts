/**
 * Edges of a triangle surface: its border and creases, or the borders of its cells.
 *
 * Points at the same place count as one, so that seams between blocks are no borders. O(nTriangles).
 */

/** Faces that meet at a sharper angle than this make a crease. */
const CREASE = Math.cos((35 * Math.PI) / 180)
/** Triangles whose height is less than this share of their longest side are slivers: rounding decides where they face. */
const SLIVER = 1e-3
/** Slivers that lie side by side, as where several points hang on one side of a face. */
const MOST_SLIVERS = 8

/** @returns point indices (2 × nEdges) */
export function surfaceEdges(points: Float32Array, elements: Uint32Array, cells: Uint32Array | null): Uint32Array {
  const ids = samePlace(points)
  const first = new Map<number, { a: number; b: number; triangle: number; isEdge: boolean; isShared: boolean }>()
  const n = ids.length
  const edgeOf = (t: number, i: number): number => {
    const a = ids[elements[3 * t + i]!]!
    const b = ids[elements[3 * t + ((i + 1) % 3)]!]!
    return a < b ? a * n + b : b * n + a
  }
  const normals = triangleNormals(points, elements)
  if (!cells) turnSlivers(normals, points, elements, edgeOf)
  for (let t = 0; t < elements.length / 3; t++) {
    for (let i = 0; i < 3; i++) {
      const a = elements[3 * t + i]!
      const b = elements[3 * t + ((i + 1) % 3)]!
      if (ids[a] === ids[b]) continue
      const key = edgeOf(t, i)
      const known = first.get(key)
      if (!known) {
        first.set(key, { a, b, triangle: t, isEdge: true, isShared: false })
        continue
      }
      const isSplit = cells ? cells[t] !== cells[known.triangle] : isCrease(normals, t, known.triangle)
      known.isEdge = known.isShared ? known.isEdge || isSplit : isSplit
      known.isShared = true
    }
  }
  const list: number[] = []
  for (const edge of first.values()) if (edge.isEdge) list.push(edge.a, edge.b)
  return Uint32Array.from(list)
}

/** Slivers, which come where faces have points on their sides, face as the triangle at their longest side does. */
function turnSlivers(normals: Float32Array, points: Float32Array, elements: Uint32Array, edgeOf: (t: number, i: number) => number): void {
  const waiting = new Map<number, number>()
  for (let t = 0; t < elements.length / 3; t++) {
    const longest = sliverSide(points, elements, t)
    if (longest >= 0) waiting.set(edgeOf(t, longest), t)
  }
  for (let pass = 0; waiting.size && pass < MOST_SLIVERS; pass++) {
    const before = waiting.size
    const slivers = new Set(waiting.values())
    for (let t = 0; t < elements.length / 3; t++) {
      for (let i = 0; i < 3 && !slivers.has(t); i++) {
        const sliver = waiting.get(edgeOf(t, i))
        if (sliver === undefined) continue
        normals.copyWithin(3 * sliver, 3 * t, 3 * t + 3)
        waiting.delete(edgeOf(t, i))
      }
    }
    // those at a border have nothing to follow
    if (waiting.size === before) return
  }
}

/** The longest side of a sliver, told by its first corner; -1 for any other triangle. */
function sliverSide(p: Float32Array, elements: Uint32Array, t: number): number {
  const a = 3 * elements[3 * t]!,
    b = 3 * elements[3 * t + 1]!,
    c = 3 * elements[3 * t + 2]!
  const ux = p[b]! - p[a]!,
    uy = p[b + 1]! - p[a + 1]!,
    uz = p[b + 2]! - p[a + 2]!
  const vx = p[c]! - p[b]!,
    vy = p[c + 1]! - p[b + 1]!,
    vz = p[c + 2]! - p[b + 2]!
  const u = ux * ux + uy * uy + uz * uz
  const v = vx * vx + vy * vy + vz * vz
  const w = (ux + vx) ** 2 + (uy + vy) ** 2 + (uz + vz) ** 2
  const longest = Math.max(u, v, w)
  const area = (uy * vz - uz * vy) ** 2 + (uz * vx - ux * vz) ** 2 + (ux * vy - uy * vx) ** 2
  if (area >= (SLIVER * longest) ** 2) return -1
  return longest === w ? 2 : longest === u ? 0 : 1
}

function isCrease(normals: Float32Array, s: number, t: number): boolean {
  const dot = normals[3 * s]! * normals[3 * t]! + normals[3 * s + 1]! * normals[3 * t + 1]! + normals[3 * s + 2]! * normals[3 * t + 2]!
  // winding may differ from part to part
  return Math.abs(dot) < CREASE
}

function triangleNormals(p: Float32Array, elements: Uint32Array): Float32Array {
  const out = new Float32Array(elements.length)
  for (let t = 0; t < elements.length; t += 3) {
    const a = 3 * elements[t]!
    const b = 3 * elements[t + 1]!
    const c = 3 * elements[t + 2]!
    const ux = p[b]! - p[a]!,
      uy = p[b + 1]! - p[a + 1]!,
      uz = p[b + 2]! - p[a + 2]!
    const vx = p[c]! - p[a]!,
      vy = p[c + 1]! - p[a + 1]!,
      vz = p[c + 2]! - p[a + 2]!
    const x = uy * vz - uz * vy,
      y = uz * vx - ux * vz,
      z = ux * vy - uy * vx
    const length = Math.sqrt(x * x + y * y + z * z) || 1
    out[t] = x / length
    out[t + 1] = y / length
    out[t + 2] = z / length
  }
  return out
}

function samePlace(points: Float32Array): Uint32Array {
  const bits = new Uint32Array(points.buffer, points.byteOffset, points.length)
  const size = 1 << Math.ceil(Math.log2(Math.max(points.length, 16)))
  const table = new Int32Array(size).fill(-1)
  const ids = new Uint32Array(points.length / 3)
  for (let i = 0; i < ids.length; i++) {
    const x = bits[3 * i]!,
      y = bits[3 * i + 1]!,
      z = bits[3 * i + 2]!
    let h = (Math.imul(x, 0x9e3779b1) ^ Math.imul(y, 0x85ebca6b) ^ Math.imul(z, 0xc2b2ae35)) >>> 0
    h = (h ^ (h >>> 15)) & (size - 1)
    while (table[h]! >= 0) {
      const other = 3 * table[h]!
      if (bits[other] === x && bits[other + 1] === y && bits[other + 2] === z) break
      h = (h + 1) & (size - 1)
    }
    if (table[h]! < 0) table[h] = i
    ids[i] = table[h]!
  }
  return ids
}

/** Corners are numbered by the bits of x, y and z. */
const BOX_EDGES = [0, 1, 2, 3, 4, 5, 6, 7, 0, 2, 1, 3, 4, 6, 5, 7, 0, 4, 1, 5, 2, 6, 3, 7]

/** The twelve edges of a box, given by its lowest and highest coordinates. */
export function boxLines(box: readonly number[]): { points: Float32Array; segments: Uint32Array } {
  const corner = (i: number): number[] => [0, 1, 2].map((d) => box[d + (i & (1 << d) ? 3 : 0)]!)
  return { points: Float32Array.from([0, 1, 2, 3, 4, 5, 6, 7].flatMap(corner)), segments: Uint32Array.from(BOX_EDGES) }
}
