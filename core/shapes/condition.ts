/**
 * Where a domain or a shape is kept: functions that are 0 or more inside, joined by `and` and `or`.
 *
 * `and` cuts twice. `or` is put together from what lies in both, in the first only and in the second only: the larger of
 * two functions would round the crease between them.
 */
import { isPartial } from '../mesh/Domain'
import type { Domain, DomainBlock, DomainMesh, PartialBlock } from '../mesh/Domain'
import type { Box, PartBlocks } from '../mesh/MeshBlock'
import { chooseCells } from './chooseCells'
import { chooseElements, clipPiece } from './clipPiece'
import { cutMesh } from './cutMesh'
import { joinMeshes } from './joinMeshes'
import type { Piece, Shape } from './Shape'
import { joinPieces } from './Shape'

export type Side = 'in' | 'out' | 'cut'

/** Not-a-number is outside, negated too. */
export interface Level {
  /** At the points of what is left of a block; for cells, at the cells of the block of the case. */
  onMesh(mesh: DomainMesh, block: DomainBlock): Float64Array
  /** At the points of a piece; for cells, at its elements. @param of  the shape that it belongs to */
  onPiece(piece: Piece, of: PieceOf): Float64Array
  /** Whether all of a box is known to lie on one side. */
  sideOf?(box: Box): Side
}

/** What is said of a shape as a whole. */
export type PieceOf = Omit<Shape, 'pieces'>

export type Condition = Comparison | { is: 'and' | 'or'; of: readonly [Condition, Condition] }

/** Cut through where the function is 0. `cells`: cells and elements are kept or left out as wholes. */
interface Comparison {
  is: 'level' | 'cells'
  level: Level
  isNegated?: boolean
}

function isComparison(condition: Condition): condition is Comparison {
  return condition.is === 'level' || condition.is === 'cells'
}

export function not(condition: Condition): Condition {
  if (isComparison(condition)) return { ...condition, isNegated: !condition.isNegated }
  return { is: condition.is === 'and' ? 'or' : 'and', of: [not(condition.of[0]), not(condition.of[1])] }
}

export function choosesCells(condition: Condition): boolean {
  return isComparison(condition) ? condition.is === 'cells' : condition.of.some(choosesCells)
}

export function sideOf(condition: Condition, box: Box): Side {
  if (isComparison(condition)) {
    const side = condition.level.sideOf?.(box) ?? 'cut'
    return side === 'cut' || !condition.isNegated ? side : side === 'in' ? 'out' : 'in'
  }
  return joinedSide(condition.is, sideOf(condition.of[0], box), sideOf(condition.of[1], box))
}

function joinedSide(is: 'and' | 'or', a: Side, b: Side): Side {
  const deciding = is === 'and' ? 'out' : 'in'
  return a === deciding || b === deciding ? deciding : a === b ? a : 'cut'
}

/**
 * What is left of a block of a domain; undefined for nothing.
 *
 * @param lost  gets the cells of the case's block that are left out because the condition has no value there
 */
function keepMesh(mesh: DomainMesh, condition: Condition, block: DomainBlock, lost: Set<number>): DomainMesh | undefined {
  if (isComparison(condition)) return keepWhere(mesh, condition, block, lost)
  const keep = (of: DomainMesh | undefined, part: Condition): DomainMesh | undefined => of && keepMesh(of, part, block, lost)
  const [a, b] = condition.of
  const inA = keep(mesh, a)
  if (condition.is === 'and') return keep(inA, b)
  if (!inA) return keep(mesh, b)
  // what follows is only for blocks that both of them cut
  const side = inA === mesh ? 'in' : sideOfMesh(mesh, b, block)
  if (side !== 'cut') return side === 'in' ? mesh : inA
  const others = [keep(inA, b), keep(inA, not(b)), keep(keep(mesh, not(a)), b)]
  return joinMeshes(others.filter((part): part is DomainMesh => part !== undefined))
}

function keepWhere(mesh: DomainMesh, comparison: Comparison, block: DomainBlock, lost: Set<number>): DomainMesh | undefined {
  const isCut = comparison.is === 'level'
  const side = isCut ? sideOf(comparison, block.box) : 'cut'
  if (side !== 'cut') return side === 'in' ? mesh : undefined
  const level = signed(comparison.level.onMesh(mesh, block), comparison.isNegated)
  if (level.some(Number.isNaN)) for (const cell of cellsWithout(mesh, level, isCut)) lost.add(cell)
  return isCut ? cutMesh(mesh, level) : chooseCells(mesh, level, block)
}

/** Cells of the case's block in which a level has no value. */
function* cellsWithout(mesh: DomainMesh, level: Float64Array, isAtPoints: boolean): Generator<number> {
  const { types, offsets, connectivity } = mesh
  for (let c = 0; c < types.length; c++) {
    const cell = isPartial(mesh) ? mesh.cellSources[c]! : c
    const nodes = connectivity.subarray(offsets[c]!, offsets[c + 1]!)
    if (isAtPoints ? nodes.some((p) => Number.isNaN(level[p]!)) : Number.isNaN(level[cell]!)) yield cell
  }
}

/** On which side all points of a mesh lie. */
function sideOfMesh(mesh: DomainMesh, condition: Condition, block: DomainBlock): Side {
  if (!isComparison(condition)) {
    const [a, b] = [sideOfMesh(mesh, condition.of[0], block), sideOfMesh(mesh, condition.of[1], block)]
    return joinedSide(condition.is, a, b)
  }
  if (condition.is === 'cells') return 'cut'
  const level = signed(condition.level.onMesh(mesh, block), condition.isNegated)
  return level.every((x) => x > 0) ? 'in' : level.every((x) => !(x >= 0)) ? 'out' : 'cut'
}

/** What is left of a piece; undefined for nothing. */
export function keepPiece(of: PieceOf, piece: Piece, condition: Condition): Piece | undefined {
  if (isComparison(condition)) {
    const level = signed(condition.level.onPiece(piece, of), condition.isNegated)
    return condition.is === 'level' ? clipPiece(of.kind, piece, level) : chooseElements(of.kind, piece, level)
  }
  const [a, b] = condition.of
  const inA = keepPiece(of, piece, a)
  if (condition.is === 'and') return inA && keepPiece(of, inA, b)
  const outside = keepPiece(of, piece, not(a))
  const inB = outside && keepPiece(of, outside, b)
  return inA && inB ? joinPieces([inA, inB]) : (inA ?? inB)
}

/** @param values  changed in place */
function signed(values: Float64Array, isNegated = false): Float64Array {
  if (isNegated) for (let i = 0; i < values.length; i++) values[i] = -values[i]!
  return values
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
