/** The outer surface of a domain: parts of boundaries of regions, and faces that cuts have laid open. Closed. */
import { boxesTouch } from '../mesh/boxes'
import { isPartial, SkinFrom } from '../mesh/Domain'
import type { Domain, DomainBlock, DomainMesh, PartialBlock } from '../mesh/Domain'
import { keptSkin, pieceOnPoints } from './blockShapes'
import { borderOf } from './chooseCells'
import { KeyCounts, positionKeys } from './positionKeys'
import type { Piece, UncutBlock } from './Shape'

const origins = { boundary: SkinFrom.boundary, cut: SkinFrom.cut, open: SkinFrom.open } as const

/**
 * The outside of one block: pieces by where their triangles come from.
 *
 * @param hasBorder  whether faces at the border of a block that is left as it is may be on the outside
 * @param uncut  what the boundary of a block that is left as it is gets
 */
export function outsideOfBlock(block: DomainBlock, mesh: DomainMesh, hasBorder: boolean, uncut: UncutBlock): Piece[] {
  if (!isPartial(mesh)) {
    const skin = keptSkin(block.part, block.block)
    const pieces: Piece[] = skin.cells.length ? [{ ...skin, from: 'boundary', uncut }] : []
    const border = hasBorder && borderOf(mesh, block)
    if (border && border.cells.length) {
      const all = Array.from(border.cells, (_, t) => t)
      pieces.push({ ...pieceOfTriangles(block, mesh, border.triangles, border.cells, all), from: 'open' })
    }
    return pieces
  }
  return outsideOfPart(block, mesh)
}

/** The outside of what is left of a block: pieces by where their triangles come from. */
export function outsideOfPart(block: DomainBlock, mesh: PartialBlock): Piece[] {
  const { skinTriangles, skinCells, skinFrom } = mesh
  return (['boundary', 'cut', 'open'] as const).flatMap((wanted): Piece[] => {
    const own: number[] = []
    for (let t = 0; t < skinFrom.length; t++) if (skinFrom[t] === origins[wanted]) own.push(t)
    return own.length ? [{ ...pieceOfTriangles(block, mesh, skinTriangles, skinCells, own), from: wanted }] : []
  })
}

/** Blocks, where cells were chosen, behind whose border a block is missing or not whole. */
export function bordering({ parts, blocks, isChosen }: Domain): Set<DomainBlock> {
  if (!isChosen) return new Set()
  const whole = new Set(blocks.filter(({ is }) => is === 'whole').map(({ part, block }) => `${part.name}\n${block}`))
  const gaps = parts.flatMap(({ name, boxes }) => boxes.filter((_, k) => !whole.has(`${name}\n${k}`)))
  return new Set(blocks.filter(({ is, box }) => is === 'cut' || gaps.some((gap) => boxesTouch(box, gap))))
}

/** All that is on the outside: an open triangle is if no other has its corners. */
export function joinOutside(pieces: readonly Piece[]): Piece[] {
  const of = (wanted: Piece['from']): Piece[] => pieces.filter(({ from }) => from === wanted)
  const open = of('open').map((piece) => ({ piece, keys: positionKeys(piece.points, piece.elements) }))
  const counts = new KeyCounts(open.map(({ keys }) => keys))
  const opened = open.flatMap(({ piece, keys }): Piece[] => {
    const single: number[] = []
    keys.forEach((key, t) => {
      if (counts.isSingle(key)) single.push(t)
    })
    return single.length ? [{ ...pieceOfSome(piece, single), from: 'cut' }] : []
  })
  return [...of('boundary'), ...of('cut'), ...opened]
}

/** @param own  numbers of the triangles that it is of */
function pieceOfTriangles(
  { part, block }: DomainBlock,
  mesh: DomainMesh,
  triangles: Uint32Array,
  cells: Uint32Array,
  own: readonly number[],
): Piece {
  return pieceOnPoints(
    mesh,
    trianglesOf(triangles, own),
    Uint32Array.from(own, (t) => cells[t]!),
    part.name,
    block,
  )
}

/** Some triangles of a piece of one range, with all its points. */
function pieceOfSome(piece: Piece, own: readonly number[]): Piece {
  return {
    ...piece,
    elements: trianglesOf(piece.elements, own),
    cells: Uint32Array.from(own, (t) => piece.cells[t]!),
    ranges: piece.ranges.map((range) => ({ ...range, elementStart: 0, elementEnd: own.length })),
  }
}

function trianglesOf(triangles: Uint32Array, own: readonly number[]): Uint32Array {
  const out = new Uint32Array(3 * own.length)
  own.forEach((t, i) => {
    for (let n = 0; n < 3; n++) out[3 * i + n] = triangles[3 * t + n]!
  })
  return out
}
