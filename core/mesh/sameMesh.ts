/** Whether values of one mesh stand on another: at another moment, or in another case. */
import { DataError } from '../errors'
import { boxOfPoints, diagonal } from './boxes'
import type { MeshBlock, PartBlocks } from './MeshBlock'

/** Share of the size of a block by which its points may lie aside in another case. */
const ASIDE = 1e-6

/** Whether a block of another case is the same block, point by point. */
export function isSameMesh(mesh: MeshBlock, other: PartBlocks, block: number): boolean {
  const there = block < other.nBlocks ? other.block(block) : undefined
  return isSameTopology(mesh, there) && sameNumbers(there!.points, mesh.points, ASIDE * diagonal(boxOfPoints(mesh.points)))
}

/**
 * At another moment of the same case, in which positions may move.
 *
 * @throws DataError when values of one mesh do not stand on the other
 */
export function requireSameMesh(mesh: MeshBlock, other: PartBlocks, block: number): void {
  if (isSameTopology(mesh, block < other.nBlocks ? other.block(block) : undefined)) return
  throw new DataError(
    'other-mesh',
    `The mesh of ${other.name} is another one at that moment, so that its values cannot be taken over place by place.`,
  )
}

function isSameTopology(mesh: MeshBlock, there: MeshBlock | undefined): boolean {
  return there !== undefined && there.types.length === mesh.types.length && sameNumbers(there.pointNumbers, mesh.pointNumbers)
}

function sameNumbers(a: ArrayLike<number>, b: ArrayLike<number>, within = 0): boolean {
  if (a.length !== b.length) return false
  for (let i = 0; i < a.length; i++) if (!(Math.abs(a[i]! - b[i]!) <= within)) return false
  return true
}
