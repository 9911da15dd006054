/** The outer surface of a case in plain grey, ready before its blocks are: what the stage shows while a case is read. */
import { cellDimension, cellFaces } from '../../core/mesh/cellTypes'
import { boxCentre, boxOfPoints, unionBox } from '../../core/mesh/boxes'
import { matchFaces } from '../../core/mesh/faceMatching'
import type { NormalMesh } from '../../core/mesh/normaliseCells'
import type { Packet } from '../../core/store/packet'
import type { Catalogue } from '../../core/study/caseModel'

/** Surface parts where there are any, else the boundary of the regions; as `points` and `elements` about an origin. */
export function firstLook(catalogue: Catalogue, meshes: ReadonlyMap<string, NormalMesh>): Packet {
  const surfaces = catalogue.parts.filter((p) => p.dimension === 2)
  const chosen = surfaces.length ? surfaces : catalogue.parts.filter((p) => p.dimension === 3)
  const coordinates: number[] = []
  const elements: number[] = []
  const origin = boxCentre(unionBox(chosen.map((p) => boxOfPoints(meshes.get(p.name)!.points))))
  for (const { name } of chosen) {
    const mesh = meshes.get(name)!
    const index = new Int32Array(mesh.points.length / 3).fill(-1)
    const add = (p: number): number => {
      if (index[p]! < 0) {
        index[p] = coordinates.length / 3
        for (let d = 0; d < 3; d++) coordinates.push(mesh.points[3 * p + d]! - origin[d]!)
      }
      return index[p]!
    }
    for (const face of outerFaces(mesh)) {
      for (let i = 1; i < face.length - 1; i++) elements.push(add(face[0]!), add(face[i]!), add(face[i + 1]!))
    }
  }
  return { meta: { origin }, arrays: { points: Float32Array.from(coordinates), elements: Uint32Array.from(elements) } }
}

function* outerFaces(mesh: NormalMesh): Generator<number[]> {
  const { types, offsets, connectivity } = mesh
  for (let c = 0; c < types.length; c++) {
    if (cellDimension(types[c]!) === 2) yield [...connectivity.subarray(offsets[c]!, offsets[c + 1]!)]
  }
  const boundary = matchFaces(mesh, mesh.points.length / 3)
  for (let i = 0; i < boundary.length; i += 2) {
    const cell = boundary[i]!
    yield cellFaces[types[cell]!]![boundary[i + 1]!]!.map((node) => connectivity[offsets[cell]! + node]!)
  }
}
