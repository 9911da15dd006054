/**
 * The outside of what several smooth cuts leave of a block, such as those of a box, without making all of the volume. Cells that none of
 * them touches have their boundary faces, those that one cuts these clipped and its surface; only the others are cut as for the volume.
 */
import { isPartial } from '../mesh/Domain'
import type { DomainBlock } from '../mesh/Domain'
import { wholesOf } from '../mesh/MeshBlock'
import type { MeshBlock } from '../mesh/MeshBlock'
import { runBoxes } from '../mesh/runs'
import { heldSkin } from './blockShapes'
import { chooseElements, clipPiece } from './clipPiece'
import { choosesCells, signed } from './condition'
import type { Condition } from './condition'
import { keepJoined } from './keepMesh'
import { outsideOfPart } from './outside'
import { boundaryPieces, cutAlong, outsideOfCut, singleCut } from './outsideOfCut'
import type { PlacedCut } from './outsideOfCut'
import { pickCells } from './pickCells'
import type { Piece, UncutBlock } from './Shape'
import { comparisonsIn, cutsOfCells, CutSide, MOST_COMPARISONS } from './sidesOfCells'

/**
 * Makes the outside of a block without its volume; undefined where it cannot be.
 *
 * @param uncut  what its boundary gets where no cut touches it
 */
export type OutsideMaker = (of: DomainBlock, mesh: MeshBlock, uncut: UncutBlock) => Piece[] | undefined

/** Undefined for conditions that are not all cuts by functions of position. */
export function outsideMaker(conditions: readonly Condition[]): OutsideMaker | undefined {
  const cut = singleCut(conditions)
  if (cut) return (of, mesh, uncut) => outsideOfCut(of, mesh, cut, uncut)
  const cuts = smoothCuts(conditions)
  return cuts && ((of, mesh, uncut) => outsideOfCuts(of, mesh, cuts, uncut))
}

/** The cuts that conditions are together, if all are by functions of position that have a value everywhere. */
function smoothCuts(conditions: readonly Condition[]): Condition | undefined {
  if (!conditions.length) return undefined
  const all = conditions.reduce((a, b): Condition => ({ is: 'and', of: [a, b] }))
  const comparisons = comparisonsIn(all)
  return !choosesCells(all) && comparisons.length <= MOST_COMPARISONS && comparisons.every(({ level }) => level.at) ? all : undefined
}

/** Undefined for quadratic cells, of which cuts leave linear pieces. */
function outsideOfCuts(of: DomainBlock, mesh: MeshBlock, cuts: Condition, uncut: UncutBlock): Piece[] | undefined {
  if (wholesOf(mesh)) return undefined
  const { part, block } = of
  const comparisons = comparisonsIn(cuts) as PlacedCut[]
  const sides = cutsOfCells(mesh, cuts, of, runBoxes(part, block))
  const skin = heldSkin(part, block)
  // faces are split alike on both sides of an edge; the faces of cells inside are not seen
  for (const cell of skin.cells) if (sides[cell] === CutSide.inThough) sides[cell] = CutSide.cut
  const skinOf = (side: number): Piece | undefined => {
    const isOwn = new Float64Array(skin.cells.length)
    for (let e = 0; e < isOwn.length; e++) isOwn[e] = sides[skin.cells[e]!] === side ? 1 : -1
    return chooseElements('surface', skin, isOwn)
  }
  const pieces = boundaryPieces(of, skin, skinOf(CutSide.in), uncut)
  comparisons.forEach((cut, i) => {
    const side = CutSide.by + i
    if (sides.includes(side)) pieces.push(...outsideOfCells(of, meshOf(mesh, sides, side), cut, skinOf(side)))
  })
  const toCut = pickCells(
    mesh,
    sides.map((side) => Number(side === CutSide.cut)),
  )
  const left = toCut && keepJoined(toCut, cuts, of, new Set())
  return left && isPartial(left) ? [...pieces, ...outsideOfPart(of, left)] : pieces
}

/** A mesh of some of the cells: cells of type 0 are passed over where cells are cut. */
function meshOf(mesh: MeshBlock, sides: Uint8Array, side: number): MeshBlock {
  const types = mesh.types.slice()
  for (let c = 0; c < types.length; c++) if (sides[c] !== side) types[c] = 0
  return { ...mesh, types }
}

/** The outside of what one cut leaves of linear cells. @param skin  their boundary faces */
function outsideOfCells(of: DomainBlock, mesh: MeshBlock, cut: PlacedCut, skin: Piece | undefined): Piece[] {
  const { level, isNegated, isStrict } = cut
  const boundary = skin && clipPiece('surface', skin, signed(level.onPiece(skin, { kind: 'surface' }), isNegated), isStrict)
  const opened = cutAlong(of, mesh, cut)
  return [...(boundary ? [{ ...boundary, from: 'boundary' as const }] : []), ...(opened ? [opened] : [])]
}
