/**
 * A whole case in memory, for the command line: parts are read when first asked for, one moment at a time.
 * Surfaces are linked to the regions they bound, as at import.
 */
import { DataError } from '../errors'
import type { OpenCase } from '../formats/Format'
import { boxOfPoints } from '../mesh/boxes'
import { linkSurface, regionSkin } from '../mesh/linkSurfaces'
import { skinOf } from '../mesh/skin'
import type { Box } from '../mesh/MeshBlock'
import type { NormalMesh } from '../mesh/normaliseCells'
import { MemoryPart } from './MemoryPart'
import type { Catalogue, Part } from '../case/catalogue'
import type { CaseData } from '../case/CaseData'

/** Meshes that are read, to be used again for other moments with the same ones. */
export interface KnownMeshes {
  keys: string
  whole: Catalogue
  parts: Map<string, MemoryPart>
}

async function readMeshes(opened: OpenCase, moment: number, keys: string): Promise<KnownMeshes> {
  const { catalogue } = opened
  const meshes = new Map<string, NormalMesh>()
  for (const part of catalogue.parts) meshes.set(part.name, await opened.mesh(part.name, moment))
  const whole = linkAll(catalogue, meshes)
  const parts = new Map(whole.parts.map(({ name, dimension }) => [name, new MemoryPart(name, dimension, meshes.get(name)!)]))
  return { keys, whole, parts }
}

/**
 * Reads all parts and the named fields (all of them when undefined) that exist at one moment.
 *
 * @param known  what was read for another moment; kept up to date
 */
export async function readCase(
  opened: OpenCase,
  moment: number,
  fields?: ReadonlySet<string>,
  known: { meshes?: KnownMeshes } = {},
): Promise<CaseData> {
  const keys = (await Promise.all(opened.catalogue.parts.map(({ name }) => opened.meshKey(name, moment)))).join()
  if (known.meshes?.keys !== keys) known.meshes = await readMeshes(opened, moment, keys)
  const { whole, parts } = known.meshes
  const linked = { ...whole, fields: whole.fields.filter((field) => field.moments.includes(moment)) }
  for (const field of linked.fields) {
    if (fields && !fields.has(field.name)) continue
    for (const part of field.parts) parts.get(part)!.setField(field.name, await opened.values(part, field.name, moment))
  }
  return {
    catalogue: linked,
    part: (name) => {
      const part = parts.get(name)
      if (!part) throw new DataError('no-part', `There is no part “${name}”; the case has ${[...parts.keys()].join(', ')}.`)
      return part
    },
  }
}

/** Catalogue with bounds, and with the owners of surfaces; surfaces are re-wound in place. */
export function linkAll(catalogue: Catalogue, meshes: ReadonlyMap<string, NormalMesh>): Catalogue {
  const regions = catalogue.parts.filter((p) => p.dimension === 3).map((p) => p.name)
  const surfaces = catalogue.parts.filter((p) => p.dimension === 2)
  const skins = surfaces.length ? regions.map((name) => regionSkin(name, skinOf(meshes.get(name)!))) : []
  return {
    ...catalogue,
    parts: catalogue.parts.map((part) => {
      const mesh = meshes.get(part.name)!
      const known = describedPart(part, mesh, boxOfPoints(mesh.points))
      return part.dimension === 2 ? { ...known, owners: linkSurface(mesh, part.name, skins) } : known
    }),
  }
}

/** A part with what only its mesh tells. */
export function describedPart(
  part: Part,
  { nPoints, sourceTypes, mirrored }: Pick<NormalMesh, 'nPoints' | 'sourceTypes' | 'mirrored'>,
  box: Box,
): Part {
  return {
    ...part,
    // a table is nowhere
    bounds: box[0] <= box[3] && !part.abscissa ? box : part.bounds,
    points: nPoints ?? part.points,
    cellTypes: sourceTypes ?? part.cellTypes,
    ...(mirrored && { turnedCells: mirrored }),
  }
}
