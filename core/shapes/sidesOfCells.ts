/** On which side of a condition that cuts through cells each cell lies. */
import type { DomainBlock, DomainMesh } from '../mesh/Domain'
import { isComparison, sideOf, signed } from './condition'
import type { Comparison, Condition } from './condition'

/** `none`: something that decides has no value in the cell. */
export const CellSide = { out: 0, in: 1, cut: 2, none: 3 } as const

/** What is true at some point of a cell, four bits for each comparison. */
const IN = 1
const OUT = 2
const ON = 4
const NO_VALUE = 8
const BITS = 4
/** Most comparisons that a word of 32 bits holds. */
export const MOST_COMPARISONS = 8

export function comparisonsIn(condition: Condition): Comparison[] {
  return isComparison(condition) ? [condition] : condition.of.flatMap(comparisonsIn)
}

/**
 * A cell is `in` only if nothing that is compared cuts it: what is left of its neighbours is split by all of that, and would not meet its
 * faces otherwise. Cells that come from one cell of the case, or from one quadratic cell, are alike.
 *
 * @param condition  of at most `MOST_COMPARISONS` that are all cut through
 * @returns Uint8Array (nCells) of `CellSide`
 */
export function sidesOfCells(mesh: DomainMesh, condition: Condition, block: DomainBlock): Uint8Array {
  const { cellNumbers } = mesh
  const sides = sortedByBits(mesh, condition, block, (bits) => sideOfBits(condition, bits))
  for (let first = 0, c = 1; c <= sides.length; c++) {
    if (c < sides.length && cellNumbers[c] === cellNumbers[first]) continue
    for (let k = first + 1; k < c; k++) if (sides[k] !== sides[first]) sides.fill(CellSide.cut, first, c)
    first = c
  }
  return sides
}

/** What an outside has to tell besides: cells that are in, though something cuts them, and those that only one comparison cuts. */
export const CutSide = { ...CellSide, inThough: 4, by: 5 } as const

/**
 * On which side linear cells lie, of conditions that have a value everywhere.
 *
 * @returns Uint8Array (nCells) of `CutSide`; where one comparison alone cuts, its number is added to `by`. Those with
 *          points on a level count as cut
 */
export function cutsOfCells(mesh: DomainMesh, condition: Condition, block: DomainBlock): Uint8Array {
  const n = comparisonsIn(condition).length
  return sortedByBits(mesh, condition, block, (bits) => {
    const [side, isCut] = sidesOfBits(condition, bits)
    if (!isCut || side === CellSide.out) return side
    let by = -1
    let nMixed = 0
    for (let i = 0; i < n; i++) {
      const own = (bits >>> (BITS * i)) & 15
      // a face can lie on the level
      if (own & ON) return CellSide.cut
      if (own !== (IN | OUT)) continue
      by = i
      nMixed++
    }
    if (side === CellSide.in) return CutSide.inThough
    if (nMixed > 1) return CellSide.cut
    return CutSide.by + by
  })
}

/** A number for each cell by what is true at its points. */
function sortedByBits(mesh: DomainMesh, condition: Condition, block: DomainBlock, sort: (bits: number) => number): Uint8Array {
  const { types, offsets, connectivity } = mesh
  const signs = signsOfPoints(mesh, comparisonsIn(condition), block)
  const known = new Map<number, number>()
  const sides = new Uint8Array(types.length)
  for (let c = 0; c < sides.length; c++) {
    let bits = 0
    for (let i = offsets[c]!, end = offsets[c + 1]!; i < end; i++) bits |= signs[connectivity[i]!]!
    let side = known.get(bits)
    if (side === undefined) known.set(bits, (side = sort(bits)))
    sides[c] = side
  }
  return sides
}

function signsOfPoints(mesh: DomainMesh, comparisons: readonly Comparison[], block: DomainBlock): Uint32Array {
  const sides = comparisons.map((comparison) => sideOf(comparison, block.box))
  const everywhere = sides.reduce((bits, side, i) => (side === 'cut' ? bits : bits | ((side === 'in' ? IN : OUT) << (BITS * i))), 0)
  const signs = new Uint32Array(mesh.points.length / 3).fill(everywhere)
  comparisons.forEach((comparison, i) => {
    if (sides[i] !== 'cut') return
    const level = signed(comparison.level.onMesh(mesh, block), comparison.isNegated)
    addSigns(signs, level, BITS * i)
  })
  return signs
}

function addSigns(signs: Uint32Array, level: Float64Array, shift: number): void {
  for (let p = 0; p < signs.length; p++) {
    const x = level[p]!
    signs[p]! |= (x > 0 ? IN : x < 0 ? OUT : x === 0 ? ON : NO_VALUE) << shift
  }
}

function sideOfBits(condition: Condition, bits: number): number {
  const [side, isCut] = sidesOfBits(condition, bits)
  return side === CellSide.in && isCut ? CellSide.cut : side
}

/** The side by what decides, and whether anything cuts. */
function sidesOfBits(condition: Condition, bits: number): [number, boolean] {
  let at = 0
  let isCut = false
  const sideOfPart = (part: Condition): number => {
    if (!isComparison(part)) return joined(part.is, sideOfPart(part.of[0]), sideOfPart(part.of[1]))
    const own = (bits >>> (BITS * at++)) & 15
    if (own & NO_VALUE) return CellSide.none
    if (own === IN) return CellSide.in
    if (own === OUT || (own === ON && part.isStrict)) return CellSide.out
    isCut = true
    return CellSide.cut
  }
  const side = sideOfPart(condition)
  return [side, isCut]
}

function joined(is: 'and' | 'or', a: number, b: number): number {
  if (is === 'and' && (a === CellSide.out || b === CellSide.out)) return CellSide.out
  if (a === CellSide.none || b === CellSide.none) return CellSide.none
  if (is === 'or' && (a === CellSide.in || b === CellSide.in)) return CellSide.in
  return a === b ? a : CellSide.cut
}
