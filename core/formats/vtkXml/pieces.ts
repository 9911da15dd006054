/**
 * One grid of the family: the pieces of a file, or of all files that a partitioned one names.
 *
 * Pieces are joined one after the other, and where they touch (`mesh/joinSeams.ts`). Ghost and hidden cells are left out.
 */
import { FormatError } from '../../errors'
import type { FloatArray } from '../../mesh/MeshBlock'
import { Growing } from '../../mesh/growing'
import { normaliseCells, sourceDimension, sourceTypeNames } from '../../mesh/normaliseCells'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { selectCells } from '../../mesh/selectCells'
import type { SelectedMesh } from '../../mesh/selectCells'
import { skinOf } from '../../mesh/skin'
import type { Skin } from '../../mesh/skin'
import type { ByteSource, SourceFolder } from '../ByteSource'
import type { FormatWindows } from '../Format'
import { dimensionNames, joinArrays, joinFloats } from '../meshParts'
import { overlaps, startsOf, windowsOfPieces } from '../pieces'
import type { SourceField, SourcePart } from '../SourceCase'
import { selectedMesh, selectedWindows } from '../selectedWindows'
import { cellCount, gridKinds, isGridKind, joinPieces, pieceMesh, pieceTypes, pointCount } from './cells'
import type { GridKind, Piece } from './cells'
import { describe, readDataArray, storedRange } from './dataArray'
import { childNamed, childrenNamed } from '../xmlTree'
import type { XmlElement } from '../xmlTree'
import { openVtkFile, unitLabel } from './openFile'
import { hashRange } from './hashRange'
import { ArrayWindows } from './arrayWindows'
import { pieceWindows, toFloats } from './windows'

interface FieldHeader {
  name: string
  place: 'point' | 'cell'
  components: number
  numberType: string
  unit: string | null
}

/** Bits of the cell array `vtkGhostType`: a copy of a neighbour's cell, and a hidden one. */
const GHOST_BITS = 1 | 32
const GHOST_ARRAY = 'vtkGhostType'
const GHOST_LEVELS = 'vtkGhostLevels'

/** Cells by type and dimension, and how many of them are ghosts. */
interface Counted {
  counts: { types: Record<string, number>; ghosts: number }[]
  hasGhosts: boolean
}

/** Memory of reading a piece whole to see where others may touch it, for each of its cells, in bytes. */
const BYTES_OF_CELL = 200

interface MeshKeys {
  cells: string
  points: string
}

export function isTime({ name }: FileNumber): boolean {
  return /^time(value)?$/i.test(name)
}

export class Grid {
  readonly fields: FieldHeader[]
  readonly lengthUnit: string | null
  private joined: Promise<SourceMesh> | undefined
  private counted: Counted | undefined
  private quick: Promise<MeshKeys> | undefined
  private readonly opened = new Map<string, Promise<ArrayWindows | undefined>>()
  private marked: Promise<Uint8Array | undefined> | undefined

  /** Time stored in the file, if any. */
  get time(): number | undefined {
    return this.numbers.find(isTime)?.value
  }

  private constructor(
    readonly name: string,
    private readonly pieces: Piece[],
    /** Single numbers in the file's field data. */
    readonly numbers: readonly FileNumber[],
  ) {
    // a partition without cells may lack the arrays of the others
    const full = pieces.find((piece) => cellCount(piece) > 0) ?? pieces[0]!
    this.fields = [...fieldHeaders(full, 'PointData'), ...fieldHeaders(full, 'CellData')]
    this.lengthUnit = unitLabel(childNamed(childNamed(full.element, 'Points'), 'DataArray'))
  }

  static async open(source: ByteSource, folder: SourceFolder): Promise<Grid> {
    const { pieces, numbers } = await openPieces(source, folder)
    if (!pieces.length) throw new FormatError('no-piece', `${source.name} has no <Piece>: the file holds no mesh.`)
    return new Grid(source.name, pieces, numbers)
  }

  /** Parts by the dimension of their cells; only the first keeps the plain name. @param like  may have the same cells */
  async parts(name: string, like?: Grid): Promise<SourcePart[]> {
    this.counted = like?.counted && !like.counted.hasGhosts && (await this.hasCellsOf(like)) ? like.counted : await this.count()
    const { counts, hasGhosts } = this.counted
    const present = [3, 2, 1, 0].filter((d) => Object.keys(counts[d]!.types).length)
    // undefined for all cells
    const kept = async (dimension: number): Promise<Uint32Array | undefined> =>
      present.length > 1 || hasGhosts ? this.cellsOf(dimension) : undefined
    return present.map((dimension, i) => {
      const { types: cellTypes, ghosts: ghostCells } = counts[dimension]!
      return {
        name: i === 0 ? name : `${name} ${dimensionNames[dimension]}`,
        dimension,
        points: this.pieces.reduce((n, piece) => n + pointCount(piece), 0),
        cells: Object.values(cellTypes).reduce((a, b) => a + b, 0),
        cellTypes,
        ghostCells,
        mesh: async () => this.meshOf(dimension, await kept(dimension)),
        windows: async () => {
          const keep = await kept(dimension)
          const windows = await this.windows(keep)
          return windows && keep ? selectedWindows(windows, keep) : windows
        },
        version: async (_, isFull) => Object.values(await (isFull ? this.meshKeys(true) : this.quickKeys())).join(),
      }
    })
  }

  private async hasCellsOf(like: Grid): Promise<boolean> {
    const [own, other] = await Promise.all([this.quickKeys(), like.quickKeys()])
    return own.cells === other.cells && !(await this.ghosts())
  }

  private async count(): Promise<Counted> {
    const counts = [0, 1, 2, 3].map(() => ({ types: {} as Record<string, number>, ghosts: 0 }))
    const lists: Uint8Array[] = []
    for (const piece of this.pieces) lists.push(await pieceTypes(piece))
    const types = joinArrays(Uint8Array, lists)
    const ghosts = await this.ghosts()
    const byType = [new Uint32Array(256), new Uint32Array(256)] as const
    for (let c = 0; c < types.length; c++) byType[ghosts?.[c] ? 1 : 0][types[c]!]!++
    for (let type = 0; type < 256; type++) {
      // an unknown type counts as a volume until the mesh is read and refuses it
      const dimension = sourceDimension(type)
      const count = counts[dimension < 0 ? 3 : dimension]!
      const [own, left] = [byType[0][type]!, byType[1][type]!]
      count.ghosts += left
      if (own) count.types[sourceTypeNames[type] ?? `type ${type}`] = own
    }
    return { counts, hasGhosts: ghosts !== undefined }
  }

  sourceFields(parts: readonly string[]): SourceField[] {
    return this.fields.map((header) => ({
      ...header,
      parts: [...parts],
      read: () => this.values(header),
      window: (from, to) => this.window(header, from, to),
    }))
  }

  /** 1 for each cell of all pieces that is left out; undefined when none is marked. */
  private ghosts(): Promise<Uint8Array | undefined> {
    this.marked ??= this.readGhosts()
    return this.marked
  }

  private async readGhosts(): Promise<Uint8Array | undefined> {
    const lists: Uint8Array[] = []
    for (const piece of this.pieces) lists.push(await ghostCells(piece))
    return lists.some((list) => list.length)
      ? joinArrays(
          Uint8Array,
          lists.map((list, i) => (list.length ? list : new Uint8Array(cellCount(this.pieces[i]!)))),
        )
      : undefined
  }

  /** Numbers of the cells of one dimension that are no ghosts, over all pieces. */
  private async cellsOf(dimension: number): Promise<Uint32Array> {
    const ghosts = await this.ghosts()
    const keep = new Growing(Uint32Array)
    let first = 0
    for (const piece of this.pieces) {
      const types = await pieceTypes(piece)
      for (let c = 0; c < types.length; c++) {
        const own = sourceDimension(types[c]!)
        if ((own < 0 ? 3 : own) === dimension && !ghosts?.[first + c]) keep.push(first + c)
      }
      first += types.length
    }
    return keep.finish()
  }

  /** The cells of one dimension; numbers are those of all pieces one after the other. */
  private async meshOf(dimension: number, keep: Uint32Array | undefined): Promise<SourceMesh | SelectedMesh> {
    // surfaces are small compared with the regions they bound
    const windows = keep && dimension < 3 ? await this.windows(keep) : undefined
    if (windows) return selectedMesh(windows, keep!)
    this.joined ??= this.readAll()
    const mesh = await this.joined
    if (!keep) return mesh
    const own = selectCells(mesh, keep)
    // points that only other cells use are theirs
    return { ...own, nPoints: own.points.length / 3 }
  }

  /** @param keep  the cells that are wanted of these, all when absent */
  private async windows(keep: Uint32Array | undefined): Promise<FormatWindows | undefined> {
    const each: FormatWindows[] = []
    const hasPolyhedra = Boolean(this.counted?.counts[3]!.types['polyhedron'])
    for (const piece of this.pieces) {
      const windows = await pieceWindows(piece, hasPolyhedra)
      if (!windows) return undefined
      each.push(windows)
    }
    if (each.length === 1) return each[0]
    return windowsOfPieces({
      name: this.name,
      sizes: each.map(({ nPoints, nCells }) => ({ points: nPoints, cells: nCells })),
      points: (k, from, to) => each[k]!.points(from, to),
      cells: (k, from, to) => each[k]!.cells(from, to),
      outside: (k) => this.outside(k, keep),
      memory: BYTES_OF_CELL * Math.max(...each.map((windows) => windows.nCells)),
    })
  }

  /** Points of a piece at which others may touch it. */
  private async outside(k: number, keep: Uint32Array | undefined): Promise<Pick<Skin, 'numbers' | 'points'>> {
    const mesh = await pieceMesh(this.pieces[k]!)
    if (!keep) return skinOf(normaliseCells(mesh, this.name))
    const first = this.pieces.slice(0, k).reduce((n, piece) => n + cellCount(piece), 0)
    const own = selectCells(
      mesh,
      keep.filter((c) => c >= first && c < first + mesh.types.length).map((c) => c - first),
    )
    // of surfaces all points may be shared
    const isVolume = own.types.length > 0 && sourceDimension(own.types[0]!) === 3
    const { numbers, points } = isVolume
      ? skinOf(normaliseCells(own, this.name))
      : { numbers: Uint32Array.from({ length: own.points.length / 3 }, (_, p) => p), points: own.points }
    return { numbers: numbers.map((p) => own.pointSources?.[p] ?? p), points: Float64Array.from(points) }
  }

  private async readAll(): Promise<SourceMesh> {
    const meshes: SourceMesh[] = []
    for (const piece of this.pieces) meshes.push(await pieceMesh(piece))
    return meshes.length === 1 ? meshes[0]! : joinPieces(meshes)
  }

  private async values(header: FieldHeader): Promise<FloatArray> {
    const out: FloatArray[] = []
    for (const piece of this.pieces) {
      const element = arrayOf(piece, header)
      const n = header.place === 'point' ? pointCount(piece) : cellCount(piece)
      if (!element && n > 0)
        throw new FormatError(
          'missing-array',
          `${piece.file.source.name}: a piece lacks the field “${header.name}”; the file is inconsistent.`,
        )
      if (element) out.push(toFloats(await readDataArray(piece.file, element, n * header.components)))
    }
    return joinFloats(out)
  }

  private async window(header: FieldHeader, from: number, to: number): Promise<FloatArray | undefined> {
    const { name, place, components } = header
    const sizes = this.pieces.map((piece) => (place === 'point' ? pointCount(piece) : cellCount(piece)))
    const found: FloatArray[] = []
    for (const [k, start, end] of overlaps(startsOf(sizes), from, to)) {
      const piece = this.pieces[k]!
      const element = arrayOf(piece, header)
      if (!element) return undefined
      const key = `${k} ${place} ${name}`
      if (!this.opened.has(key)) this.opened.set(key, ArrayWindows.open(piece.file, element, sizes[k]! * components))
      const windows = await this.opened.get(key)
      if (!windows) return undefined
      found.push(toFloats(await windows.read(start * components, end * components)))
    }
    return joinFloats(found)
  }

  private quickKeys(): Promise<MeshKeys> {
    this.quick ??= this.meshKeys(false)
    return this.quick
  }

  /**
   * Checksums of what is stored of points and cells, without decoding it. Of long arrays a few pages, unless they are to be
   * full: opening a long series must not read it all, and a mesh that moves hardly moves between the pages only.
   */
  private async meshKeys(isFull: boolean): Promise<MeshKeys> {
    let points = 0x811c9dc5
    let cells = 0x811c9dc5
    let nPoints = 0
    for (const piece of this.pieces) {
      const { element, file, kind, grid } = piece
      for (const parent of element.children) {
        if (parent.name.endsWith('Data')) continue
        const isPoints = parent.name === 'Points' || parent.name === 'Coordinates'
        for (const array of childrenNamed(parent, 'DataArray')) {
          const [start, end] = storedRange(file, array)
          const hash = await hashRange(file.source, start, end, isFull, isPoints ? points : cells)
          if (isPoints) points = hash
          else cells = hash
        }
      }
      for (const ch of kind === 'ImageData' ? JSON.stringify(grid.attributes) : '')
        points = Math.imul(points ^ ch.charCodeAt(0), 0x01000193)
      nPoints += pointCount(piece)
      cells = Math.imul(cells ^ cellCount(piece), 0x01000193)
    }
    return { cells: (cells >>> 0).toString(16), points: `${nPoints}:${(points >>> 0).toString(16)}` }
  }
}

function arrayOf(piece: Piece, { name, place }: FieldHeader): XmlElement | undefined {
  return childrenNamed(childNamed(piece.element, place === 'point' ? 'PointData' : 'CellData'), 'DataArray').find(
    (a) => a.attributes['Name'] === name,
  )
}

async function openPieces(source: ByteSource, folder: SourceFolder): Promise<{ pieces: Piece[]; numbers: FileNumber[] }> {
  const { file, root } = await openVtkFile(source, folder)
  const type = root.attributes['type'] ?? ''
  if (isGridKind(type)) {
    const grid = childNamed(root, type)
    const pieces = childrenNamed(grid, 'Piece').map((element) => ({ file, element, kind: type, grid: grid! }))
    return { pieces, numbers: await readNumbers(grid, pieces[0]) }
  }
  const inner = type.replace(/^P/, '')
  if (!type.startsWith('P') || !isGridKind(inner)) {
    throw new FormatError(
      'unsupported',
      `${source.name} holds “${type}”, which is not read; write one of ${gridKinds.join(', ')}, or a multi-block file of them.`,
    )
  }
  return openPartitions(source, folder, childNamed(root, type), inner)
}

/** All partitions are opened before any is read: a missing one is named at once. */
async function openPartitions(
  source: ByteSource,
  folder: SourceFolder,
  grid: XmlElement | undefined,
  kind: GridKind,
): Promise<{ pieces: Piece[]; numbers: FileNumber[] }> {
  const base = source.name.slice(0, source.name.lastIndexOf('/') + 1)
  const pieces: Piece[] = []
  let numbers: FileNumber[] | undefined
  for (const { attributes } of childrenNamed(grid, 'Piece')) {
    const opened = await folder.open(base + (attributes['Source'] ?? ''))
    const { file, root } = await openVtkFile(opened, folder)
    if (root.attributes['type'] !== kind)
      throw new FormatError(
        'wrong-piece',
        `${source.name} names ${opened.name} as a piece, but that holds “${root.attributes['type']}” instead of ${kind}.`,
      )
    const own = childNamed(root, kind)
    const found = childrenNamed(own, 'Piece').map((element) => ({ file, element, kind, grid: own! }))
    pieces.push(...found)
    numbers ??= await readNumbers(own, found[0])
  }
  return { pieces, numbers: numbers ?? [] }
}

export interface FileNumber {
  name: string
  unit: string | null
  value: number
}

/** The arrays of the field data that hold one finite number. */
async function readNumbers(grid: XmlElement | undefined, piece: Piece | undefined): Promise<FileNumber[]> {
  const numbers: FileNumber[] = []
  for (const array of childrenNamed(childNamed(grid, 'FieldData'), 'DataArray')) {
    const { Name, type, NumberOfTuples, NumberOfComponents } = array.attributes
    if (!Name || !piece || type === 'String' || Number(NumberOfTuples ?? 1) !== 1 || Number(NumberOfComponents ?? 1) !== 1) continue
    const values = await readDataArray(piece.file, array)
    if (values.length === 1 && Number.isFinite(values[0])) numbers.push({ name: Name, unit: unitLabel(array), value: values[0]! })
  }
  return numbers
}

/** 1 for each ghost or hidden cell; empty when the piece marks none. */
async function ghostCells(piece: Piece): Promise<Uint8Array> {
  const arrays = childrenNamed(childNamed(piece.element, 'CellData'), 'DataArray')
  const marks = arrays.find((a) => a.attributes['Name'] === GHOST_ARRAY)
  const levels = arrays.find((a) => a.attributes['Name'] === GHOST_LEVELS)
  const found = marks ?? levels
  if (!found) return new Uint8Array(0)
  const values = await readDataArray(piece.file, found, cellCount(piece))
  return Uint8Array.from(values, (v) => Number(marks ? (v & GHOST_BITS) !== 0 : v > 0))
}

function fieldHeaders(piece: Piece, name: 'PointData' | 'CellData'): FieldHeader[] {
  const headers: FieldHeader[] = []
  for (const element of childrenNamed(childNamed(piece.element, name), 'DataArray')) {
    const { Name, type, NumberOfComponents } = element.attributes
    if (!Name || type === 'String' || Name === GHOST_ARRAY || Name === GHOST_LEVELS) continue
    const components = Number(NumberOfComponents ?? 1)
    if (!Number.isInteger(components) || components < 1 || components > 1000) {
      throw new FormatError('bad-count', `${describe(piece.file, element)} claims ${NumberOfComponents} components; the file is damaged.`)
    }
    const place = name === 'PointData' ? 'point' : 'cell'
    headers.push({ name: Name, place, components, numberType: type ?? '', unit: unitLabel(element) })
  }
  return headers
}
