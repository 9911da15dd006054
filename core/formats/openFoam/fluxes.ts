/** Values on faces inside a region: on those of a zone, and what they come to for each cell. */
import { FormatError } from '../../errors'
import type { FloatArray } from '../../mesh/MeshBlock'
import { gatherItems } from '../gatherItems'
import { rangeOf } from './cells'
import { innerValues, storedValues } from './fields'
import type { FoamField } from './fields'
import type { NumberList } from './lists'
import type { FoamPiece } from './mesh'
import type { ZoneFaces } from './zones'

const FACES = 1 << 18

/** @throws FormatError where the values inside are not as many as the faces between two cells */
function checkFaces({ internal }: FoamField, { neighbour }: FoamPiece, path: string): void {
  if (internal.list && internal.list.length !== neighbour.length)
    throw new FormatError(
      'wrong-length',
      `${path} has ${internal.list.length} values for ${neighbour.length} faces between two cells; the case is inconsistent.`,
    )
}

/**
 * Values of a field on faces at the faces of a zone on one processor. Those of a flux count to the side of the zone.
 *
 * @param isFlux  whether values have the sign of the face's own side
 */
export async function zoneValues(
  field: FoamField,
  { piece, faces: { faces, flips } }: { piece: FoamPiece; faces: ZoneFaces },
  path: string,
  isFlux: boolean,
): Promise<FloatArray> {
  const { internal, components } = field
  checkFaces(field, piece, path)
  const nInner = piece.neighbour.length
  const out = new Float64Array(components * faces.length).fill(NaN)
  const inside = faces.filter((face) => face < nInner)
  if (internal.list) out.set(await gatherItems(internal.list, inside, components))
  else for (let i = 0; i < inside.length * components; i++) out[i] = internal.one[i % components]!
  for (const patch of piece.patches) {
    const stored = storedValues(field, patch)
    if (!stored) continue
    for (let i = inside.length; i < faces.length; i++) {
      const at = faces[i]! - patch.startFace
      if (at >= 0 && at < patch.nFaces) out.set(stored.subarray(at * components, (at + 1) * components), i * components)
    }
  }
  if (isFlux) for (let i = 0; i < out.length; i++) if (flips[i]) out[i] = -out[i]!
  return out
}

/**
 * What leaves cells [from, to) of one processor through all of their faces: in a flow that conserves mass nothing, but for what is
 * stored or comes from sources.
 */
export async function netOutflow(field: FoamField, piece: FoamPiece, path: string, from: number, to: number): Promise<FloatArray> {
  checkFaces(field, piece, path)
  const { owner, neighbour, spans, patches } = piece
  const out = new Float64Array(to - from)
  const add = async (
    cells: NumberList<Uint32Array>,
    sign: number,
    range: readonly [number, number],
    valuesOf: (start: number, end: number) => Promise<FloatArray>,
  ): Promise<void> => {
    for (let [start, end] = range; start < end; start += FACES) {
      const stop = Math.min(start + FACES, end)
      const [labels, values] = [await cells.read(start, stop), await valuesOf(start, stop)]
      for (let i = 0; i < labels.length; i++) if (labels[i]! >= from && labels[i]! < to) out[labels[i]! - from]! += sign * values[i]!
    }
  }
  const inside = (start: number, end: number): Promise<FloatArray> => innerValues(field, start, end)
  await add(owner, 1, rangeOf(spans.owner, from, to), inside)
  await add(neighbour, -1, rangeOf(spans.neighbour, from, to), inside)
  for (const patch of patches) {
    const { startFace, nFaces, type } = patch
    // nothing passes the sides of a mesh of one layer
    if (type === 'empty') continue
    const stored = storedValues(field, patch)
    const values = async (start: number, end: number): Promise<FloatArray> =>
      stored?.subarray(start - startFace, end - startFace) ?? new Float64Array(end - start).fill(NaN)
    await add(owner, 1, [startFace, startFace + nFaces], values)
  }
  return out
}
