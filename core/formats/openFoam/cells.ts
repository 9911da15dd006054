/**
 * Cells of a mesh that is defined by its faces, window by window: each cell is put together from the faces it owns and those it is
 * the neighbour of. Nothing is assumed about the order of faces; where cells and faces near each other have near numbers, as
 * solvers number them, few of the faces are read for each window.
 */
import { Growing } from '../../mesh/growing'
import { SourceType } from '../../mesh/splitCells'
import { FacePages } from '../facePages'
import type { CellWindow } from '../Format'
import { readFaces, SPAN_BITS } from './mesh'
import type { FoamPiece, Spans } from './mesh'

const LABELS = 1 << 18

/** Reads the cells of one piece. */
export class FoamCells {
  private readonly pages: FacePages

  constructor(private readonly piece: FoamPiece) {
    this.pages = new FacePages(piece.owner.length, (from, to) => readFaces(piece, from, to))
  }

  /** Cells [from, to) as polyhedra; the core tells hexahedra and the like by their faces. */
  async read(from: number, to: number): Promise<CellWindow> {
    const { starts: faceStarts, faces } = await this.facesOf(from, to)
    const pages = await this.pages.of(faces)
    let size = to - from
    for (let i = 0; i < faces.length; i++) size += 1 + pages.lengthOf(faces[i]!)
    const starts = new Float64Array(to - from)
    const stream = new Uint32Array(size)
    let at = 0
    for (let c = 0; c < to - from; c++) {
      starts[c] = at
      stream[at++] = faceStarts[c + 1]! - faceStarts[c]!
      for (let i = faceStarts[c]!; i < faceStarts[c + 1]!; i++) at = pages.write(faces[i]!, stream, at)
    }
    return {
      types: new Uint8Array(to - from).fill(SourceType.polyhedron),
      offsets: new Uint32Array(to - from + 1),
      connectivity: new Uint32Array(0),
      polyhedra: { starts, stream },
    }
  }

  /** Faces of each cell: first those it owns, then those it is the neighbour of, each in their order. */
  private async facesOf(from: number, to: number): Promise<{ starts: Uint32Array; faces: Uint32Array }> {
    const { owner, neighbour, spans } = this.piece
    const [cells, found] = [new Growing(Uint32Array), new Growing(Uint32Array)]
    const ranges = [
      { list: owner, range: rangeOf(spans.owner, from, to) },
      { list: owner, range: [neighbour.length, owner.length] as const },
      { list: neighbour, range: rangeOf(spans.neighbour, from, to) },
    ]
    for (const {
      list,
      range: [first, end],
    } of ranges) {
      for (let start = first; start < end; start += LABELS) {
        const labels = await list.read(start, Math.min(start + LABELS, end))
        for (let i = 0; i < labels.length; i++) {
          if (labels[i]! < from || labels[i]! >= to) continue
          cells.push(labels[i]! - from)
          found.push(start + i)
        }
      }
    }
    const starts = new Uint32Array(to - from + 1)
    for (let i = 0; i < cells.length; i++) starts[cells.at(i) + 1]!++
    for (let c = 0; c < to - from; c++) starts[c + 1]! += starts[c]!
    const faces = new Uint32Array(cells.length)
    const next = starts.slice()
    for (let i = 0; i < cells.length; i++) faces[next[cells.at(i)]!++] = found.at(i)
    return { starts, faces }
  }
}

/** Entries among which all are that name cells [from, to). */
export function rangeOf({ first, end }: Spans, from: number, to: number): readonly [number, number] {
  let range: readonly [number, number] = [Infinity, 0]
  for (let k = from >>> SPAN_BITS; k <= (to - 1) >>> SPAN_BITS; k++)
    range = [Math.min(range[0], first[k] ?? Infinity), Math.max(range[1], end[k] ?? 0)]
  return range
}
