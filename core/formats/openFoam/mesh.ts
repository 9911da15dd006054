/** The polyhedral mesh of one region: points, faces, owner and neighbour of each face, patches; serial or decomposed. */
import { FormatError } from '../../errors'
import { seamTargets } from '../../mesh/joinSeams'
import type { FloatArray } from '../../mesh/MeshBlock'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { compactPoints } from '../../mesh/selectCells'
import type { SelectedMesh } from '../../mesh/selectCells'
import { CellType } from '../../mesh/cellTypes'
import { SourceType } from '../../mesh/splitCells'
import type { SourceFolder } from '../ByteSource'
import { openFoam } from './FoamReader'

export interface Patch {
  name: string
  type: string
  nFaces: number
  startFace: number
}

/** The mesh of one processor, or of the whole region. */
export interface FoamPiece {
  points: FloatArray
  offsets: Uint32Array
  facePoints: Uint32Array
  owner: Uint32Array
  neighbour: Uint32Array
  patches: Patch[]
  nCells: number
}

export interface FoamFiles {
  folder: SourceFolder
  names: ReadonlySet<string>
}

/** Patches that are seams between processors, not boundaries of the case. */
export function isSeam(patch: Patch): boolean {
  return patch.type.startsWith('processor')
}

/**
 * @param mesh     folder of the mesh: `constant/polyMesh/`
 * @param moved    folder of points of another moment, when they move
 */
export async function readPiece({ folder, names }: FoamFiles, mesh: string, moved: string | undefined): Promise<FoamPiece> {
  const open = async (path: string) => {
    const reader = await openFoam(folder, names, path)
    if (!reader) throw new FormatError('missing-file', `${path} is missing; copy the case with all of its mesh.`)
    return reader
  }
  const points = (await open(`${moved ?? mesh}points`)).scalars(3)
  const { offsets, points: facePoints } = (await open(`${mesh}faces`)).faces()
  const owner = Uint32Array.from((await open(`${mesh}owner`)).labels())
  const neighbour = Uint32Array.from((await open(`${mesh}neighbour`)).labels())
  const patches = await readPatches({ folder, names }, mesh)
  const nFaces = offsets.length - 1
  const damaged = (why: string): FormatError => new FormatError('inconsistent', `${mesh}: ${why}; the mesh is inconsistent, write it again.`)
  // older files list the neighbour of every face, -1 at the boundary
  const nInternal = neighbour.findIndex((c) => c === 0xffffffff)
  if (owner.length !== nFaces) throw damaged(`${owner.length} owners for ${nFaces} faces`)
  if (neighbour.length > nFaces) throw damaged(`${neighbour.length} neighbours for ${nFaces} faces`)
  for (const patch of patches) if (!(patch.startFace >= 0 && patch.startFace + patch.nFaces <= nFaces)) throw damaged(`the patch ${patch.name} has faces that are not there`)
  for (let f = 0; f < nFaces; f++) if (!(offsets[f + 1]! >= offsets[f]!) || offsets[nFaces]! > facePoints.length) throw damaged('its faces are not in order')
  const nPoints = points.length / 3
  for (let i = 0; i < facePoints.length; i++) if (facePoints[i]! >= nPoints) throw damaged(`a face refers to point ${facePoints[i]}, but there are only ${nPoints}`)
  let nCells = 0
  for (let f = 0; f < nFaces; f++) if (owner[f]! >= nCells) nCells = owner[f]! + 1
  if (nCells > nFaces) throw damaged(`${nCells} cells with only ${nFaces} faces`)
  const inner = nInternal < 0 ? neighbour : neighbour.subarray(0, nInternal)
  for (let f = 0; f < inner.length; f++) if (inner[f]! >= nCells) throw damaged(`the face ${f} has the neighbour ${inner[f]}, but there are only ${nCells} cells`)
  return { points, offsets, facePoints, owner, neighbour: inner, patches, nCells }
}

export async function readPatches({ folder, names }: FoamFiles, mesh: string): Promise<Patch[]> {
  const reader = await openFoam(folder, names, `${mesh}boundary`)
  if (!reader) throw new FormatError('missing-file', `${mesh}boundary is missing; copy the case with all of its mesh.`)
  const patches: Patch[] = []
  const n = reader.number()
  reader.expect('(')
  for (let i = 0; i < n; i++) {
    const patch: Patch = { name: reader.token(), type: '', nFaces: 0, startFace: 0 }
    reader.expect('{')
    for (let key = reader.token(); key !== '}'; key = reader.token()) {
      if (key === '') throw reader.damaged('it is cut off')
      if (key === 'type') patch.type = reader.token()
      else if (key === 'nFaces' || key === 'startFace') patch[key] = reader.number()
      reader.skipEntry()
    }
    patches.push(patch)
  }
  return patches
}

/** The processors of a region, their points one after the other and joined where they touch. */
export interface FoamMesh {
  pieces: readonly FoamPiece[]
  points: FloatArray
  /** The point that each one is joined to; undefined for a single piece. */
  target: Uint32Array | undefined
  joined: number
}

export function joinPieces(pieces: readonly FoamPiece[]): FoamMesh {
  if (pieces.length === 1) return { pieces, points: pieces[0]!.points, target: undefined, joined: 0 }
  const firsts: number[] = []
  let n = 0
  for (const piece of pieces) {
    firsts.push(n)
    n += piece.points.length / 3
  }
  const points = new Float64Array(3 * n)
  pieces.forEach((piece, k) => points.set(piece.points, 3 * firsts[k]!))
  const { target, joined } = seamTargets(points, firsts)
  return { pieces, points, target, joined }
}

/** Cells of a region as polyhedra; the core tells hexahedra and the like by their faces. */
export function regionMesh({ pieces, points, target, joined }: FoamMesh): SourceMesh {
  const nCells = pieces.reduce((n, piece) => n + piece.nCells, 0)
  const starts = new Float64Array(nCells)
  let size = 0
  for (const { owner, neighbour, offsets, nCells: own } of pieces) {
    size += own
    for (let f = 0; f < owner.length; f++) size += (1 + offsets[f + 1]! - offsets[f]!) * (f < neighbour.length ? 2 : 1)
  }
  const stream = new Uint32Array(size)
  let at = 0
  let firstCell = 0
  let firstPoint = 0
  for (const piece of pieces) {
    const { faceStarts, faces } = facesByCell(piece)
    for (let c = 0; c < piece.nCells; c++) {
      starts[firstCell + c] = at
      stream[at++] = faceStarts[c + 1]! - faceStarts[c]!
      for (let i = faceStarts[c]!; i < faceStarts[c + 1]!; i++) {
        const [from, to] = [piece.offsets[faces[i]!]!, piece.offsets[faces[i]! + 1]!]
        stream[at++] = to - from
        for (let k = from; k < to; k++) {
          const p = firstPoint + piece.facePoints[k]!
          stream[at++] = target ? target[p]! : p
        }
      }
    }
    firstCell += piece.nCells
    firstPoint += piece.points.length / 3
  }
  return { points, types: new Uint8Array(nCells).fill(SourceType.polyhedron), offsets: new Uint32Array(nCells + 1), connectivity: new Uint32Array(0), polyhedra: { starts, stream }, nPoints: points.length / 3 - joined }
}

function facesByCell({ owner, neighbour, nCells }: FoamPiece): { faceStarts: Uint32Array; faces: Uint32Array } {
  const faceStarts = new Uint32Array(nCells + 1)
  for (const list of [owner, neighbour]) for (let f = 0; f < list.length; f++) faceStarts[list[f]! + 1]!++
  for (let c = 0; c < nCells; c++) faceStarts[c + 1]! += faceStarts[c]!
  const faces = new Uint32Array(faceStarts[nCells]!)
  const fill = faceStarts.slice(0, -1)
  for (const list of [owner, neighbour]) for (let f = 0; f < list.length; f++) faces[fill[list[f]!]!++] = f
  return { faceStarts, faces }
}

/** Faces of a patch of all pieces; they wind out of the region. */
export function patchMesh({ pieces, points, target }: FoamMesh, name: string): SelectedMesh {
  const offsets = [0]
  const nodes: number[] = []
  let firstPoint = 0
  for (const piece of pieces) {
    const patch = piece.patches.find((p) => p.name === name)
    for (let f = patch?.startFace ?? 0, end = f + (patch?.nFaces ?? 0); f < end; f++) {
      for (let k = piece.offsets[f]!; k < piece.offsets[f + 1]!; k++) {
        const p = firstPoint + piece.facePoints[k]!
        nodes.push(target ? target[p]! : p)
      }
      offsets.push(nodes.length)
    }
    firstPoint += piece.points.length / 3
  }
  const types = Uint8Array.from({ length: offsets.length - 1 }, (_, f) => {
    const n = offsets[f + 1]! - offsets[f]!
    return n === 3 ? CellType.triangle : n === 4 ? CellType.quad : CellType.polygon
  })
  const connectivity = Uint32Array.from(nodes)
  const compact = compactPoints(points, connectivity)
  return { ...compact, nPoints: compact.pointSources.length, types, offsets: Uint32Array.from(offsets), connectivity, cellNumbers: Uint32Array.from(types, (_, f) => f) }
}
