/**
 * Edges of a triangle surface: its border and creases, or the borders of its cells.
 *
 * Points at the same place count as one, so that seams between blocks are no borders. O(nTriangles).
 */

/** Faces that meet at a sharper angle than this make a crease. */
const CREASE = Math.cos((35 * Math.PI) / 180)

/** @returns point indices (2 × nEdges) */
export function surfaceEdges(points: Float32Array, elements: Uint32Array, cells: Uint32Array | null): Uint32Array {
  const ids = samePlace(points)
  const first = new Map<number, { a: number; b: number; triangle: number; isEdge: boolean; isShared: boolean }>()
  const normals = triangleNormals(points, elements)
  const n = ids.length
  for (let t = 0; t < elements.length / 3; t++) {
    for (let i = 0; i < 3; i++) {
      const a = elements[3 * t + i]!
      const b = elements[3 * t + ((i + 1) % 3)]!
      const ia = ids[a]!
      const ib = ids[b]!
      if (ia === ib) continue
      const key = ia < ib ? ia * n + ib : ib * n + ia
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
    const ux = p[b]! - p[a]!, uy = p[b + 1]! - p[a + 1]!, uz = p[b + 2]! - p[a + 2]!
    const vx = p[c]! - p[a]!, vy = p[c + 1]! - p[a + 1]!, vz = p[c + 2]! - p[a + 2]!
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx
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
    const x = bits[3 * i]!, y = bits[3 * i + 1]!, z = bits[3 * i + 2]!
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
