/** The polyhedral mesh of one region: points, faces, owner and neighbour of each face, patches; serial or decomposed. */
import { FormatError } from '../../errors'
import { joinSeams } from '../../mesh/joinSeams'
import type { FloatArray } from '../../mesh/MeshBlock'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { placesAmong } from '../../mesh/numbering'
import { compactPoints } from '../../mesh/selectCells'
import type { SelectedMesh } from '../../mesh/selectCells'
import { CellType } from '../../mesh/cellTypes'
import type { Faces } from '../facePages'
import { joinCells, joinFloats } from '../meshParts'
import { gatherItems } from '../gatherItems'
import { missingFile, openFoam } from './files'
import type { FoamFiles } from './files'
import { openFaces, openLabels, openPoints } from './lists'
import type { FaceLists, NumberList } from './lists'

/** -1 as an unsigned number. */
const NO_CELL = 0xffffffff

export interface Patch {
  name: string
  type: string
  nFaces: number
  startFace: number
  /** Whether it is a seam whose faces count on another processor. */
  isOtherSide: boolean
  /** The patch whose faces are behind those of this one, one by one and unturned, where the mesh goes on there. */
  neighbour?: string
}

/** The mesh of one processor, or of the whole region. */
export interface FoamPiece extends FaceLists {
  /** Folder, for messages. */
  mesh: string
  /** (3 × nPoints) */
  coordinates: NumberList<FloatArray>
  owner: NumberList<Uint32Array>
  /** Of the faces between two cells, which come first. */
  neighbour: NumberList<Uint32Array>
  patches: Patch[]
  nCells: number
  /** Positions of faces in `owner`, as far as they are between two cells, and in `neighbour`. */
  spans: { owner: Spans; neighbour: Spans }
}

/** Of each run of 2^SPAN_BITS cells: the first entry of a list that names one of them, and the end of the last. */
export interface Spans {
  first: number[]
  end: number[]
}

export const SPAN_BITS = 14
const WINDOW = 1 << 18

/** Patches that are seams between processors, not boundaries of the case. */
export function isSeam(patch: Patch): boolean {
  return patch.type.startsWith('processor')
}

/** @param moved  folder of points of another moment, when they move */
export function openCoordinates(files: FoamFiles, mesh: string, moved: string | undefined): Promise<NumberList<FloatArray>> {
  return openPoints(files, `${moved ?? mesh}points`)
}

/**
 * Opens a mesh and looks through its lists of cells, without holding what is stored raw in its files.
 *
 * @param mesh  folder of the mesh: `constant/polyMesh/`
 */
export async function openPiece(files: FoamFiles, mesh: string, moved: string | undefined): Promise<FoamPiece> {
  const coordinates = await openCoordinates(files, mesh, moved)
  const { offsets, points } = await openFaces(files, `${mesh}faces`)
  const owner = await openLabels(files, `${mesh}owner`)
  const listed = await openLabels(files, `${mesh}neighbour`)
  const patches = await readPatches(files, mesh)
  const nFaces = Math.max(0, offsets.length - 1)
  const damaged = (why: string): FormatError => inconsistent(mesh, why)
  if (owner.length !== nFaces) throw damaged(`${owner.length} owners for ${nFaces} faces`)
  if (listed.length > nFaces) throw damaged(`${listed.length} neighbours for ${nFaces} faces`)
  for (const patch of patches)
    if (!(patch.startFace >= 0 && patch.startFace + patch.nFaces <= nFaces))
      throw damaged(`the patch ${patch.name} has faces that are not there`)
  const neighbours = await lookThrough(listed, listed.length)
  const nInner = neighbours.end
  const owners = await lookThrough(owner, nInner)
  const outer = await lookThrough(owner, nFaces, nInner)
  for (const patch of patches)
    if (patch.nFaces && patch.startFace < nInner) throw damaged(`the patch ${patch.name} has faces between two cells`)
  if (owners.end < nInner || outer.end < nFaces) throw damaged(`the face ${Math.min(owners.end, outer.end)} has no owner`)
  const nOwners = Math.max(owners.largest, outer.largest) + 1
  const nCells = nOwners + (neighbours.largest < nOwners ? 0 : await ownerless(listed, nInner, nOwners))
  if (neighbours.largest >= nCells) throw damaged(`a face has the neighbour ${neighbours.largest}, but there are only ${nOwners} cells`)
  if (nCells > nFaces) throw damaged(`${nCells} cells with only ${nFaces} faces`)
  return {
    mesh,
    coordinates,
    offsets,
    points,
    owner,
    neighbour: { ...listed, length: nInner },
    patches,
    nCells,
    spans: { owner: owners.spans, neighbour: neighbours.spans },
  }
}

export function inconsistent(mesh: string, why: string): FormatError {
  return new FormatError('inconsistent', `${mesh}: ${why}; the mesh is inconsistent, write it again.`)
}

/** Cells behind the last owner: each of their faces is owned by another cell. */
async function ownerless(neighbours: NumberList<Uint32Array>, n: number, nOwners: number): Promise<number> {
  const found = new Set<number>()
  for (let start = 0; start < n; start += WINDOW) {
    for (const cell of await neighbours.read(start, Math.min(start + WINDOW, n))) if (cell >= nOwners) found.add(cell)
  }
  return found.size
}

/** Labels [from, to) of a list, up to the first -1, which older files have for the neighbours of faces at the boundary. */
async function lookThrough(list: NumberList<Uint32Array>, to: number, from = 0): Promise<{ spans: Spans; largest: number; end: number }> {
  const spans: Spans = { first: [], end: [] }
  let largest = -1
  for (let start = from; start < to; start += WINDOW) {
    const labels = await list.read(start, Math.min(start + WINDOW, to))
    for (let i = 0, last = -1; i < labels.length; i++) {
      const cell = labels[i]!
      if (cell === NO_CELL) return { spans, largest, end: start + i }
      if (cell > largest) largest = cell
      const k = cell >>> SPAN_BITS
      if (k !== last) spans.first[k] ??= start + i
      spans.end[k] = start + i + 1
      last = k
    }
  }
  return { spans, largest, end: to }
}

export async function readPatches(files: FoamFiles, mesh: string): Promise<Patch[]> {
  const reader = await openFoam(files, `${mesh}boundary`)
  if (!reader) throw missingFile(`${mesh}boundary`)
  const patches: Patch[] = []
  // the number of patches may be left out
  if (reader.peek() !== '(') reader.number()
  reader.expect('(')
  for (let name = reader.token(); name !== ')'; name = reader.token()) {
    if (name === '') throw reader.damaged('it is cut off')
    const patch: Patch = { name, type: '', nFaces: 0, startFace: 0, isOtherSide: false }
    const processors = { myProcNo: 0, neighbProcNo: 0 }
    let isTurned = false
    reader.expect('{')
    for (let key = reader.token(); key !== '}'; key = reader.token()) {
      if (key === '') throw reader.damaged('it is cut off')
      if (key === 'type') patch.type = reader.token()
      else if (key === 'nFaces' || key === 'startFace') patch[key] = reader.number()
      else if (key === 'myProcNo' || key === 'neighbProcNo') processors[key] = reader.number()
      else if (key === 'neighbourPatch') patch.neighbour = reader.token()
      else if (key === 'transform') isTurned = reader.peek() === 'rotational'
      reader.skipEntry()
    }
    if (patch.type !== 'cyclic' || isTurned) delete patch.neighbour
    patch.isOtherSide = patch.type === 'processor' && processors.neighbProcNo < processors.myProcNo
    patches.push(patch)
  }
  return patches
}

/** The outer faces of a piece: small, and sufficient for patches and seams. */
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

export async function boundaryOf(piece: FoamPiece): Promise<FoamBoundary> {
  const { patches, nCells, coordinates, owner, neighbour } = piece
  const firstFace = neighbour.length
  const { offsets, points } = await readFaces(piece, firstFace, owner.length)
  const { places, different } = placesAmong(points)
  return {
    ...{
      patches,
      nCells,
      nPoints: coordinates.length,
      firstFace,
      nodes: places,
      numbers: different,
      points: await gatherItems(coordinates, different, 3),
    },
    ...{ offsets, owner: await owner.read(firstFace, owner.length) },
  }
}

/** Faces [from, to) of a piece. @throws FormatError for faces that are none */
export async function readFaces({ mesh, offsets, points, coordinates }: FoamPiece, from: number, to: number): Promise<Faces> {
  const ends = offsets.length ? await offsets.read(from, to + 1) : new Uint32Array(1)
  const start = ends[0]!
  const own = new Uint32Array(ends.length)
  for (let f = 0, end = start; f < ends.length; f++) {
    if (!(ends[f]! >= end && ends[f]! <= points.length)) throw inconsistent(mesh, 'its faces are not in order')
    end = ends[f]!
    own[f] = end - start
  }
  const list = await points.read(start, ends[ends.length - 1]!)
  for (let i = 0; i < list.length; i++) {
    if (list[i]! >= coordinates.length)
      throw inconsistent(mesh, `a face refers to point ${list[i]}, but there are only ${coordinates.length}`)
  }
  return { offsets: own, points: list }
}

/** Faces of a patch of all pieces; they wind out of the region. */
export function patchMesh(boundaries: readonly FoamBoundary[], name: string): SelectedMesh {
  return joinedSurface(boundaries.map((boundary) => patchFaces(boundary, name)))
}

/** One surface of the parts that the pieces have of it. */
export function joinedSurface(groups: readonly SourceMesh[]): SelectedMesh {
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
  return faceCells(
    points,
    ends.map((end) => end - ends[0]!),
    nodes.slice(ends[0], ends[ends.length - 1]),
  )
}

/** Faces as cells of their own, with the points they use. */
export function faceCells(points: FloatArray, offsets: Uint32Array, connectivity: Uint32Array): SourceMesh {
  const types = Uint8Array.from({ length: offsets.length - 1 }, (_, f) => {
    const n = offsets[f + 1]! - offsets[f]!
    return n === 3 ? CellType.triangle : n === 4 ? CellType.quad : CellType.polygon
  })
  return { ...compactPoints(points, connectivity), types, offsets, connectivity }
}
