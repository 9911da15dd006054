/** On which side of a condition that cuts through cells each cell lies. */
import { boxOfGroup } from '../mesh/boxes'
import type { DomainBlock, DomainMesh } from '../mesh/Domain'
import { RUN_CELLS } from '../mesh/runs'
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
  const { types, offsets, connectivity, cellNumbers } = mesh
  const signs = signsOfPoints(mesh, comparisonsIn(condition), block)
  const known = new Map<number, number>()
  const sides = new Uint8Array(types.length)
  for (let c = 0; c < sides.length; c++) {
    let bits = 0
    for (let i = offsets[c]!, end = offsets[c + 1]!; i < end; i++) bits |= signs[connectivity[i]!]!
    let side = known.get(bits)
    if (side === undefined) known.set(bits, (side = sideOfBits(condition, bits)))
    sides[c] = side
  }
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
 * On which side linear cells lie, of conditions by functions of position.
 *
 * @param runs  boxes of the runs of cells: most are decided by these
 * @returns Uint8Array (nCells) of `CutSide`; where one comparison alone cuts, its number is added to `by`. Those with
 *          points on a level count as cut
 */
export function cutsOfCells(mesh: DomainMesh, condition: Condition, block: DomainBlock, runs: Float32Array): Uint8Array {
  const { types, offsets, connectivity } = mesh
  const comparisons = comparisonsIn(condition)
  const known = new Map<number, number>()
  const signAt = signsByPosition(mesh, comparisons, block)
  const sides = new Uint8Array(types.length)
  for (let first = 0; first < sides.length; first += RUN_CELLS) {
    const last = Math.min(first + RUN_CELLS, sides.length)
    const box = boxOfGroup(runs, first / RUN_CELLS)
    const side = sideOf(condition, box)
    if (side === 'out') continue
    if (side === 'in' && comparisons.every((comparison) => sideOf(comparison, box) !== 'cut')) {
      sides.fill(CellSide.in, first, last)
      continue
    }
    for (let c = first; c < last; c++) {
      let bits = 0
      for (let i = offsets[c]!, end = offsets[c + 1]!; i < end; i++) bits |= signAt(connectivity[i]!)
      let own = known.get(bits)
      if (own === undefined) known.set(bits, (own = cutSideOf(condition, bits, comparisons.length)))
      sides[c] = own
    }
  }
  return sides
}

function cutSideOf(condition: Condition, bits: number, nComparisons: number): number {
  const [side, isCut] = sidesOfBits(condition, bits)
  if (!isCut || side === CellSide.out) return side
  let by = -1
  let nMixed = 0
  for (let i = 0; i < nComparisons; i++) {
    const own = (bits >>> (BITS * i)) & 15
    // a face can lie on the level
    if (own & ON) return CellSide.cut
    if (own !== (IN | OUT)) continue
    by = i
    nMixed++
  }
  if (side === CellSide.in) return CutSide.inThough
  return nMixed > 1 ? CellSide.cut : CutSide.by + by
}

/** Signs at a point, worked out when they are first asked for. */
function signsByPosition(mesh: DomainMesh, comparisons: readonly Comparison[], block: DomainBlock): (point: number) => number {
  const { points } = mesh
  const cuts = comparisons
    .map((comparison, i) => ({ comparison, at: comparison.level.at!, way: comparison.isNegated ? -1 : 1, shift: BITS * i }))
    .filter(({ comparison }) => sideOf(comparison, block.box) === 'cut')
  const everywhere = signsEverywhere(comparisons, block)
  // there is a bit for each comparison, so that 0 is none that is known
  const signs = new Uint32Array(points.length / 3)
  return (p) => {
    if (signs[p] === 0) {
      let own = everywhere
      for (const { at, way, shift } of cuts) own |= signOf(way * at(points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!)) << shift
      signs[p] = own
    }
    return signs[p]!
  }
}

function signsOfPoints(mesh: DomainMesh, comparisons: readonly Comparison[], block: DomainBlock): Uint32Array {
  const signs = new Uint32Array(mesh.points.length / 3).fill(signsEverywhere(comparisons, block))
  comparisons.forEach((comparison, i) => {
    if (sideOf(comparison, block.box) !== 'cut') return
    const level = signed(comparison.level.onMesh(mesh, block), comparison.isNegated)
    for (let p = 0; p < signs.length; p++) signs[p]! |= signOf(level[p]!) << (BITS * i)
  })
  return signs
}

/** Of those comparisons that do not cut the block. */
function signsEverywhere(comparisons: readonly Comparison[], { box }: DomainBlock): number {
  return comparisons.reduce((bits, comparison, i) => {
    const side = sideOf(comparison, box)
    return side === 'cut' ? bits : bits | ((side === 'in' ? IN : OUT) << (BITS * i))
  }, 0)
}

function signOf(x: number): number {
  return x > 0 ? IN : x < 0 ? OUT : x === 0 ? ON : NO_VALUE
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
