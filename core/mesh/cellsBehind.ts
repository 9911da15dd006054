/** The cells of a region that lie behind the faces of a surface that bounds it. */
import { wholeDomain } from './Domain'
import { PartLocator } from './locate'
import type { MeshBlock, PartBlocks } from './MeshBlock'

/** Depths below a face at which its cell is looked for, as shares of the size of the face: cells may be thinner than that. */
const DEPTHS = [0.1, 0.01, 0.001]

export interface CellBehind {
  /** -1 where there is none. */
  block: number
  cell: number
}

/** @param check  throws to cancel */
export function cellsBehind({ points, offsets, connectivity, types }: MeshBlock, owner: PartBlocks, check: () => void): CellBehind[] {
  const locator = new PartLocator(wholeDomain([owner]))
  try {
    return Array.from(types, (_, f) => {
      if (f % 1024 === 0) check()
      const corners = connectivity.subarray(offsets[f]!, offsets[f + 1]!)
      const { middle, inwards, size } = faceOf(points, corners)
      for (const depth of DEPTHS) {
        for (const side of [1, -1]) {
          const [x, y, z] = middle.map((c, d) => c + side * depth * size * inwards[d]!) as [number, number, number]
          if (locator.find(x, y, z)) return { block: locator.block, cell: locator.cell }
        }
      }
      return { block: -1, cell: -1 }
    })
  } finally {
    locator.close()
  }
}

/** Middle of the corners, unit normal into the region, and a length of the face. */
function faceOf(points: ArrayLike<number>, corners: Uint32Array): { middle: number[]; inwards: number[]; size: number } {
  const n = corners.length
  const middle = [0, 1, 2].map((d) => corners.reduce((sum, p) => sum + points[3 * p + d]!, 0) / n)
  const normal = [0, 0, 0]
  for (let i = 0; i < n; i++) {
    const [a, b] = [3 * corners[i]!, 3 * corners[(i + 1) % n]!]
    for (let d = 0; d < 3; d++) {
      const [j, k] = [(d + 1) % 3, (d + 2) % 3]
      const u = (at: number, axis: number): number => points[at + axis]! - middle[axis]!
      normal[d]! += (u(a, j) * u(b, k) - u(a, k) * u(b, j)) / 2
    }
  }
  const area = Math.hypot(...normal)
  return { middle, inwards: normal.map((c) => -c / (area || 1)), size: Math.sqrt(area) }
}
