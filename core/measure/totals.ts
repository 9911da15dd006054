/**
 * Totals over parts of a case, block by block: the one engine behind readings, `measure` and the data check.
 *
 * Regions are integrated over their cells (`integrateCells.ts`); surfaces and lines as the shape they are, and regions by their outer
 * surface where that is asked for (`integrateShape.ts`). Groups of the case are summed in order: bitwise equal for every block size.
 */
import { eachDomainBlock } from '../mesh/Domain'
import type { Domain, DomainBlock, DomainMesh } from '../mesh/Domain'
import { eachBlock } from '../mesh/MeshBlock'
import type { FieldValues, PartBlocks } from '../mesh/MeshBlock'
import { kindOfPart, pieceOfBlock } from '../shapes/blockShapes'
import { mapPiece } from '../shapes/Shape'
import { integrateCells } from './integrateCells'
import { integratePiece } from './integrateShape'
import { mergeTotals } from './sums'
import type { GroupTotals, Totals } from './sums'

/** Totals over a domain. @param valuesOf  on what is left of a block. @param check  called per block; throws to cancel */
export function totalsOfDomain(domain: Domain, valuesOf: (mesh: DomainMesh, block: DomainBlock) => FieldValues, check: () => void): Totals {
  const groups: GroupTotals[] = []
  let components = 1
  eachDomainBlock(domain, check, (mesh, block) => {
    const field = valuesOf(mesh, block)
    components = field.components
    groups.push(...integrateCells(mesh, field))
  })
  return mergeTotals(groups, components)
}

/** Values of 1 on every cell of what is left of a block. */
export function onesOn({ types }: DomainMesh): FieldValues {
  return { values: new Float64Array(types.length).fill(1), components: 1, place: 'cell' }
}

export type BlockValues = (part: PartBlocks, block: number) => FieldValues

/** Values of 1 on every cell: totals of them are sizes. */
export const ones: BlockValues = (part, k) => onesOn(part.block(k))

/**
 * Totals over parts of one dimension together.
 *
 * @param isOuter  of regions: over their outer surface
 * @param check    called per block; throws to cancel
 */
export function totalsOfParts(parts: readonly PartBlocks[], valuesOf: BlockValues, check: () => void, isOuter = false): Totals {
  const groups: GroupTotals[] = []
  let components = 1
  for (const part of parts) {
    eachBlock(part, check, (_, k) => {
      const field = valuesOf(part, k)
      components = field.components
      groups.push(...totalsOfBlock(part, k, field, isOuter))
    })
  }
  return mergeTotals(groups, components)
}

/** Totals of the groups of one block, in order. */
export function totalsOfBlock(part: PartBlocks, k: number, field: FieldValues, isOuter: boolean): GroupTotals[] {
  if (part.dimension === 3 && !isOuter) return integrateCells(part.block(k), field)
  const piece = pieceOfBlock(part, k)
  return integratePiece(
    kindOfPart(part),
    piece,
    mapPiece(piece, (_part, _block, use) => use(field)),
  )
}
