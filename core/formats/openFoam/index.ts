/**
 * OpenFOAM-type case folders: polyhedral mesh, patches, ASCII or binary, plain or gzip, several regions, all times, moving
 * points; serial, or decomposed and then joined without doubles. The dimensions of fields give their units.
 */
import { FormatError } from '../../errors'
import type { SourceFolder } from '../ByteSource'
import type { FolderFormat, OpenCase } from '../Format'
import { joinFields, SourceCase, timeMoment } from '../SourceCase'
import type { SourceField, SourcePart } from '../SourceCase'
import type { FoamFiles } from './files'
import { rawCopyLimits } from './lists'
import { patchMesh } from './mesh'
import { Recent } from './Recent'
import { RegionFields } from './RegionFields'
import type { RegionParts } from './RegionFields'
import { KEPT, RegionMesh } from './RegionMesh'
import type { FoamSurface } from './RegionMesh'
import { timesOf } from './times'
import { zoneMesh } from './zones'

const MESH_FILE = /^((?:processor\d+\/)?constant\/(?:([^/]+)\/)?polyMesh\/)faces(\.gz)?$/
export const openFoamFolder: FolderFormat = {
  id: 'OpenFOAM case',
  /** Folders that hold a mesh, serial or decomposed. */
  roots(names) {
    // there may be hundreds of thousands: most are recognised by one word
    const found = names
      .filter((name) => name.includes('polyMesh/faces'))
      .map((name) => /^(.*?\/?)(?:processor\d+\/)?constant\/(?:[^/]+\/)?polyMesh\/faces(?:\.gz)?$/.exec(name)?.[1])
    return [...new Set(found.filter((root) => root !== undefined))]
  },
  async open(folder, root) {
    const names = new Set((await folder.list(root)).map((name) => name.slice(root.length)))
    return new FoamCase(
      { folder: below(folder, root), names, rawCopies: new Recent(rawCopyLimits) },
      root.slice(0, -1) || 'The folder',
    ).open()
  },
}

function below(folder: SourceFolder, root: string): SourceFolder {
  return {
    open: (name) => folder.open(root + name),
    list: async (within = '') => (await folder.list(root + within)).map((name) => name.slice(root.length)),
    decompress: (method, bytes, size) => folder.decompress(method, bytes, size),
    openHdf5: (name) => folder.openHdf5(root + name),
    inflated: (name) => folder.inflated(root + name),
    scratch: () => folder.scratch(),
    passing: (name, share) => folder.passing?.(root + name, share),
  }
}

class FoamCase {
  private readonly recent = new Recent({ limit: KEPT })

  constructor(
    private readonly files: FoamFiles,
    private readonly name: string,
  ) {}

  async open(): Promise<OpenCase> {
    const regions = this.regions()
    const parts: SourcePart[] = []
    const fields: SourceField[] = []
    const cautions = new Set<string>()
    for (const region of regions) {
      const own = await this.partsOf(region)
      const known = await new RegionFields(this.files, this.recent, region, own.names).all()
      // regions are split off from a mesh that stays there, with its fields of the beginning
      const isUsed = known.some((field) => region.times.length < 2 || field.moments!.includes(region.times.length - 1))
      if (!region.name && !isUsed && regions.length > 1) {
        cautions.add('The mesh in constant/polyMesh has no results and is left out: the regions were split off from it.')
        continue
      }
      parts.push(...own.parts)
      fields.push(...known)
      for (const caution of region.cautions) cautions.add(caution)
    }
    const all = joinFields(fields)
    const onFaces = all.filter((field) => field.place === 'face' || field.place === 'boundary face').map((field) => field.name)
    if (onFaces.length)
      cautions.add(
        onFacesInWords(
          onFaces,
          all.filter((field) => field.place === 'cell' && onFaces.includes(field.name.replace(/_net$/, ''))).map((field) => field.name),
        ),
      )
    const moments = regions[0]!.times.map((time) => timeMoment(Number(time)))
    return new SourceCase({
      format: 'OpenFOAM case',
      name: this.name,
      lengthUnit: 'm',
      parts,
      fields: all,
      cautions: [...cautions],
      ...(moments.length && { moments }),
    }).compareMeshes()
  }

  private regions(): RegionMesh[] {
    const found = new Map<string, Set<string>>()
    for (const name of this.files.names) {
      const match = MESH_FILE.exec(name)
      if (!match) continue
      const processor = /^processor\d+\//.exec(name)?.[0] ?? ''
      found.set(match[2] ?? '', (found.get(match[2] ?? '') ?? new Set()).add(processor))
    }
    if (!found.size) throw new FormatError('no-mesh', `${this.name} holds no mesh in constant/polyMesh; name the folder of the case.`)
    const chosen = [...found].map(([name, processors]) => ({ name, processors: this.chosen(name, processors) }))
    const times = this.times(chosen[0]!.processors[0]!)
    return chosen.map(({ name, processors }) => new RegionMesh(this.files, this.recent, name, processors, times, this.name))
  }

  /** The joined mesh where it has results of its own, else the processors, none missing. */
  private chosen(region: string, processors: Set<string>): string[] {
    const divided = [...processors].filter(Boolean).sort((a, b) => parseInt(a.slice(9)) - parseInt(b.slice(9)))
    if (!divided.length || (processors.has('') && this.times('').length >= this.times(divided[0]!).length)) return ['']
    const last = parseInt(divided[divided.length - 1]!.slice(9))
    const missing = Array.from({ length: last + 1 }, (_, k) => `processor${k}/`).filter((name) => !processors.has(name))
    if (missing.length)
      throw new FormatError(
        'missing-part',
        `${this.name} lacks the mesh of ${missing.slice(0, 5).join(', ').replaceAll('/', '')}${region && ` for ${region}`}; copy ` +
          `all parts of the decomposed run.`,
      )
    return divided
  }

  private times(processor: string): string[] {
    return timesOf(this.files.names, processor)
  }

  private async partsOf(mesh: RegionMesh): Promise<{ parts: SourcePart[]; names: RegionParts }> {
    const counts = await mesh.counts(0)
    const [nCells, nPoints] = (['nCells', 'nPoints'] as const).map((key) => counts.reduce((sum, own) => sum + own[key], 0)) as [
      number,
      number,
    ]
    const version = (moment: number): Promise<string> => Promise.resolve(mesh.movedTo(moment) ?? 'fixed')
    const volume = mesh.name || 'region'
    const parts: SourcePart[] = [
      {
        ...{ name: volume, dimension: 3, points: nPoints, cells: nCells, cellTypes: { polyhedron: nCells }, version },
        mesh: (moment) => mesh.whole(moment),
        windows: (moment) => mesh.windows(moment),
      },
    ]
    const surface = (name: string, { type, nFaces }: FoamSurface, read: SourcePart['mesh']): string => {
      const full = mesh.name ? `${volume}/${name}` : name
      parts.push({
        ...{ name: full, dimension: 2, points: 0, cells: nFaces, cellTypes: { face: nFaces }, role: type, version },
        mesh: read,
      })
      return full
    }
    const names = { volume, patches: new Map<string, string>(), zones: new Map<string, string>(), closed: new Set<string>() }
    const { patches, zones } = await mesh.surfaces()
    for (const [name, patch] of patches) {
      const full = surface(name, patch, async (moment) => patchMesh(await mesh.boundaries(moment), name))
      names.patches.set(full, name)
      if (patch.type === 'empty') names.closed.add(full)
    }
    for (const [name, zone] of zones) {
      // meshes that move or are joined keep zones for faces that are not there yet
      if (zone.nFaces)
        names.zones.set(
          surface(patches.has(name) ? `${name} zone` : name, zone, async (moment) => zoneMesh(await mesh.zone(name, moment))),
          name,
        )
    }
    return { parts, names }
  }
}

function onFacesInWords(onFaces: readonly string[], net: readonly string[]): string {
  const where =
    `${onFaces.join(', ')} ${onFaces.length === 1 ? 'lives' : 'live'} on faces: read on the patches and face zones, not ` +
    `on other faces inside`
  return net.length
    ? `${where}; ${net.join(', ')} ${net.length === 1 ? 'is' : 'are'} what leaves each cell through all of its faces.`
    : `${where}.`
}
