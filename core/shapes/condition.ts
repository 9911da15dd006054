/**
 * Where a domain or a shape is kept: functions that are 0 or more inside, joined by `and` and `or`.
 *
 * `and` cuts twice. `or` is put together from what lies in both, in the first only and in the second only: the larger of
 * two functions would round the crease between them.
 */
import type { DomainBlock, DomainMesh } from '../mesh/Domain'
import type { Box } from '../mesh/MeshBlock'
import { chooseElements, clipPiece } from './clipPiece'
import type { Distance } from './distances'
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
  /** Of a function of position that is a number everywhere. */
  at?: Distance
}

/** What is said of a shape as a whole. */
export type PieceOf = Omit<Shape, 'pieces'>

export type Condition = Comparison | { is: 'and' | 'or'; of: readonly [Condition, Condition] }

/** Cut through where the function is 0. `cells`: cells and elements are kept or left out as wholes. */
export interface Comparison {
  is: 'level' | 'cells'
  level: Level
  isNegated?: boolean
  /** Cells and elements in which the function is 0 everywhere are left out. */
  isStrict?: boolean
}

export function isComparison(condition: Condition): condition is Comparison {
  return condition.is === 'level' || condition.is === 'cells'
}

export function not(condition: Condition): Condition {
  if (isComparison(condition)) return { ...condition, isNegated: !condition.isNegated, isStrict: !condition.isStrict }
  return { is: condition.is === 'and' ? 'or' : 'and', of: [not(condition.of[0]), not(condition.of[1])] }
}

export function choosesCells(condition: Condition): boolean {
  return isComparison(condition) ? condition.is === 'cells' : condition.of.some(choosesCells)
}

export function cutsCells(condition: Condition): boolean {
  return isComparison(condition) ? condition.is === 'level' : condition.of.some(cutsCells)
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

/** What is left of a piece; undefined for nothing. */
export function keepPiece(of: PieceOf, piece: Piece, condition: Condition): Piece | undefined {
  if (isComparison(condition)) {
    const level = signed(condition.level.onPiece(piece, of), condition.isNegated)
    if (condition.is === 'level') return clipPiece(of.kind, piece, level, condition.isStrict)
    return chooseElements(of.kind, piece, decided(level, condition.isStrict))
  }
  const [a, b] = condition.of
  const inA = keepPiece(of, piece, a)
  if (condition.is === 'and') return inA && keepPiece(of, inA, b)
  const outside = keepPiece(of, piece, not(a))
  const inB = outside && keepPiece(of, outside, b)
  return inA && inB ? joinPieces([inA, inB]) : (inA ?? inB)
}

/** @param values  changed in place */
export function signed(values: Float64Array, isNegated = false): Float64Array {
  if (isNegated) for (let i = 0; i < values.length; i++) values[i] = -values[i]!
  return values
}

/** 1 where cells or elements are kept, -1 where they are left out. @param level  changed in place */
export function decided(level: Float64Array, isStrict = false): Float64Array {
  for (let c = 0; c < level.length; c++) if (!Number.isNaN(level[c])) level[c] = level[c]! > 0 || (level[c] === 0 && !isStrict) ? 1 : -1
  return level
}
