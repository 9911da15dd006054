/** Axis-aligned boxes of points and cells. */
import type { Box, FloatArray, MeshBlock } from './MeshBlock'
import { GROUP_CELLS } from './MeshBlock'

export function emptyBox(): Box {
  return [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity]
}

/** Box of all points of an array (3 × n); an empty box when there are none. */
export function boxOfPoints(points: FloatArray): Box {
  const box = emptyBox()
  for (let i = 0; i < points.length; i += 3) {
    for (let d = 0; d < 3; d++) {
      const x = points[i + d]!
      if (x < box[d]!) box[d] = x
      if (x > box[d + 3]!) box[d + 3] = x
    }
  }
  return box
}

export function unionBox(boxes: readonly Box[]): Box {
  const all = emptyBox()
  for (const box of boxes) {
    for (let d = 0; d < 3; d++) {
      all[d] = Math.min(all[d]!, box[d]!)
      all[d + 3] = Math.max(all[d + 3]!, box[d + 3]!)
    }
  }
  return all
}

/** Length of the diagonal; 0 for an empty box. */
export function diagonal(box: Box): number {
  if (!(box[3] >= box[0])) return 0
  return Math.hypot(box[3] - box[0], box[4] - box[1], box[5] - box[2])
}

export function boxCentre(box: Box): [number, number, number] {
  return [(box[0] + box[3]) / 2, (box[1] + box[4]) / 2, (box[2] + box[5]) / 2]
}

export function isInBox(box: Box, x: number, y: number, z: number, tolerance: number): boolean {
  return (
    x >= box[0] - tolerance && x <= box[3] + tolerance &&
    y >= box[1] - tolerance && y <= box[4] + tolerance &&
    z >= box[2] - tolerance && z <= box[5] + tolerance
  )
}

/** Boxes (6 × nGroups: x0 x1 y0 y1 z0 z1) of each run of GROUP_CELLS cells, rounded outwards to float32. */
export function groupBoxes(mesh: Pick<MeshBlock, 'points' | 'offsets' | 'connectivity'>): Float32Array {
  const { points, offsets, connectivity } = mesh
  const nCells = offsets.length - 1
  const groups = new Float32Array(6 * Math.ceil(nCells / GROUP_CELLS))
  for (let g = 0, c = 0; c < nCells; g += 6, c += GROUP_CELLS) {
    const end = offsets[Math.min(c + GROUP_CELLS, nCells)]!
    let x0 = Infinity, y0 = Infinity, z0 = Infinity, x1 = -Infinity, y1 = -Infinity, z1 = -Infinity
    for (let i = offsets[c]!; i < end; i++) {
      const p = 3 * connectivity[i]!
      const x = points[p]!, y = points[p + 1]!, z = points[p + 2]!
      if (x < x0) x0 = x
      if (x > x1) x1 = x
      if (y < y0) y0 = y
      if (y > y1) y1 = y
      if (z < z0) z0 = z
      if (z > z1) z1 = z
    }
    groups.set([below(x0), above(x1), below(y0), above(y1), below(z0), above(z1)], g)
  }
  return groups
}

function below(x: number): number {
  const f = Math.fround(x)
  return f <= x ? f : x - Math.abs(x) * 2e-7
}

function above(x: number): number {
  const f = Math.fround(x)
  return f >= x ? f : x + Math.abs(x) * 2e-7
}
