/** The polyhedral mesh of one region: points, faces, owner and neighbour of each face, patches; serial or decomposed. */
import { FormatError } from '../../errors'
import { gather } from '../../mesh/gather'
import { joinSeams } from '../../mesh/joinSeams'
import type { FloatArray } from '../../mesh/MeshBlock'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { placesAmong } from '../../mesh/numbering'
import { compactPoints } from '../../mesh/selectCells'
import type { SelectedMesh } from '../../mesh/selectCells'
import { CellType } from '../../mesh/cellTypes'
import { SourceType } from '../../mesh/splitCells'
import type { SourceFolder } from '../ByteSource'
import type { CellWindow } from '../Format'
import { joinCells, joinFloats } from '../meshParts'
import { openFoam } from './FoamReader'
import type { FoamReader } from './FoamReader'

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

async function open({ folder, names }: FoamFiles, path: string): Promise<FoamReader> {
  const reader = await openFoam(folder, names, path)
  if (!reader) throw new FormatError('missing-file', `${path} is missing; copy the case with all of its mesh.`)
  return reader
}

/** (3 × nPoints) */
export async function readPoints(files: FoamFiles, mesh: string, moved: string | undefined): Promise<FloatArray> {
  return (await open(files, `${moved ?? mesh}points`)).scalars(3)
}

/**
 * @param mesh     folder of the mesh: `constant/polyMesh/`
 * @param moved    folder of points of another moment, when they move
 */
export async function readPiece(files: FoamFiles, mesh: string, moved: string | undefined): Promise<FoamPiece> {
  const points = await readPoints(files, mesh, moved)
  const { offsets, points: facePoints } = (await open(files, `${mesh}faces`)).faces()
  const owner = (await open(files, `${mesh}owner`)).labels()
  const neighbour = (await open(files, `${mesh}neighbour`)).labels()
  const patches = await readPatches(files, mesh)
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
  for (const patch of patches) if (patch.nFaces && patch.startFace < inner.length) throw damaged(`the patch ${patch.name} has faces between two cells`)
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

/** What of a piece lies on its outside: small, and all that patches and seams are made of. */
export interface FoamBoundary {
  patches: Patch[]
  nCells: number
  nPoints: number
  /** Number of the first face that is not between two cells. */
  firstFace: number
  /** (n + 1) of the faces from there on */
  offsets: Uint32Array
  /** Places of their points in `numbers`. */
  nodes: Uint32Array
  /** Cell behind each. */
  owner: Uint32Array
  numbers: Uint32Array
  /** (3 × numbers) */
  points: FloatArray
}

export function boundaryOf({ patches, nCells, points, offsets, facePoints, owner, neighbour }: FoamPiece): FoamBoundary {
  const firstFace = neighbour.length
  const start = offsets[firstFace]!
  const { places, different } = placesAmong(facePoints.slice(start, offsets[offsets.length - 1]))
  return {
    ...{ patches, nCells, nPoints: points.length / 3, firstFace, nodes: places, numbers: different, points: gather(points, different, 3) },
    ...{ offsets: offsets.subarray(firstFace).map((o) => o - start), owner: owner.slice(firstFace) },
  }
}

/** The faces of each cell of a piece. */
export interface CellFaces {
  /** (nCells + 1) where those of each cell begin in `faces` */
  faceStarts: Uint32Array
  faces: Uint32Array
}

export function facesByCell({ owner, neighbour, nCells }: FoamPiece): CellFaces {
  const faceStarts = new Uint32Array(nCells + 1)
  for (const list of [owner, neighbour]) for (let f = 0; f < list.length; f++) faceStarts[list[f]! + 1]!++
  for (let c = 0; c < nCells; c++) faceStarts[c + 1]! += faceStarts[c]!
  const faces = new Uint32Array(faceStarts[nCells]!)
  const fill = faceStarts.slice(0, -1)
  for (const list of [owner, neighbour]) for (let f = 0; f < list.length; f++) faces[fill[list[f]!]!++] = f
  return { faceStarts, faces }
}

/** Cells [from, to) of a piece as polyhedra; the core tells hexahedra and the like by their faces. */
export function pieceCells({ offsets, facePoints, faceStarts, faces }: FoamPiece & CellFaces, from: number, to: number): CellWindow {
  let size = to - from
  for (let i = faceStarts[from]!; i < faceStarts[to]!; i++) size += 1 + offsets[faces[i]! + 1]! - offsets[faces[i]!]!
  const starts = new Float64Array(to - from)
  const stream = new Uint32Array(size)
  let at = 0
  for (let c = from; c < to; c++) {
    starts[c - from] = at
    stream[at++] = faceStarts[c + 1]! - faceStarts[c]!
    for (let i = faceStarts[c]!; i < faceStarts[c + 1]!; i++) {
      const [first, end] = [offsets[faces[i]!]!, offsets[faces[i]! + 1]!]
      stream[at++] = end - first
      for (let k = first; k < end; k++) stream[at++] = facePoints[k]!
    }
  }
  return { types: new Uint8Array(to - from).fill(SourceType.polyhedron), offsets: new Uint32Array(to - from + 1), connectivity: new Uint32Array(0), polyhedra: { starts, stream } }
}

/** Faces of a patch of all pieces; they wind out of the region. */
export function patchMesh(boundaries: readonly FoamBoundary[], name: string): SelectedMesh {
  const groups = boundaries.map((boundary) => patchFaces(boundary, name))
  const firstPoints: number[] = []
  groups.reduce((n, { points }) => (firstPoints.push(n), n + points.length / 3), 0)
  const points = joinFloats(groups.map((group) => group.points))
  const cells = joinCells(groups, firstPoints)
  joinSeams(points, firstPoints, cells.connectivity)
  const compact = compactPoints(points, cells.connectivity)
  return { ...cells, points: compact.points, nPoints: compact.points.length / 3, cellNumbers: Uint32Array.from(cells.types.keys()) }
}

function patchFaces({ patches, firstFace, offsets, nodes, points }: FoamBoundary, name: string): SourceMesh {
  const patch = patches.find((p) => p.name === name)
  const from = patch?.nFaces ? patch.startFace - firstFace : 0
  const ends = offsets.slice(from, from + (patch?.nFaces ?? 0) + 1)
  const connectivity = nodes.slice(ends[0], ends[ends.length - 1])
  const types = Uint8Array.from({ length: ends.length - 1 }, (_, f) => {
    const n = ends[f + 1]! - ends[f]!
    return n === 3 ? CellType.triangle : n === 4 ? CellType.quad : CellType.polygon
  })
  return { ...compactPoints(points, connectivity), types, offsets: ends.map((end) => end - ends[0]!), connectivity }
}
