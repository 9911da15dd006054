/**
 * The outer surface of a case, ready before its blocks are: what the stage shows while a case is read. First in plain grey, then
 * coloured by one of its fields.
 */
import { cellDimension } from '../../core/mesh/cellTypes'
import { boxCentre, boxOfPoints, unionBox } from '../../core/mesh/boxes'
import { Growing } from '../../core/mesh/growing'
import type { NormalMesh } from '../../core/mesh/normaliseCells'
import type { Skin } from '../../core/mesh/skin'
import type { Packet } from '../../core/store/packet'
import type { OpenCase } from '../../core/formats/Format'
import { magnitude } from '../../core/measure/integrateCells'
import { storedPlace } from '../../core/case/catalogue'
import type { Catalogue, Field } from '../../core/case/catalogue'
import type { LookMeta } from '../../core/evaluate/pictures'
import { isNumbering } from '../../core/units/quantities'

/** The faces of a part as they are shown. */
export interface LookPart {
  name: string
  skin: Skin
  /** Number of each point of the part in its source, where it is another than its own. */
  pointSources: Uint32Array | undefined
}

/** Values of all faces, by point or by triangle. */
export interface LookValues extends NonNullable<LookMeta['values']> {
  values: Float32Array
}

/** Values read at a time of a field that need not fit into memory. */
const WINDOW = 1 << 22

/** Faces as triangles. */
export interface LookFaces {
  origin: [number, number, number]
  /** (3 × nPoints), about the origin. */
  points: Float32Array
  /** (3 × nTriangles) */
  elements: Uint32Array
}

export function lookFaces(parts: readonly LookPart[]): LookFaces {
  const origin = boxCentre(unionBox(parts.map(({ skin }) => boxOfPoints(skin.points))))
  const points = new Float32Array(parts.reduce((n, { skin }) => n + skin.points.length, 0))
  // a face of n nodes is n - 2 triangles
  const elements = new Uint32Array(3 * parts.reduce((n, { skin: { starts, nodes } }) => n + nodes.length - 2 * (starts.length - 1), 0))
  let [first, to] = [0, 0]
  for (const {
    skin: { points: own, starts, nodes },
  } of parts) {
    for (let i = 0; i < own.length; i += 3) for (let d = 0; d < 3; d++) points[3 * first + i + d] = own[i + d]! - origin[d]!
    for (let f = 0; f + 1 < starts.length; f++) {
      for (let i = starts[f]! + 1; i + 1 < starts[f + 1]!; i++) {
        elements[to++] = first + nodes[starts[f]!]!
        elements[to++] = first + nodes[i]!
        elements[to++] = first + nodes[i + 1]!
      }
    }
    first += own.length / 3
  }
  return { origin, points, elements }
}

/** `points` and `elements`, and `values` if there are some. */
export function firstLook({ origin, points, elements }: LookFaces, colour?: LookValues): Packet<LookMeta> {
  const { values, ...described } = colour ?? { values: undefined }
  return {
    meta: { origin, values: colour ? (described as LookMeta['values']) : null },
    arrays: { points, elements, ...(values && { values }) },
  }
}

/** Values of the first field that all shown parts have, a scalar if there is one; of vectors the magnitude. undefined: none */
export async function lookValues(opened: OpenCase, { fields }: Catalogue, parts: readonly LookPart[]): Promise<LookValues | undefined> {
  const fits = fields.filter(
    (f) =>
      f.moments.includes(0) &&
      f.components <= 3 &&
      f.place !== 'face' &&
      f.place !== 'corner' &&
      parts.every(({ name }) => f.parts.includes(name)),
  )
  const field = fits.find((f) => f.components === 1 && !isNumbering(f)) ?? fits.find((f) => !isNumbering(f))
  if (!field || !parts.length) return undefined
  const isByPoint = storedPlace(field.place) === 'point'
  const all = new Growing(Float32Array)
  for (const { name, skin, pointSources } of parts) {
    const sources = isByPoint ? skin.numbers.map((p) => pointSources?.[p] ?? p) : skin.cells
    const values = await valuesAt(opened, name, field, sources)
    if (isByPoint) all.pushAll(values)
    else for (let f = 0; f < values.length; f++) for (let i = skin.starts[f]! + 2; i < skin.starts[f + 1]!; i++) all.push(values[f]!)
  }
  const values = all.finish()
  const range: [number, number] = [Infinity, -Infinity]
  for (let i = 0; i < values.length; i++) {
    if (values[i]! < range[0]) range[0] = values[i]!
    if (values[i]! > range[1]) range[1] = values[i]!
  }
  return range[0] <= range[1]
    ? {
        name: field.components > 1 ? `mag(${field.name})` : field.name,
        unit: field.unit,
        place: isByPoint ? 'point' : 'element',
        values,
        range,
      }
    : undefined
}

/** Scalars or magnitudes by number in the source. */
async function valuesAt(opened: OpenCase, part: string, { name, components }: Field, sources: Uint32Array): Promise<Float32Array> {
  const out = new Float32Array(sources.length).fill(NaN)
  const n = sources.reduce((most, source) => Math.max(most, source), -1) + 1
  for (let from = 0; from < n; from += WINDOW) {
    const to = Math.min(from + WINDOW, n)
    const window = await opened.valuesWindow?.(part, name, 0, from, to)
    const values = window ?? (await opened.values(part, name, 0)).values
    for (let i = 0; i < sources.length; i++) {
      const at = window ? sources[i]! - from : sources[i]!
      if (at >= 0 && at * components < values.length) out[i] = magnitude(values, at, components)
    }
    if (!window) break
  }
  return out
}

/** The faces of a surface as they are. */
export function facesOf({ points, types, offsets, connectivity, cellNumbers }: NormalMesh): Skin {
  const starts = new Growing(Uint32Array)
  const nodes = new Growing(Uint32Array)
  const cells = new Growing(Uint32Array)
  for (let c = 0; c < types.length; c++) {
    if (cellDimension(types[c]!) !== 2) continue
    starts.push(nodes.length)
    nodes.pushAll(connectivity.subarray(offsets[c]!, offsets[c + 1]!))
    cells.push(cellNumbers[c]!)
  }
  starts.push(nodes.length)
  return {
    starts: starts.finish(),
    nodes: nodes.finish(),
    numbers: Uint32Array.from({ length: points.length / 3 }, (_, p) => p),
    points: Float64Array.from(points),
    cells: cells.finish(),
  }
}
