/**
 * What a condition leaves of the blocks of a domain.
 *
 * Cells that lie on one side of all that is compared are kept or left out as they are; the others are cut, once for each comparison.
 */
import { isPartial } from '../mesh/Domain'
import type { Domain, DomainBlock, DomainMesh, PartialBlock } from '../mesh/Domain'
import type { PartBlocks } from '../mesh/MeshBlock'
import { chooseCells } from './chooseCells'
import { choosesCells, cutsCells, decided, isComparison, not, sideOf, signed } from './condition'
import type { Comparison, Condition } from './condition'
import { cutMesh } from './cutMesh'
import { joinMeshes } from './joinMeshes'
import { pickCells } from './pickCells'
import { CellSide, comparisonsIn, MOST_COMPARISONS, sidesOfCells } from './sidesOfCells'

/**
 * What is left of a block of a domain; undefined for nothing.
 *
 * @param lost  gets the cells of the case's block that are left out because the condition has no value there
 */
function keepMesh(mesh: DomainMesh, condition: Condition, block: DomainBlock, lost: Set<number>): DomainMesh | undefined {
  if (isComparison(condition)) return keepWhere(mesh, condition, block, lost)
  if (!cutsCells(condition)) return chosen(mesh, combined(condition, mesh, block), block, lost)
  if (choosesCells(condition) || comparisonsIn(condition).length > MOST_COMPARISONS) return keepJoined(mesh, condition, block, lost)
  const sides = sidesOfCells(mesh, condition, block)
  sides.forEach((side, c) => side === CellSide.none && lost.add(sourceOf(mesh, c)))
  if (sides.every((side) => side === CellSide.in)) return mesh
  const picked = (wanted: number): PartialBlock | undefined =>
    pickCells(
      mesh,
      sides.map((side) => Number(side === wanted)),
    )
  const toCut = sides.every((side) => side === CellSide.cut) ? mesh : picked(CellSide.cut)
  return joinMeshes([picked(CellSide.in), toCut && keepJoined(toCut, condition, block, lost)])
}

/**
 * What is left of cells that a condition cuts: one comparison after another.
 *
 * @param lost  as of `keepMesh`
 */
export function keepJoined(mesh: DomainMesh, condition: Condition, block: DomainBlock, lost: Set<number>): DomainMesh | undefined {
  if (isComparison(condition)) return keepWhere(mesh, condition, block, lost)
  const keep = (of: DomainMesh | undefined, part: Condition): DomainMesh | undefined => of && keepJoined(of, part, block, lost)
  const [a, b] = condition.of
  const inA = keep(mesh, a)
  if (condition.is === 'and') return keep(inA, b)
  // all of it is cut by both, so that faces that parts of it share are split alike
  return joinMeshes([keep(inA, b), keep(inA, not(b)), keep(keep(mesh, not(a)), b)])
}

function keepWhere(mesh: DomainMesh, comparison: Comparison, block: DomainBlock, lost: Set<number>): DomainMesh | undefined {
  const { is, level, isNegated, isStrict } = comparison
  if (is === 'cells') return chosen(mesh, combined(comparison, mesh, block), block, lost)
  const side = sideOf(comparison, block.box)
  if (side !== 'cut') return side === 'in' ? mesh : undefined
  const values = signed(level.onMesh(mesh, block), isNegated)
  if (values.some(Number.isNaN)) {
    const { types, offsets, connectivity } = mesh
    for (let c = 0; c < types.length; c++)
      if (connectivity.subarray(offsets[c]!, offsets[c + 1]!).some((p) => Number.isNaN(values[p]!))) lost.add(sourceOf(mesh, c))
  }
  return cutMesh(mesh, values, isStrict)
}

/** @param level  at the cells of the case's block */
function chosen(mesh: DomainMesh, level: Float64Array, block: DomainBlock, lost: Set<number>): DomainMesh | undefined {
  if (level.some(Number.isNaN)) {
    for (let c = 0; c < mesh.types.length; c++) if (Number.isNaN(level[sourceOf(mesh, c)]!)) lost.add(sourceOf(mesh, c))
  }
  return chooseCells(mesh, level, block)
}

/** Several comparisons that choose cells, as one function at the cells of the case's block. */
function combined(condition: Condition, mesh: DomainMesh, block: DomainBlock): Float64Array {
  if (isComparison(condition)) {
    const { level, isNegated, isStrict } = condition
    return decided(signed(level.onMesh(mesh, block), isNegated), isStrict)
  }
  const [a, b] = condition.of.map((part) => combined(part, mesh, block)) as [Float64Array, Float64Array]
  if (condition.is === 'or') return a.map((x, c) => Math.max(x, b[c]!))
  return a.map((x, c) => (x < 0 || b[c]! < 0 ? -1 : Math.min(x, b[c]!)))
}

function sourceOf(mesh: DomainMesh, cell: number): number {
  return isPartial(mesh) ? mesh.cellSources[cell]! : cell
}

export interface LeftOfBlock {
  left: 'all' | 'nothing' | PartialBlock
  /** Cells that are left out because the condition has no value there. */
  nLost: number
}

/** Where meshes of cut blocks are kept. */
export type BlockKeeper = (part: PartBlocks, block: number, make: () => LeftOfBlock) => LeftOfBlock

/** The part of a domain in which a condition holds. Its meshes are made when they are requested. */
export function domainWhere({ parts, blocks, isChosen }: Domain, condition: Condition, keep: BlockKeeper): Domain {
  const isChoice = choosesCells(condition)
  const kept = blocks.flatMap((block): DomainBlock[] => {
    const side = sideOf(condition, block.box)
    if (side === 'out') return []
    // where cells are chosen, what is left of a block gets the triangles at its border, though all of it is kept
    if (side === 'in' && !(isChoice && block.is === 'cut')) return [block]
    const make = (): LeftOfBlock => {
      const mesh = block.mesh()
      const lost = new Set<number>()
      const left = mesh && keepMesh(mesh, condition, block, lost)
      return { left: !left ? 'nothing' : left === mesh ? 'all' : (left as PartialBlock), nLost: lost.size }
    }
    // may be asked for when the mesh is no longer kept
    let known: number | undefined
    const mesh = (): DomainMesh | undefined => {
      const { left, nLost } = keep(block.part, block.block, make)
      known = nLost
      return left === 'all' ? block.mesh() : left === 'nothing' ? undefined : left
    }
    const nLost = (): number => block.nLost() + (known ??= keep(block.part, block.block, make).nLost)
    return [{ ...block, is: 'cut', mesh, nLost }]
  })
  return { parts, blocks: kept, isChosen: isChosen || isChoice }
}
