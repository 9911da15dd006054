/**
 * Stores the meshes of all parts at one moment. Surfaces are read first, since they are what the first look shows; regions
 * follow one by one, sorted through scratch files where the format can be read in windows, held in memory else; of each only
 * its skin stays, to which the surfaces are linked at the end.
 */
import { randomUUID } from 'node:crypto'
import { FormatError } from '../../core/errors'
import type { FormatWindows, OpenCase } from '../../core/formats/Format'
import { boxOfPoints } from '../../core/mesh/boxes'
import { matchFaces } from '../../core/mesh/faceMatching'
import { linkSurface, regionSkin } from '../../core/mesh/linkSurfaces'
import type { RegionSkin } from '../../core/mesh/linkSurfaces'
import type { NormalMesh } from '../../core/mesh/normaliseCells'
import { skinOf } from '../../core/mesh/skin'
import type { Skin } from '../../core/mesh/skin'
import { storedCells } from '../../core/mesh/splitCells'
import { memoryOfPart, writeMesh } from '../../core/store/blockStore'
import { LocalPlacer } from '../../core/store/CellPlacer'
import { needOfLargePart, storeLargePart } from '../../core/store/largePart'
import type { LargePart } from '../../core/store/largePart'
import { encodePacket } from '../../core/store/packet'
import { partition } from '../../core/store/partition'
import { meshFile, meshKey } from '../../core/store/storeKeys'
import type { Catalogue, Part } from '../../core/case/catalogue'
import { describedPart } from '../../core/store/memoryCase'
import { facesOf, firstLook, lookFaces, lookValues } from './firstLook'
import type { LookPart, LookValues } from './firstLook'
import type { ImportJob } from './ImportJob'
import { inWords } from './ImportJob'
import { PlacerThread } from './PlacerThread'
import { DiskScratch } from './scratchFile'

/** Bytes on disk of a stored point (with its copies at block borders) and of a stored cell. */
const STORED_POINT = 34
const STORED_CELL = 44
/** Cells up to which a region is read whole where it fits into memory, and for which a thread of its own would not pay. */
const SMALL = 100_000
const LINEAR: ReadonlySet<string> = new Set(['tetra', 'hexahedron', 'wedge', 'pyramid'])

export async function importMeshes(job: ImportJob, opened: OpenCase, catalogue: Catalogue, moment: number): Promise<Catalogue> {
  const regions = catalogue.parts.filter((p) => p.dimension === 3)
  const others = catalogue.parts.filter((p) => p.dimension < 3)
  const sorted = new Map<Part, FormatWindows>()
  for (const part of regions) {
    const isLarge = memoryOfPart(part) > 0.9 * job.task.budget
    const windows = isLarge || part.cells > SMALL ? await opened.windows?.(part.name, moment) : undefined
    if (windows) sorted.set(part, windows)
    else if (isLarge) throw tooLarge(part, job.task.budget)
  }
  await reserve(job, catalogue, sorted)
  const work = new MeshImport(job, opened, catalogue, moment)
  for (const part of others) await work.readOther(part)
  if (moment === 0 && work.hasSurfaces) await work.showFirst(work.surfaceFaces())
  for (const part of regions) await (sorted.has(part) ? work.storeSorted(part, sorted.get(part)!) : work.storeRegion(part))
  if (moment === 0 && !work.hasSurfaces && !regions.length) await work.showFirst([])
  for (const part of others) await work.storeOther(part)
  return { ...catalogue, parts: catalogue.parts.map((part) => work.described.get(part.name)!) }
}

/** Whether cells of a part must be split. */
function isSplit({ cellTypes }: Part): boolean {
  return Object.entries(cellTypes).some(([type, n]) => n > 0 && !LINEAR.has(type))
}

function needOf(part: Part, windows: FormatWindows): { memory: number; scratch: number } {
  const { memory, scratch } = needOfLargePart(part.points, part.cells, isSplit(part) ? storedCells(part) : 0)
  return { memory: memory + (windows.memory ?? 0), scratch: scratch + (windows.scratch ?? 0) }
}

function tooLarge(part: Part, budget: number): FormatError {
  return new FormatError(
    'too-large',
    `Reading ${part.name} needs about ${inWords(memoryOfPart(part))} of memory, more than the ${inWords(budget)} it may use, and ` +
      `this file cannot be read in pieces; raise STAVIK_MEMORY or write it as a binary .vtu file.`,
  )
}

/** @throws FormatError when memory or disk do not suffice, before anything is read */
async function reserve(job: ImportJob, { parts }: Catalogue, sorted: ReadonlyMap<Part, FormatWindows>): Promise<void> {
  const { budget } = job.task
  for (const [part, windows] of sorted) {
    const { memory } = needOf(part, windows)
    if (memory > budget)
      throw new FormatError(
        'too-large',
        `Reading ${part.name} needs about ${inWords(memory)} of memory, more than the ${inWords(budget)} it may use; raise ` +
          `STAVIK_MEMORY or split the case.`,
      )
  }
  const others = parts.filter((p) => p.dimension < 3).reduce((sum, p) => sum + memoryOfPart(p), 0)
  if (others > budget)
    throw new FormatError(
      'too-large',
      `Reading the surfaces of this case needs about ${inWords(others)} of memory, more than the ${inWords(budget)} it may use; ` +
        `raise STAVIK_MEMORY or split the case.`,
    )
  const scratch = [...sorted].reduce((most, [part, windows]) => Math.max(most, needOf(part, windows).scratch), 0)
  await job.reserve(parts.reduce((sum, p) => sum + STORED_POINT * p.points + STORED_CELL * storedCells(p), 0) + scratch)
}

class MeshImport {
  readonly described = new Map<string, Part>()
  private readonly others = new Map<string, NormalMesh>()
  /** Of the regions, where surfaces are to be linked to them. */
  private readonly skins: RegionSkin[] = []
  /** Of the regions, where there are no surfaces. */
  private readonly shown: LookPart[] = []
  private done = 0
  private readonly all: number

  constructor(
    private readonly job: ImportJob,
    private readonly opened: OpenCase,
    private readonly catalogue: Catalogue,
    private readonly moment: number,
  ) {
    this.all = catalogue.parts.reduce((n, p) => n + p.cells, 0)
  }

  get hasSurfaces(): boolean {
    return this.catalogue.parts.some((p) => p.dimension === 2)
  }

  surfaceFaces(): LookPart[] {
    return this.catalogue.parts
      .filter((p) => p.dimension === 2)
      .map(({ name }) => {
        const mesh = this.others.get(name)!
        return { name, skin: facesOf(mesh), pointSources: mesh.pointSources }
      })
  }

  /** @param share  of this part's own work that is done */
  private tell(part: Part, share: number, what: string): void {
    this.job.tell({ news: 'progress', share: (this.done + share * part.cells) / Math.max(1, this.all), what })
  }

  private finished(part: Part, described: Part): void {
    this.described.set(part.name, described)
    this.done += part.cells
  }

  private file(part: Part): string {
    return meshFile(meshKey(this.job.task.generation, part.name, this.catalogue.moments[this.moment]!))
  }

  async showFirst(parts: readonly LookPart[]): Promise<void> {
    const faces = lookFaces(parts)
    const write = (colour?: LookValues): Promise<void> =>
      this.job.write('first-look.packet', (sink) => sink.append(encodePacket(firstLook(faces, colour))))
    await write()
    this.job.tell({ news: 'look', isColoured: false })
    // a field that cannot be read is reported when it is requested
    const colour = await lookValues(this.opened, this.catalogue, parts).catch(() => undefined)
    if (!colour) return
    await write(colour)
    this.job.tell({ news: 'look', isColoured: true })
  }

  async readOther(part: Part): Promise<void> {
    this.tell(part, 0, `reading ${part.name}`)
    this.others.set(part.name, await this.opened.mesh(part.name, this.moment))
  }

  async storeRegion(part: Part): Promise<void> {
    this.tell(part, 0, `reading ${part.name}`)
    const mesh = await this.opened.mesh(part.name, this.moment)
    const boundary = matchFaces(mesh, mesh.points.length / 3)
    await this.keepSkin(part, skinOf(mesh, boundary), mesh.pointSources)
    await this.store(part, mesh, boundary)
    this.finished(part, describedPart(part, mesh, boxOfPoints(mesh.points)))
  }

  async storeSorted(part: Part, windows: FormatWindows): Promise<void> {
    const files: DiskScratch[] = []
    const scratch = (name: string): DiskScratch => {
      files.push(new DiskScratch(this.job.path(`scratch-${name}-${randomUUID()}`)))
      return files[files.length - 1]!
    }
    const [points, cells] = [scratch('points'), scratch('cells')]
    const split = isSplit(part) ? { pieces: scratch('pieces'), wholes: scratch('wholes'), added: scratch('added') } : undefined
    const thread = part.cells > SMALL ? new PlacerThread() : undefined
    try {
      let stored: LargePart | undefined
      await this.job.writeIndexed(this.file(part), async (sink) => {
        stored = await storeLargePart(
          windows,
          { points, ...(split && { split }) },
          (task) => thread?.begin(task, { points: points.path, cells: cells.path }) ?? new LocalPlacer(task, { points, cells }),
          sink,
          (share, what) => this.tell(part, share, `${part.name}: ${what}`),
          (skin) => this.keepSkin(part, skin, undefined),
        )
        return stored.index
      })
      this.finished(part, describedPart(part, stored!, stored!.box))
    } finally {
      await thread?.close()
      for (const file of files) file.close()
    }
  }

  /** Surfaces are linked now that the skins of all regions are known. */
  async storeOther(part: Part): Promise<void> {
    const mesh = this.others.get(part.name)!
    const owners = part.dimension === 2 ? linkSurface(mesh, part.name, this.skins) : undefined
    await this.store(part, mesh)
    this.finished(part, { ...describedPart(part, mesh, boxOfPoints(mesh.points)), ...(owners && { owners }) })
    this.others.delete(part.name)
  }

  private async keepSkin({ name }: Part, skin: Skin, pointSources: Uint32Array | undefined): Promise<void> {
    if (this.hasSurfaces) this.skins.push(regionSkin(name, skin))
    else if (this.moment === 0) {
      this.shown.push({ name, skin, pointSources })
      await this.showFirst(this.shown)
    }
  }

  private async store(part: Part, mesh: NormalMesh, boundary?: Uint32Array): Promise<void> {
    const blocks = partition(mesh, undefined, boundary)
    await this.job.writeIndexed(this.file(part), (sink) =>
      writeMesh(blocks, sink, (done, of) => this.tell(part, 0.5 + (0.5 * done) / of, `storing ${part.name}`)),
    )
  }
}
