/** The mesh of one region through all times: where each processor has it, its counts, its patches and face zones, its windows. */
import { FormatError } from '../../errors'
import type { SourceMesh } from '../../mesh/normaliseCells'
import type { FormatWindows } from '../Format'
import { KEPT_FACES } from '../facePages'
import { windowsOfPieces } from '../pieces'
import { FoamCells } from './cells'
import { missingFile, openFoamHead } from './files'
import type { FoamFiles } from './files'
import { boundaryOf, inconsistent, isSeam, openCoordinates, openPiece, readPatches } from './mesh'
import type { FoamBoundary, FoamPiece } from './mesh'
import { bytesOf } from './Recent'
import type { Recent } from './Recent'
import { movesOf } from './times'
import { readZones, zoneOf } from './zones'
import type { FaceZone, ZoneFaces } from './zones'

/** Bytes of what was read that are kept for the next part. */
export const KEPT = 64 * 2 ** 20
/** Bytes of the raw copies of a mesh that is not stored raw in its files. */
const RAW_COPY = { cell: 90, point: 24 }

/** Folder of a processor's mesh, and of its points when they moved. */
interface Place {
  mesh: string
  moved: string | undefined
}

interface Counts {
  nCells: number
  nPoints: number
  /** Whether its lists are stored raw in its files. */
  isRaw: boolean
}

/** A patch or face zone. */
export interface FoamSurface {
  type: string
  nFaces: number
}

export class RegionMesh {
  private readonly counted = new Map<string, Promise<Counts>>()
  private moves: (string | undefined)[] | undefined
  /** Of its files, between the folder of a time and their names. */
  readonly prefix: string
  /** What could not be read and is left out, known once the surfaces are. */
  readonly cautions = new Set<string>()

  /**
   * @param name        empty for the only region
   * @param processors  folders of processors with a slash, or one empty text
   * @param caseName    for messages of the only region
   */
  constructor(
    private readonly files: FoamFiles,
    private readonly recent: Recent,
    readonly name: string,
    readonly processors: readonly string[],
    readonly times: readonly string[],
    private readonly caseName: string,
  ) {
    this.prefix = name ? `${name}/` : ''
  }

  /** Of the mesh at a moment, by processor. */
  counts(moment: number): Promise<Counts[]> {
    return Promise.all(this.places(moment).map(({ mesh }) => this.countsOf(mesh)))
  }

  /** Patches and face zones of the first mesh, and those that only later ones have. A zone that has the name of a patch gets another. */
  async surfaces(): Promise<{ patches: Map<string, FoamSurface>; zones: Map<string, FoamSurface> }> {
    const patches = new Map<string, FoamSurface>()
    const zones = new Map<string, FoamSurface>()
    const seen = new Set<string>()
    for (let moment = 0; moment === 0 || moment < this.times.length; moment++) {
      // nearly all moments have the mesh of the one before
      if (moment && this.movedTo(moment) === this.movedTo(moment - 1)) continue
      const places = this.places(moment)
      if (seen.has(places[0]!.mesh)) continue
      seen.add(places[0]!.mesh)
      const own = { patches: new Map<string, FoamSurface>(), zones: new Map<string, FoamSurface>() }
      for (const { mesh } of places) {
        const listed = await readPatches(this.files, mesh)
        for (const patch of listed) if (!isSeam(patch)) addFaces(own.patches, patch.name, patch)
        for (const zone of await this.zonesOf(mesh))
          addFaces(own.zones, zone.name, { type: 'faceZone', nFaces: zoneOf(zone, listed).faces.length })
      }
      for (const [all, found] of [
        [patches, own.patches],
        [zones, own.zones],
      ] as const)
        for (const [name, surface] of found) if (!all.has(name)) all.set(name, surface)
    }
    return { patches, zones }
  }

  private zonesOf(mesh: string): Promise<FaceZone[]> {
    const read = async (): Promise<FaceZone[]> => {
      try {
        return await readZones(this.files, mesh)
      } catch (error) {
        if (!(error instanceof FormatError)) throw error
        // the mesh and its results are whole without them
        this.cautions.add(`Face zones are left out. ${error.message}`)
        return []
      }
    }
    return this.recent.get(`zones ${mesh}`, read, bytesOf)
  }

  /** Faces of a zone, by processor. */
  async zone(name: string, moment: number): Promise<{ piece: FoamPiece; faces: ZoneFaces }[]> {
    const out: { piece: FoamPiece; faces: ZoneFaces }[] = []
    for (const place of this.places(moment)) {
      const piece = await this.piece(place)
      const zone = (await this.zonesOf(place.mesh)).find((z) => z.name === name)
      out.push({ piece, faces: zoneOf(zone ?? { name, faces: new Uint32Array(0), flips: new Uint8Array(0) }, piece.patches) })
    }
    return out
  }

  /** Counts from the note in the header of `owner`, else from the lists themselves. */
  private countsOf(mesh: string): Promise<Counts> {
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
  movedTo(moment: number): string | undefined {
    this.moves ??= movesOf(this.files.names, this.processors[0]!, this.times, this.prefix)
    return this.moves[moment]
  }

  /** Where each processor has its mesh at a moment, and its points when they moved. */
  private places(moment: number): Place[] {
    const moved = this.movedTo(moment)
    return this.processors.map((processor) => {
      const fixed = `${processor}constant/${this.prefix}polyMesh/`
      const own = moved && `${processor}${moved}/${this.prefix}polyMesh/`
      // a mesh that was refined or divided is written completely, one that only moves as points
      const isWhole = own && (this.files.names.has(`${own}faces`) || this.files.names.has(`${own}faces.gz`))
      return { mesh: isWhole ? own : fixed, moved: own }
    })
  }

  /** The mesh of processor k. */
  pieceOf(k: number, moment: number): Promise<FoamPiece> {
    return this.piece(this.places(moment)[k]!)
  }

  private piece({ mesh, moved }: Place): Promise<FoamPiece> {
    const open = async (): Promise<FoamPiece> => {
      const piece = await openPiece(this.files, mesh, moved)
      const { nCells } = await this.countsOf(mesh)
      if (piece.nCells !== nCells) throw inconsistent(mesh, `it has ${piece.nCells} cells, but its header states ${nCells}`)
      return piece
    }
    return this.recent.get(`mesh ${mesh} ${moved}`, open, ({ spans }) => 32 * (spans.owner.first.length + spans.neighbour.first.length) + 1)
  }

  /** The outside, by processor. */
  boundaries(moment: number): Promise<FoamBoundary[]> {
    const read = async (): Promise<FoamBoundary[]> => {
      const out: FoamBoundary[] = []
      for (const place of this.places(moment)) out.push(await boundaryOf(await this.piece(place)))
      return out
    }
    return this.recent.get(`outside ${this.name} ${this.movedTo(moment)}`, read, bytesOf)
  }

  /** Piece by piece: one is held at a time. */
  async windows(moment: number): Promise<FormatWindows> {
    const places = this.places(moment)
    const counts = await this.counts(moment)
    let reader: { k: number; cells: FoamCells } | undefined
    return windowsOfPieces({
      name: this.name || this.caseName,
      sizes: counts.map(({ nPoints, nCells }) => ({ points: nPoints, cells: nCells })),
      points: async (k, from, to) => {
        const { mesh, moved } = places[k]!
        const points = await this.recent.get(
          `points ${mesh} ${moved}`,
          () => openCoordinates(this.files, mesh, moved),
          () => 1,
        )
        return points.read(from, Math.min(to, points.length))
      },
      cells: async (k, from, to) => {
        const piece = await this.piece(places[k]!)
        // faces of one piece are kept at a time
        if (reader?.k !== k) reader = { k, cells: new FoamCells(piece) }
        return reader.cells.read(from, to)
      },
      outside: async (k) => (await this.boundaries(moment))[k]!,
      memory: KEPT + KEPT_FACES,
      scratch: counts.reduce((sum, { nPoints, nCells, isRaw }) => sum + (isRaw ? 0 : nCells * RAW_COPY.cell + nPoints * RAW_COPY.point), 0),
    })
  }

  async whole(moment: number): Promise<SourceMesh> {
    const { nPoints, nCells, points, cells, joined } = await this.windows(moment)
    const mesh = { points: await points(0, nPoints), ...(await cells(0, nCells)) }
    return { ...mesh, nPoints: nPoints - joined!() }
  }
}

function addFaces(all: Map<string, FoamSurface>, name: string, { type, nFaces }: FoamSurface): void {
  const known = all.get(name)
  if (known) known.nFaces += nFaces
  else all.set(name, { type, nFaces })
}
