/** The outer surface of a case in plain grey, ready before its blocks are: what the stage shows while a case is read. */
import { cellDimension } from '../../core/mesh/cellTypes'
import { boxCentre, boxOfPoints, unionBox } from '../../core/mesh/boxes'
import { Growing } from '../../core/mesh/growing'
import type { NormalMesh } from '../../core/mesh/normaliseCells'
import type { Skin } from '../../core/mesh/skin'
import type { Packet } from '../../core/store/packet'

/** `points` and `elements` (triangles) about an origin. */
export function firstLook(skins: readonly Skin[]): Packet {
  const origin = boxCentre(unionBox(skins.map((skin) => boxOfPoints(skin.points))))
  const points = new Float32Array(skins.reduce((n, skin) => n + skin.points.length, 0))
  const elements = new Growing(Uint32Array)
  let first = 0
  for (const { points: own, starts, nodes } of skins) {
    for (let i = 0; i < own.length; i++) points[3 * first + i] = own[i]! - origin[i % 3]!
    for (let f = 0; f + 1 < starts.length; f++) {
      for (let i = starts[f]! + 1; i + 1 < starts[f + 1]!; i++) elements.pushAll([first + nodes[starts[f]!]!, first + nodes[i]!, first + nodes[i + 1]!])
    }
    first += own.length / 3
  }
  return { meta: { origin }, arrays: { points, elements: elements.finish() } }
}

/** The faces of a surface as they are. */
export function facesOf({ points, types, offsets, connectivity }: NormalMesh): Skin {
  const starts = new Growing(Uint32Array)
  const nodes = new Growing(Uint32Array)
  for (let c = 0; c < types.length; c++) {
    if (cellDimension(types[c]!) !== 2) continue
    starts.push(nodes.length)
    nodes.pushAll(connectivity.subarray(offsets[c]!, offsets[c + 1]!))
  }
  starts.push(nodes.length)
  return { starts: starts.finish(), nodes: nodes.finish(), numbers: Uint32Array.from({ length: points.length / 3 }, (_, p) => p), points: Float64Array.from(points) }
}
