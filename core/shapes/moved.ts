/** Functions of positions where steps move the points of a mesh or of a shape: cuts as deformed. */
import type { DomainBlock, DomainMesh } from '../mesh/Domain'
import type { FloatArray } from '../mesh/MeshBlock'
import type { Level, PieceOf } from './condition'
import type { Piece } from './Shape'

/** Where points are found (3 × points), in the case's length unit. */
export interface Moved {
  onMesh(mesh: DomainMesh, block: DomainBlock): FloatArray
  onPiece(piece: Piece, of: PieceOf): Float64Array
}

/** A function of positions alone, there. Boxes of the case tell nothing about it. */
export function movedLevel(level: Level, moved: Moved): Level {
  return {
    onMesh: (mesh, block) => level.onMesh({ ...mesh, points: moved.onMesh(mesh, block) }, block),
    onPiece: (piece, of) => level.onPiece({ ...piece, points: moved.onPiece(piece, of) }, of),
  }
}
