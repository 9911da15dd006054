/** Polyhedra by windows of cells, in files that keep each face once and name it by number. */
import type { FormatError } from '../errors'
import type { SourceMesh } from '../mesh/normaliseCells'
import { SourceType } from '../mesh/splitCells'
import { FacePages } from './facePages'
import type { Faces } from './facePages'

/** Of cells [from, to), of these types; faces begin at 0. */
export type ReadPolyhedra = (from: number, to: number, types: Uint8Array) => Promise<NonNullable<SourceMesh['polyhedra']>>

/** The message for a damaged polyhedron, with its number if that is known. */
export type WrongPolyhedron = (cell: number | undefined, why: string) => FormatError

/** A list of whole numbers by ranges. */
export interface WholeNumbers {
  readonly length: number
  /** [from, to) */
  readWhole(from: number, to: number): Promise<Uint32Array>
}

/**
 * Polyhedra whose faces are kept once.
 *
 * @param lists  of each cell the end of its faces in the second list, of faces by number; of each face the end of its points in the last
 */
export function sharedFaces(
  [cellEnds, list, faceEnds, points]: readonly [WholeNumbers, WholeNumbers, WholeNumbers, WholeNumbers],
  wrong: WrongPolyhedron,
): ReadPolyhedra {
  const read = async (from: number, to: number): Promise<Faces> => {
    const first = from ? (await faceEnds.readWhole(from - 1, from))[0]! : 0
    const ends = await faceEnds.readWhole(from, to)
    const offsets = new Uint32Array(to - from + 1)
    for (let [f, before] = [0, first]; f < ends.length; before = ends[f++]!) {
      if (!(ends[f]! >= before && ends[f]! <= points.length))
        throw wrong(undefined, `the points of face ${from + f} do not follow those of the one before`)
      offsets[f + 1] = ends[f]! - first
    }
    return { offsets, points: await points.readWhole(first, first + offsets[to - from]!) }
  }
  const pages = new FacePages(faceEnds.length, read)
  return async (from, to, types) => {
    const begin = from ? (await cellEnds.readWhole(from - 1, from))[0]! : 0
    const ends = await cellEnds.readWhole(from, to)
    for (let [c, before] = [0, begin]; c < ends.length; before = ends[c++]!) {
      if (!(ends[c]! >= before && ends[c]! <= list.length))
        throw wrong(from + c, `ends at face ${ends[c]} of the list, which does not follow`)
    }
    const faces = await list.readWhole(begin, ends[ends.length - 1]!)
    const stray = faces.findIndex((face) => face >= faceEnds.length)
    if (stray >= 0) throw wrong(from + ends.findIndex((end) => end > begin + stray), 'names a face that is not there')
    const found = await pages.of(faces)
    const starts = new Float64Array(to - from).fill(-1)
    const stream = new Uint32Array(faces.reduce((n, face) => n + 1 + found.lengthOf(face), to - from))
    let at = 0
    for (let c = 0, f = 0; c < types.length; f = ends[c++]! - begin) {
      if (types[c] !== SourceType.polyhedron) continue
      starts[c] = at
      stream[at++] = ends[c]! - begin - f
      for (let k = f; k < ends[c]! - begin; k++) at = found.write(faces[k]!, stream, at)
    }
    return { starts, stream: stream.subarray(0, at) }
  }
}
