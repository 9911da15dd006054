/** Faces of cells given by cell and side, as other formats number sides; with midside nodes where the cell has them. */
import { CellType, cellFaces } from './cellTypes'
import { cornerEdges, linearType } from './quadraticCells'

/** Corner nodes of a face of a cell, or all its nodes: first the corners, then the nodes in the middle of its edges. */
export function sideNodes(type: number, corners: readonly number[]): number[] {
  const edges = cornerEdges(type)
  if (!edges) return [...corners]
  const nCorners = cellFaces[linearType(type)]!.flat().reduce((n, node) => Math.max(n, node + 1), 0)
  const middles = corners.map((a, i) => {
    const b = corners[(i + 1) % corners.length]!
    return nCorners + edges.findIndex(([p, q]) => (p === a && q === b) || (p === b && q === a))
  })
  return [...corners, ...middles]
}

/** Type of the face that `sideNodes` gives. */
export function sideType(nNodes: number, nCorners: number): number {
  if (nCorners === 3) return nNodes === 6 ? 22 : CellType.triangle
  return nNodes === 8 ? 23 : CellType.quad
}
