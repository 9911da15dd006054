/** The outer surface of a domain: parts of boundaries of regions, and faces that cuts have laid open. Closed. */
import { diagonal } from '../mesh/boxes'
import { isPartial, SkinFrom } from '../mesh/Domain'
import type { Domain, DomainBlock, DomainMesh } from '../mesh/Domain'
import type { Box } from '../mesh/MeshBlock'
import { borderOf } from './chooseCells'
import { KeyCounts, positionKeys } from './positionKeys'
import { skinTrianglesOf } from './PartialBuilder'
import type { Piece } from './Shape'

const origins = { boundary: SkinFrom.boundary, cut: SkinFrom.cut, open: SkinFrom.open } as const

/**
 * The outside of one block: pieces by where their triangles come from.
 *
 * @param hasBorder  whether faces at the border of a block that is left as it is may be on the outside
 */
export function outsideOfBlock(block: DomainBlock, mesh: DomainMesh, hasBorder: boolean): Piece[] {
  const { triangles, cells, from } = skinTrianglesOf(mesh)
  const pieces = (['boundary', 'cut', 'open'] as const).flatMap((wanted): Piece[] => {
    const own: number[] = []
    for (let t = 0; t < from.length; t++) if (from[t] === origins[wanted]) own.push(t)
    return own.length ? [{ ...pieceOfTriangles(block, mesh, triangles, cells, own), from: wanted }] : []
  })
  if (hasBorder && !isPartial(mesh)) {
    const border = borderOf(mesh, block)
    const own = Array.from(border.cells, (_, t) => t)
    if (own.length) pieces.push({ ...pieceOfTriangles(block, mesh, border.triangles, border.cells, own), from: 'open' })
  }
  return pieces
}

/** Blocks, where cells were chosen, behind whose border a block is missing or not whole. */
export function bordering({ parts, blocks, isChosen }: Domain): Set<DomainBlock> {
  if (!isChosen) return new Set()
  const whole = new Set(blocks.filter(({ is }) => is === 'whole').map(({ part, block }) => `${part.name}\n${block}`))
  const gaps = parts.flatMap(({ name, boxes }) => boxes.filter((_, k) => !whole.has(`${name}\n${k}`)))
  return new Set(blocks.filter(({ is, box }) => is === 'cut' || gaps.some((gap) => touches(box, gap))))
}

function touches(a: Box, b: Box): boolean {
  const reach = 1e-9 * diagonal(a)
  return [0, 1, 2].every((d) => a[d]! <= b[d + 3]! + reach && b[d]! <= a[d + 3]! + reach)
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

function pieceOfTriangles(
  { part, block }: DomainBlock,
  mesh: DomainMesh,
  triangles: Uint32Array,
  cells: Uint32Array,
  own: readonly number[],
): Piece {
  const index = new Int32Array(mesh.pointNumbers.length).fill(-1)
  const used: number[] = []
  const elements = new Uint32Array(3 * own.length)
  own.forEach((t, i) => {
    for (let n = 0; n < 3; n++) {
      const p = triangles[3 * t + n]!
      if (index[p]! < 0) {
        index[p] = used.length
        used.push(p)
      }
      elements[3 * i + n] = index[p]!
    }
  })
  const points = Float64Array.from({ length: 3 * used.length }, (_, i) => mesh.points[3 * used[Math.floor(i / 3)]! + (i % 3)]!)
  return {
    points,
    elements,
    cells: Uint32Array.from(own, (t) => cells[t]!),
    ...weightsOf(mesh, used),
    ranges: [{ part: part.name, block, pointStart: 0, pointEnd: used.length, elementStart: 0, elementEnd: own.length }],
  }
}

/** Weights over points of the case of some points of a mesh. */
function weightsOf(mesh: DomainMesh, points: readonly number[]): Pick<Piece, 'weightStarts' | 'sources' | 'weights'> {
  if (!isPartial(mesh)) {
    return {
      weightStarts: Uint32Array.from({ length: points.length + 1 }, (_, i) => i),
      sources: Uint32Array.from(points),
      weights: new Float64Array(points.length).fill(1),
    }
  }
  const starts = [0]
  const sources: number[] = []
  const weights: number[] = []
  for (const p of points) {
    for (let w = mesh.weightStarts[p]!; w < mesh.weightStarts[p + 1]!; w++) {
      sources.push(mesh.sources[w]!)
      weights.push(mesh.weights[w]!)
    }
    starts.push(sources.length)
  }
  return { weightStarts: Uint32Array.from(starts), sources: Uint32Array.from(sources), weights: Float64Array.from(weights) }
}

/** Some triangles of a piece of one range, with all its points. */
function pieceOfSome(piece: Piece, own: readonly number[]): Piece {
  return {
    ...piece,
    elements: Uint32Array.from(own.flatMap((t) => Array.from(piece.elements.subarray(3 * t, 3 * t + 3)))),
    cells: Uint32Array.from(own, (t) => piece.cells[t]!),
    ranges: piece.ranges.map((range) => ({ ...range, elementStart: 0, elementEnd: own.length })),
  }
}
