/** Whether values of one mesh stand on another: at another moment, or in another case. */
import { DataError } from '../errors'
import { boxOfPoints, diagonal } from './boxes'
import type { MeshBlock, PartBlocks } from './MeshBlock'

/** Share of the size of a block by which its points may lie aside in another case. */
const ASIDE = 1e-6

/**
 * @param isOtherCase  positions must agree as well, which may move from one moment to the next
 * @throws DataError when values of one mesh do not stand on the other
 */
export function requireSameMesh(mesh: MeshBlock, other: PartBlocks, block: number, isOtherCase: boolean): void {
  const there = block < other.nBlocks ? other.block(block) : undefined
  const isSame =
    there !== undefined &&
    there.types.length === mesh.types.length &&
    sameNumbers(there.pointNumbers, mesh.pointNumbers) &&
    (!isOtherCase || sameNumbers(there.points, mesh.points, ASIDE * diagonal(boxOfPoints(mesh.points))))
  if (isSame) return
  throw new DataError(
    'other-mesh',
    isOtherCase
      ? `${other.name} has another mesh in that case, so that its values cannot be taken over place by place.`
      : `The mesh of ${other.name} is another one at that moment, so that its values cannot be taken over place by place.`,
  )
}

function sameNumbers(a: ArrayLike<number>, b: ArrayLike<number>, within = 0): boolean {
  if (a.length !== b.length) return false
  for (let i = 0; i < a.length; i++) if (!(Math.abs(a[i]! - b[i]!) <= within)) return false
  return true
}
