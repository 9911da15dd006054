/** Face zones: sets of faces, most of them between two cells, each with a side of its own. They are surfaces inside a region. */
import type { SourceMesh } from '../../mesh/normaliseCells'
import { sortedPlaces } from '../../mesh/numbering'
import type { SelectedMesh } from '../../mesh/selectCells'
import { gatherItems } from '../gatherItems'
import { openFoam } from './files'
import type { FoamFiles } from './files'
import { faceCells, inconsistent, joinedSurface, readFaces } from './mesh'
import type { FoamPiece, Patch } from './mesh'

const PAGE = 1 << 13

/** Of the mesh of one processor. */
export interface FaceZone {
  name: string
  faces: Uint32Array
  /** 1 where the normal of the zone is opposite to that of the face. */
  flips: Uint8Array
}

/** Faces of a zone that count on their processor, ascending. */
export type ZoneFaces = Pick<FaceZone, 'faces' | 'flips'>

/** @param mesh  folder of the mesh. @throws FormatError when its file of face zones is damaged */
export async function readZones(files: FoamFiles, mesh: string): Promise<FaceZone[]> {
  const reader = await openFoam(files, `${mesh}faceZones`)
  if (!reader) return []
  const zones: FaceZone[] = []
  if (reader.peek() !== '(') reader.number()
  reader.expect('(')
  for (let name = reader.token(); name !== ')'; name = reader.token()) {
    if (name === '') throw reader.damaged('it is cut off')
    let faces: Uint32Array = new Uint32Array(0)
    let flips: Uint32Array | undefined
    reader.expect('{')
    for (let key = reader.token(); key !== '}'; key = reader.token()) {
      if (key === '') throw reader.damaged('it is cut off')
      if (key === ';') continue
      if (key === 'faceLabels') faces = reader.labels()
      else if (key === 'flipMap') flips = reader.flags()
      else reader.skipEntry()
    }
    // without sides all are those of the faces
    flips ??= new Uint32Array(faces.length)
    if (faces.length !== flips.length) throw reader.damaged(`the zone ${name} has ${faces.length} faces and ${flips.length} sides`)
    zones.push({ name, faces, flips: Uint8Array.from(flips) })
  }
  return zones
}

/** A face on the seam of two processors counts on the one that owns it: the first. */
export function zoneOf({ faces, flips }: FaceZone, patches: readonly Patch[]): ZoneFaces {
  const others = patches.filter((patch) => patch.isOtherSide)
  const isOther = (face: number): boolean => others.some(({ startFace, nFaces }) => face >= startFace && face < startFace + nFaces)
  const kept = Uint32Array.from(faces.keys())
    .filter((i) => !isOther(faces[i]!))
    .sort((a, b) => faces[a]! - faces[b]!)
  return { faces: kept.map((i) => faces[i]!), flips: Uint8Array.from(kept, (i) => flips[i]!) }
}

/** The faces of a zone on all processors, each turned to the side of the zone. @throws FormatError for faces that are not there */
export async function zoneMesh(pieces: readonly { piece: FoamPiece; faces: ZoneFaces }[]): Promise<SelectedMesh> {
  const groups: SourceMesh[] = []
  for (const { piece, faces } of pieces) groups.push(await facesOf(piece, faces))
  return joinedSurface(groups)
}

async function facesOf(piece: FoamPiece, { faces, flips }: ZoneFaces): Promise<SourceMesh> {
  const nFaces = piece.owner.length
  const last = faces[faces.length - 1]
  if (last !== undefined && last >= nFaces) throw inconsistent(piece.mesh, `a face zone names face ${last}, but there are only ${nFaces}`)
  const offsets = new Uint32Array(faces.length + 1)
  const nodes: Uint32Array[] = []
  for (let i = 0; i < faces.length;) {
    const from = faces[i]! - (faces[i]! % PAGE)
    const page = await readFaces(piece, from, Math.min(from + PAGE, nFaces))
    for (; i < faces.length && faces[i]! < from + PAGE; i++) {
      const own = page.points.slice(page.offsets[faces[i]! - from], page.offsets[faces[i]! - from + 1])
      nodes.push(flips[i] ? own.reverse() : own)
      offsets[i + 1] = offsets[i]! + own.length
    }
  }
  const all = new Uint32Array(offsets[faces.length]!)
  nodes.forEach((own, i) => all.set(own, offsets[i]))
  const { places, different } = sortedPlaces(all)
  return faceCells(await gatherItems(piece.coordinates, different, 3), offsets, places)
}
