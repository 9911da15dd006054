/**
 * The outside of what one smooth cut leaves of a block, without making the volume: its boundary faces cut along, and the surface where the
 * function is 0. Both split cells and faces by the same rule as the volume would be, so that they close.
 */
import type { DomainBlock } from '../mesh/Domain'
import { boxOfGroup } from '../mesh/boxes'
import type { MeshBlock } from '../mesh/MeshBlock'
import { runBoxes } from '../mesh/runs'
import { heldSkin, keptSkin, pieceOfCut } from './blockShapes'
import { clipPiece } from './clipPiece'
import { isComparison, sideOf, signed } from './condition'
import type { Comparison, Condition, Level } from './condition'
import { cutCells } from './cutCells'
import type { Piece, UncutBlock } from './Shape'

/** A cut by a function of position. */
export interface PlacedCut extends Comparison {
  level: Level & Required<Pick<Level, 'at'>>
}

/** The one cut that conditions are, if it is by a function of position that has a value everywhere. */
export function singleCut(conditions: readonly Condition[]): PlacedCut | undefined {
  const [only, ...others] = conditions
  return only && !others.length && isComparison(only) && only.is === 'level' && only.level.at ? (only as PlacedCut) : undefined
}

/**
 * @param mesh   of the block as it is in the case
 * @param uncut  what its boundary gets where the cut does not touch it
 * @returns undefined where a boundary face lies in the cut: which side it belongs to is known of the volume only
 */
export function outsideOfCut(of: DomainBlock, mesh: MeshBlock, cut: PlacedCut, uncut: UncutBlock): Piece[] | undefined {
  const { part, block } = of
  const { isNegated, isStrict, level } = cut
  const skin = heldSkin(part, block)
  const onSkin = signed(level.onPiece(skin, { kind: 'surface' }), isNegated)
  const isIn = (corner: number): boolean => onSkin[skin.elements[corner]!] === 0
  for (let e = 0; e < skin.elements.length; e += 3) if (isIn(e) && isIn(e + 1) && isIn(e + 2)) return undefined
  const boundary = clipPiece('surface', skin, onSkin, isStrict)
  const opened = cutAlong(of, mesh, cut)
  return [...boundaryPieces(of, skin, boundary, uncut), ...(opened ? [opened] : [])]
}

/** What is left of the boundary faces of a block, as a piece that no longer needs the block. @param skin  all of them, as they are held */
export function boundaryPieces({ part, block }: DomainBlock, skin: Piece, left: Piece | undefined, uncut: UncutBlock): Piece[] {
  if (!left?.cells.length) return []
  return [left === skin ? { ...keptSkin(part, block), from: 'boundary', uncut } : { ...left, from: 'boundary' }]
}

/** The surface in which a cut opens cells of a block; its normal points out of what is kept. */
export function cutAlong({ part, block }: DomainBlock, mesh: MeshBlock, cut: PlacedCut): Piece | undefined {
  const { isNegated, isStrict, level } = cut
  // a point on the level counts as above: of what is strictly above it, as below
  const way = (isNegated === true) === (isStrict === true) ? 1 : -1
  const { points } = mesh
  const runs = runBoxes(part, block)
  const isTouched = (boxes: Float32Array, i: number): boolean => sideOf(cut, boxOfGroup(boxes, i)) === 'cut'
  const found = cutCells(
    mesh,
    (p) => way * level.at(points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!),
    (g) => isTouched(mesh.groups, g),
    (r) => isTouched(runs, r),
  )
  if (!isStrict) turnOver(found.triangles)
  return found.cells.length ? { ...pieceOfCut(found, mesh, part.name, block), from: 'cut' } : undefined
}

function turnOver(triangles: Uint32Array): void {
  for (let t = 0; t < triangles.length; t += 3) {
    const second = triangles[t + 1]!
    triangles[t + 1] = triangles[t + 2]!
    triangles[t + 2] = second
  }
}
