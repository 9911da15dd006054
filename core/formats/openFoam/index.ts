/**
 * OpenFOAM-type case folders: polyhedral mesh, patches, ASCII or binary, plain or gzip, several regions, all times, moving
 * points; serial, or decomposed and then joined without doubles. The dimensions of fields give their units.
 */
import { FormatError } from '../../errors'
import { parseUnit, sameDimensions } from '../../fields/units'
import type { FloatArray } from '../../mesh/MeshBlock'
import type { SourceMesh } from '../../mesh/normaliseCells'
import type { SourceFolder } from '../ByteSource'
import type { FolderFormat, FormatWindows, OpenCase } from '../Format'
import { joinFloats } from '../meshParts'
import { overlaps, startsOf, windowsOfPieces } from '../pieces'
import { joinFields, SourceCase, timeMoment } from '../SourceCase'
import type { SourceField, SourcePart } from '../SourceCase'
import { fieldKind, innerValues, openField, patchValues, readUnit } from './fields'
import type { FoamField } from './fields'
import { FoamCells, KEPT_FACES } from './cells'
import { missingFile, openFoamHead } from './files'
import type { FoamFiles } from './files'
import { transcriptLimits } from './lists'
import { filesOfTimes, movesOf, timesOf } from './times'
import { boundaryOf, inconsistent, isSeam, openCoordinates, openPiece, patchMesh, readPatches } from './mesh'
import type { FoamBoundary, FoamPiece, Patch } from './mesh'
import { bytesOf, Recent } from './Recent'

const MESH_FILE = /^((?:processor\d+\/)?constant\/(?:([^/]+)\/)?polyMesh\/)faces(\.gz)?$/
/** Bytes of what was read that are kept for the next part. */
const KEPT = 64 * 2 ** 20
/** Bytes of the transcripts of a mesh that does not stand raw in its files. */
const TRANSCRIPT = { cell: 90, point: 24 }

export const openFoamFolder: FolderFormat = {
  id: 'OpenFOAM case',
  /** Folders that hold a mesh, serial or decomposed. */
  roots(names) {
    // there may be hundreds of thousands: most are told by a look for one word
    const found = names.filter((name) => name.includes('polyMesh/faces')).map((name) => /^(.*?\/?)(?:processor\d+\/)?constant\/(?:[^/]+\/)?polyMesh\/faces(?:\.gz)?$/.exec(name)?.[1])
    return [...new Set(found.filter((root) => root !== undefined))]
  },
  async open(folder, root) {
    const names = new Set((await folder.list(root)).map((name) => name.slice(root.length)))
    return new FoamCase({ folder: below(folder, root), names, transcripts: new Recent(transcriptLimits) }, root.slice(0, -1) || 'The folder').open()
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
  }
}

interface Region {
  /** Empty for the only one. */
  name: string
  /** Folders of processors with a slash, or one empty text. */
  processors: string[]
}

/** Folder of a processor's mesh, and of its points when they moved. */
interface Place {
  mesh: string
  moved: string | undefined
}

interface Counts {
  nCells: number
  nPoints: number
  /** Whether its lists stand raw in its files. */
  isRaw: boolean
}

class FoamCase {
  private readonly recent = new Recent({ limit: KEPT })
  private readonly counted = new Map<string, Promise<Counts>>()
  /** Of each region, by moment. */
  private readonly moves = new Map<string, (string | undefined)[]>()

  constructor(
    private readonly files: FoamFiles,
    private readonly name: string,
  ) {}

  async open(): Promise<OpenCase> {
    const regions = this.regions()
    const times = this.times(regions[0]!.processors[0]!)
    const parts: SourcePart[] = []
    const fields: SourceField[] = []
    const cautions = new Set<string>()
    const onFaces = new Set<string>()
    for (const region of regions) {
      const own = await this.partsOf(region, times)
      const known = await this.fieldsOf(region, times, own, onFaces)
      // regions are split off from a mesh that stays there, with its fields of the beginning
      const isUsed = known.some((field) => times.length < 2 || field.moments!.includes(times.length - 1))
      if (!region.name && !isUsed && regions.length > 1) {
        cautions.add('The mesh in constant/polyMesh has no results and is left out: the regions were split off from it.')
        continue
      }
      parts.push(...own)
      fields.push(...known)
    }
    if (onFaces.size) cautions.add(`${[...onFaces].join(', ')} ${onFaces.size === 1 ? 'lives' : 'live'} on faces: read on the patches, not on the faces inside.`)
    const moments = times.map((time) => timeMoment(Number(time)))
    return new SourceCase({ format: 'OpenFOAM case', name: this.name, lengthUnit: 'm', parts, fields: joinFields(fields), cautions: [...cautions], ...(moments.length && { moments }) }).compareMeshes()
  }

  private regions(): Region[] {
    const found = new Map<string, Set<string>>()
    for (const name of this.files.names) {
      const match = MESH_FILE.exec(name)
      if (!match) continue
      const processor = /^processor\d+\//.exec(name)?.[0] ?? ''
      found.set(match[2] ?? '', (found.get(match[2] ?? '') ?? new Set()).add(processor))
    }
    if (!found.size) throw new FormatError('no-mesh', `${this.name} holds no mesh in constant/polyMesh; name the folder of the case.`)
    return [...found].map(([name, processors]) => ({ name, processors: this.chosen(name, processors) }))
  }

  /** The joined mesh where it has results of its own, else the processors, none missing. */
  private chosen(region: string, processors: Set<string>): string[] {
    const divided = [...processors].filter(Boolean).sort((a, b) => parseInt(a.slice(9)) - parseInt(b.slice(9)))
    if (!divided.length || (processors.has('') && this.times('').length >= this.times(divided[0]!).length)) return ['']
    const last = parseInt(divided[divided.length - 1]!.slice(9))
    const missing = Array.from({ length: last + 1 }, (_, k) => `processor${k}/`).filter((name) => !processors.has(name))
    if (missing.length) throw new FormatError('missing-part', `${this.name} lacks the mesh of ${missing.slice(0, 5).join(', ').replaceAll('/', '')}${region && ` for ${region}`}; copy all parts of the decomposed run.`)
    return divided
  }

  private times(processor: string): string[] {
    return timesOf(this.files.names, processor)
  }

  private async partsOf(region: Region, times: readonly string[]): Promise<SourcePart[]> {
    let nCells = 0
    let nPoints = 0
    for (const { mesh } of this.places(region, times, 0)) {
      const counts = await this.counts(mesh)
      nCells += counts.nCells
      nPoints += counts.nPoints
    }
    const patches = await this.patchesOf(region, times)
    const version = (moment: number): Promise<string> => Promise.resolve(this.movedTo(region, times, moment) ?? 'fixed')
    const regionName = region.name || 'region'
    const volume: SourcePart = {
      ...{ name: regionName, dimension: 3, points: nPoints, cells: nCells, cellTypes: { polyhedron: nCells }, version },
      mesh: (moment) => this.regionMesh(region, times, moment),
      windows: (moment) => this.windows(region, times, moment),
    }
    const surfaces = [...patches].map(([name, { type, nFaces }]): SourcePart => ({
      ...{ name: region.name ? `${regionName}/${name}` : name, dimension: 2, points: 0, cells: nFaces, cellTypes: { face: nFaces }, role: type, version },
      mesh: async (moment) => patchMesh(await this.boundaries(region, times, moment), name),
    }))
    return [volume, ...surfaces]
  }

  /** Patches of the first mesh, and those that only later ones have. */
  private async patchesOf(region: Region, times: readonly string[]): Promise<Map<string, { type: string; nFaces: number }>> {
    const all = new Map<string, { type: string; nFaces: number }>()
    const seen = new Set<string>()
    for (let moment = 0; moment === 0 || moment < times.length; moment++) {
      const places = this.places(region, times, moment)
      if (seen.has(places[0]!.mesh)) continue
      seen.add(places[0]!.mesh)
      const own = new Map<string, { type: string; nFaces: number }>()
      for (const { mesh } of places) for (const patch of await readPatches(this.files, mesh)) addPatch(own, patch)
      for (const [name, patch] of own) if (!all.has(name)) all.set(name, patch)
    }
    return all
  }

  /** Counts from the note in the header of `owner`, else from the lists themselves. */
  private counts(mesh: string): Promise<Counts> {
    let found = this.counted.get(mesh)
    if (!found) {
      found = this.count(mesh)
      found.catch(() => this.counted.delete(mesh))
      this.counted.set(mesh, found)
    }
    return found
  }

  private async count(mesh: string): Promise<Counts> {
    const head = await openFoamHead(this.files, `${mesh}owner`)
    if (!head) throw missingFile(`${mesh}owner`)
    const note = head.header['note'] ?? ''
    const [nCells, nPoints] = ['nCells', 'nPoints'].map((key) => Number(new RegExp(`${key}: *(\\d+)`).exec(note)?.[1] ?? NaN))
    const isPlain = ['owner', 'neighbour', 'faces', 'points'].every((name) => this.files.names.has(mesh + name))
    const isRaw = head.isBinary && isPlain && (await openFoamHead(this.files, `${mesh}faces`))!.class === 'faceCompactList'
    if (nCells! >= 0 && nPoints! >= 0) return { nCells: nCells!, nPoints: nPoints!, isRaw }
    const piece = await openPiece(this.files, mesh, undefined)
    return { nCells: piece.nCells, nPoints: piece.coordinates.length, isRaw }
  }

  /** Folder of the time at which the points of a moment were last written. */
  private movedTo({ name, processors }: Region, times: readonly string[], moment: number): string | undefined {
    let moves = this.moves.get(name)
    if (!moves) this.moves.set(name, (moves = movesOf(this.files.names, processors[0]!, times, name ? `${name}/` : '')))
    return moves[moment]
  }

  /** Where each processor has its mesh at a moment, and its points when they moved. */
  private places(region: Region, times: readonly string[], moment: number): Place[] {
    const moved = this.movedTo(region, times, moment)
    const prefix = region.name ? `${region.name}/` : ''
    return region.processors.map((processor) => {
      const fixed = `${processor}constant/${prefix}polyMesh/`
      const own = moved && `${processor}${moved}/${prefix}polyMesh/`
      // a mesh that was refined or divided anew is written whole, one that only moves as points alone
      const isWhole = own && (this.files.names.has(`${own}faces`) || this.files.names.has(`${own}faces.gz`))
      return { mesh: isWhole ? own : fixed, moved: own }
    })
  }

  private piece({ mesh, moved }: Place): Promise<FoamPiece> {
    const open = async (): Promise<FoamPiece> => {
      const piece = await openPiece(this.files, mesh, moved)
      const { nCells } = await this.counts(mesh)
      if (piece.nCells !== nCells) throw inconsistent(mesh, `it has ${piece.nCells} cells, but its header states ${nCells}`)
      return piece
    }
    return this.recent.get(`mesh ${mesh} ${moved}`, open, ({ spans }) => 32 * (spans.owner.first.length + spans.neighbour.first.length) + 1)
  }

  private boundaries(region: Region, times: readonly string[], moment: number): Promise<FoamBoundary[]> {
    const read = async (): Promise<FoamBoundary[]> => {
      const out: FoamBoundary[] = []
      for (const place of this.places(region, times, moment)) out.push(await boundaryOf(await this.piece(place)))
      return out
    }
    return this.recent.get(`outside ${region.name} ${this.movedTo(region, times, moment)}`, read, bytesOf)
  }

  /** Piece by piece: one is held at a time. */
  private async windows(region: Region, times: readonly string[], moment: number): Promise<FormatWindows> {
    const places = this.places(region, times, moment)
    const counts = await Promise.all(places.map(({ mesh }) => this.counts(mesh)))
    let reader: { k: number; cells: FoamCells } | undefined
    return windowsOfPieces({
      name: region.name || this.name,
      sizes: counts.map(({ nPoints, nCells }) => ({ points: nPoints, cells: nCells })),
      points: async (k, from, to) => {
        const { mesh, moved } = places[k]!
        const points = await this.recent.get(`points ${mesh} ${moved}`, () => openCoordinates(this.files, mesh, moved), () => 1)
        return points.read(from, Math.min(to, points.length))
      },
      cells: async (k, from, to) => {
        const piece = await this.piece(places[k]!)
        // faces of one piece are kept at a time
        if (reader?.k !== k) reader = { k, cells: new FoamCells(piece) }
        return reader.cells.read(from, to)
      },
      outside: async (k) => (await this.boundaries(region, times, moment))[k]!,
      memory: KEPT + KEPT_FACES,
      scratch: counts.reduce((sum, { nPoints, nCells, isRaw }) => sum + (isRaw ? 0 : nCells * TRANSCRIPT.cell + nPoints * TRANSCRIPT.point), 0),
    })
  }

  private async regionMesh(region: Region, times: readonly string[], moment: number): Promise<SourceMesh> {
    const { nPoints, nCells, points, cells, joined } = await this.windows(region, times, moment)
    const mesh = { points: await points(0, nPoints), ...(await cells(0, nCells)) }
    return { ...mesh, nPoints: nPoints - joined!() }
  }

  private async fieldsOf(region: Region, times: readonly string[], parts: readonly SourcePart[], onFaces: Set<string>): Promise<SourceField[]> {
    const names = parts.map((part) => part.name)
    // nothing passes the sides of a mesh of one layer: files hold no values there
    const patches = parts.slice(1).filter((part) => part.role !== 'empty').map((part) => part.name)
    const prefix = region.name ? `${region.name}/` : ''
    const fields: SourceField[] = []
    for (const [name, moments] of [...filesOfTimes(this.files.names, region.processors[0]!, times, prefix)].sort(([a], [b]) => (a < b ? -1 : 1))) {
      const path = `${region.processors[0]}${times[moments[0]!]}/${prefix}${name}`
      const head = await openFoamHead(this.files, path)
      const kind = head && fieldKind(head.class)
      if (!kind) continue
      const unit = readUnit(head)
      if (kind.place === 'face') onFaces.add(name)
      fields.push({
        ...{ name, components: kind.components, unit, numberType: 'Float64', moments },
        // a rate is what passes a whole face, anything else a value there
        place: kind.place === 'face' && !(kind.components === 1 && unit && isRate(unit)) ? 'boundary face' : kind.place,
        parts: kind.place === 'cell' ? names : kind.place === 'point' ? names.slice(0, 1) : patches,
        read: (part, moment) => this.values(region, times, moment, name, part),
        window: (from, to, part, moment) => this.window(region, times, moment, name, part, [from, to]),
      })
    }
    return fields
  }

  private field(path: string): Promise<FoamField> {
    return this.recent.get(`field ${path}`, () => openField(this.files, path), ({ patches }) => bytesOf([...patches.values()]) + 1000)
  }

  private pathsOf(region: Region, times: readonly string[], moment: number, name: string): string[] {
    return region.processors.map((processor) => `${processor}${times[moment]}/${region.name ? `${region.name}/` : ''}${name}`)
  }

  private async values(region: Region, times: readonly string[], moment: number, name: string, part: string): Promise<FloatArray> {
    if (part === (region.name || 'region')) return this.inner(region, times, moment, name)
    const boundaries = await this.boundaries(region, times, moment)
    const out: FloatArray[] = []
    for (const [k, path] of this.pathsOf(region, times, moment, name).entries()) {
      out.push(await patchValues(await this.field(path), boundaries[k]!, region.name ? part.slice(region.name.length + 1) : part))
    }
    return joinFloats(out)
  }

  /** Of regions alone: patches are small. */
  private async window(region: Region, times: readonly string[], moment: number, name: string, part: string, [from, to]: [number, number]): Promise<FloatArray | undefined> {
    return part === (region.name || 'region') ? this.inner(region, times, moment, name, from, to) : undefined
  }

  /** Values [from, to) of a region. Headers tell how many each processor has: its mesh need not be read for them. */
  private async inner(region: Region, times: readonly string[], moment: number, name: string, from = 0, to = Infinity): Promise<FloatArray> {
    const paths = this.pathsOf(region, times, moment, name)
    const { place } = await this.field(paths[0]!)
    const counts = await Promise.all(this.places(region, times, moment).map(({ mesh }) => this.counts(mesh)))
    const sizes = counts.map(({ nPoints, nCells }) => (place === 'point' ? nPoints : nCells))
    const out: FloatArray[] = []
    for (const [k, start, end] of overlaps(startsOf(sizes), from, to)) {
      const field = await this.field(paths[k]!)
      if (field.internal.list) checkLength(field.internal.list.length, sizes[k]!, place, paths[k]!)
      out.push(await innerValues(field, start, end))
    }
    return joinFloats(out)
  }
}

function checkLength(length: number, n: number, place: string, path: string): void {
  if (length !== n) throw new FormatError('wrong-length', `${path} has ${length} values for ${n} ${place}s; the case is inconsistent.`)
}

/** Volume or mass in time. */
function isRate(unit: string): boolean {
  const found = parseUnit(unit)
  return found !== null && ['m³/s', 'kg/s'].some((rate) => sameDimensions(found.dimensions, parseUnit(rate)!.dimensions))
}

function addPatch(patches: Map<string, { type: string; nFaces: number }>, patch: Patch): void {
  if (isSeam(patch)) return
  const known = patches.get(patch.name)
  if (known) known.nFaces += patch.nFaces
  else patches.set(patch.name, { type: patch.type, nFaces: patch.nFaces })
}
