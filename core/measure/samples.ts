/**
 * Values one by one, with the share of the size (volume, area, length) that each carries: of values on points every corner of every cell
 * or element, of values on cells every cell. Quadratic cells count by their linear pieces, whose corners have the values of their nodes.
 */
import { eachDomainBlock } from '../mesh/Domain'
import type { Domain, DomainBlock, DomainMesh } from '../mesh/Domain'
import type { FieldValues } from '../mesh/MeshBlock'
import type { Vector } from '../mesh/vectors'
import { elementSize, valueIndex } from '../shapes/Shape'
import type { Piece, PieceValues, Shape, ShapeKind, ShapeValues } from '../shapes/Shape'
import { linearShares, linearVolumes, magnitude } from './integrateCells'
import { elementMeasure } from './integrateShape'

/** @param item  point or cell of the block, or corner or element of the piece, for `placeInBlock` and `placeOnPiece` */
type UseSample = (value: number, size: number, item: number) => void

/** Of a value: what it is, the size that it carries, and its place. */
export type UsePlace = (value: number, size: number, place: () => Vector) => void

/** Of a volume. @param valuesOf  on what is left of a block. @param check  called per block; throws to cancel */
export function domainSamples(
  domain: Domain,
  valuesOf: (mesh: DomainMesh, block: DomainBlock) => FieldValues,
  check: () => void,
  use: UsePlace,
): void {
  eachDomainBlock(domain, check, (mesh, block) => {
    const values = valuesOf(mesh, block)
    blockSamples(mesh, values, (value, size, item) => use(value, size, () => placeInBlock(mesh, values.place, item)))
  })
}

export function shapeSamples({ kind, pieces }: Shape, values: ShapeValues, use: UsePlace): void {
  pieces.forEach((piece, p) => {
    const own = values.pieces[p]!
    pieceSamples(kind, piece, own, (value, size, item) => use(value, size, () => placeOnPiece(kind, piece, own.place, item)))
  })
}

/** Of a block of a region; of vectors the magnitude. */
function blockSamples(mesh: DomainMesh, { values, components, place }: FieldValues, use: UseSample): void {
  if (place === 'cell') {
    linearVolumes(mesh).forEach((size, c) => use(magnitude(values, c, components), size, c))
    return
  }
  const { shares } = linearShares(mesh)
  const { connectivity } = mesh
  for (let i = 0; i < connectivity.length; i++) use(magnitude(values, connectivity[i]!, components), shares[i]!, connectivity[i]!)
}

/** Of a piece of a shape; of vectors the magnitude. */
function pieceSamples(kind: ShapeKind, piece: Piece, { values, components, place }: PieceValues, use: UseSample): void {
  const size = elementSize(kind)
  for (let e = 0; e < piece.cells.length; e++) {
    const share = elementMeasure(kind, piece, e) / size
    for (let i = 0; i < size; i++) use(magnitude(values, valueIndex(kind, piece, place, e, i), components), share, size * e + i)
  }
}

/** Position of a sample of a block: of a cell the middle of its corners. */
function placeInBlock({ points, offsets, connectivity }: DomainMesh, place: FieldValues['place'], item: number): Vector {
  return middleOf(points, place === 'point' ? [item] : [...connectivity.subarray(offsets[item]!, offsets[item + 1]!)])
}

/** Position of a sample of a piece: of a value of a whole element its middle. */
function placeOnPiece(kind: ShapeKind, { points, elements }: Piece, place: PieceValues['place'], item: number): Vector {
  if (place !== 'element') return middleOf(points, [elements[item]!])
  const size = elementSize(kind)
  const first = size * Math.floor(item / size)
  return middleOf(points, [...elements.subarray(first, first + size)])
}

function middleOf(points: ArrayLike<number>, ids: readonly number[]): Vector {
  return [0, 1, 2].map((d) => ids.reduce((sum, p) => sum + points[3 * p + d]!, 0) / ids.length) as Vector
}
