/**
 * Where a domain or a shape is kept: functions that are 0 or more inside, joined by `and` and `or`.
 *
 * `and` cuts twice. `or` is put together from what lies in both, in the first only and in the second only: the larger of
 * two functions would round the crease between them.
 */
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
  const [a, b] = [sideOf(condition.of[0], box), sideOf(condition.of[1], box)]
  const deciding = condition.is === 'and' ? 'out' : 'in'
  return a === deciding || b === deciding ? deciding : a === b ? a : 'cut'
}

/** What is left of a block of a domain; undefined for nothing. */
export function keepMesh(mesh: DomainMesh, condition: Condition, block: DomainBlock): DomainMesh | undefined {
  if (isComparison(condition)) {
    const level = signed(condition.level.onMesh(mesh, block), condition.isNegated)
    return condition.is === 'level' ? cutMesh(mesh, level) : chooseCells(mesh, level, block)
  }
  const keep = (of: DomainMesh | undefined, part: Condition): DomainMesh | undefined => of && keepMesh(of, part, block)
  const [a, b] = condition.of
  const inA = keep(mesh, a)
  if (condition.is === 'and') return keep(inA, b)
  const others = [keep(inA, b), keep(inA, not(b)), keep(keep(mesh, not(a)), b)]
  return joinMeshes(others.filter((part): part is DomainMesh => part !== undefined))
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

function signed(values: Float64Array, isNegated = false): Float64Array {
  return isNegated ? values.map((x) => -x) : values
}

export type LeftOfBlock = 'all' | 'nothing' | PartialBlock

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
      const left = mesh && keepMesh(mesh, condition, block)
      return !left ? 'nothing' : left === mesh ? 'all' : (left as PartialBlock)
    }
    const mesh = (): DomainMesh | undefined => {
      const left = keep(block.part, block.block, make)
      return left === 'all' ? block.mesh() : left === 'nothing' ? undefined : left
    }
    return [{ ...block, is: 'cut', mesh }]
  })
  return { parts, blocks: kept, isChosen: isChosen || isChoice }
}
