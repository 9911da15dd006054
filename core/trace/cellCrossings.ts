/** Where a straight line goes from cell to cell. */
import { boxOfCell } from '../mesh/boxes'
import { eachDomainBlock } from '../mesh/Domain'
import type { Domain, DomainMesh } from '../mesh/Domain'
import type { Box } from '../mesh/MeshBlock'
import { tetrahedraOf } from '../mesh/tetrahedra'
import { cross, dot, minus, vectorAt } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'

/** Shares of the line by which borders may differ and are one. */
const SAME = 1e-9

/**
 * Shares of a line, from 0 to 1, at which it enters or leaves a cell, with the middles between them: one sample in every cell at least, and
 * one in every gap. Cells are taken by their tetrahedra, curved ones by their linear pieces.
 *
 * @param check  throws to cancel
 */
export function crossings(domain: Domain, start: Vector, end: Vector, check: () => void): number[] {
  const borders = [0, 1]
  const near = { ...domain, blocks: domain.blocks.filter(({ box }) => meetsBox(box, start, end)) }
  eachDomainBlock(near, check, (mesh) => {
    for (let c = 0; c < mesh.types.length; c++) {
      const found = withinCell(mesh, c, start, end)
      if (found) borders.push(...found)
    }
  })
  const sorted = borders.sort((a, b) => a - b).filter((share, i, all) => i === 0 || share - all[i - 1]! > SAME)
  return sorted.flatMap((share, i) => (i === 0 ? [share] : [(sorted[i - 1]! + share) / 2, share]))
}

/** Whether a segment meets a box: by slabs. */
function meetsBox(box: Box, start: Vector, end: Vector): boolean {
  let [low, high] = [0, 1]
  for (let d = 0; d < 3; d++) {
    const along = end[d]! - start[d]!
    const [a, b] = [box[d]! - start[d]!, box[d + 3]! - start[d]!]
    if (along === 0) {
      if (a > 0 || b < 0) return false
      continue
    }
    low = Math.max(low, Math.min(a / along, b / along))
    high = Math.min(high, Math.max(a / along, b / along))
  }
  return low <= high
}

/** First and last share of a line inside a cell; undefined where it does not meet it. */
function withinCell(mesh: DomainMesh, c: number, start: Vector, end: Vector) {
  if (!meetsBox(boxOfCell(mesh, c), start, end)) return undefined
  const { points, types, offsets, connectivity, pointNumbers } = mesh
  const first = offsets[c]!
  const splits = tetrahedraOf(types[c]!, connectivity, first, pointNumbers)
  let [low, high] = [Infinity, -Infinity]
  for (let t = 0; t < splits.length; t += 4) {
    const corners = [0, 1, 2, 3].map((i) => vectorAt(points, connectivity[first + splits[t + i]!]!))
    const found = withinTetrahedron(corners as [Vector, Vector, Vector, Vector], start, end)
    if (!found) continue
    low = Math.min(low, found[0])
    high = Math.max(high, found[1])
  }
  return high - low > SAME ? ([low, high] as const) : undefined
}

/** Coordinates by volume are linear along the line, and none is below 0 inside. */
function withinTetrahedron(
  [a, b, c, d]: readonly [Vector, Vector, Vector, Vector],
  start: Vector,
  end: Vector,
): [number, number] | undefined {
  const [u, v, w] = [b, c, d].map((corner) => minus(corner, a)) as [Vector, Vector, Vector]
  const volume = dot(u, cross(v, w))
  if (volume === 0) return undefined
  const sharesAt = (p: Vector): number[] => {
    const r = minus(p, a)
    const own = [dot(r, cross(v, w)), dot(u, cross(r, w)), dot(u, cross(v, r))].map((x) => x / volume)
    return [1 - own[0]! - own[1]! - own[2]!, ...own]
  }
  const [from, to] = [sharesAt(start), sharesAt(end)]
  let [low, high] = [0, 1]
  for (let i = 0; i < 4; i++) {
    const slope = to[i]! - from[i]!
    if (slope === 0) {
      if (from[i]! < 0) return undefined
    } else if (slope > 0) low = Math.max(low, -from[i]! / slope)
    else high = Math.min(high, -from[i]! / slope)
  }
  return high > low ? [low, high] : undefined
}
