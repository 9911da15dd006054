/**
 * One `.vtu` or `.vtp` file: its pieces, cells and fields.
 *
 * All pieces are joined one after the other. Cells of different dimension in one file become parts of their own.
 */
import { FormatError } from '../../errors'
import { cellDimension } from '../../mesh/cellTypes'
import type { FloatArray } from '../../mesh/MeshBlock'
import { normaliseCells } from '../../mesh/normaliseCells'
import type { NormalMesh, SourceMesh } from '../../mesh/normaliseCells'
import type { ByteSource, SourceFolder } from '../ByteSource'
import type { SourceValues } from '../Format'
import { readDataArray, storedRange, describe } from './dataArray'
import type { FileContext, NumberArray } from './dataArray'
import { childNamed, childrenNamed, readXmlTree } from './document'
import type { XmlElement } from './document'

export interface FieldHeader {
  name: string
  place: 'point' | 'cell'
  components: number
  numberType: string
  unit: string | null
}

/** Counts above this cannot be indexed by the 32-bit connectivity of a block's part. */
const MAX_COUNT = 2 ** 31

export class PieceFile {
  readonly fields: FieldHeader[]
  readonly lengthUnit: string | null
  /** Time stored in the file's field data, if any. */
  time: number | undefined
  private readonly pieces: XmlElement[]
  private merged: Promise<NormalMesh> | undefined

  private constructor(
    private readonly file: FileContext,
    readonly root: XmlElement,
    private readonly kind: 'UnstructuredGrid' | 'PolyData',
  ) {
    const grid = childNamed(root, kind)
    this.pieces = childrenNamed(grid, 'Piece')
    if (!this.pieces.length) throw new FormatError('no-piece', `${file.source.name} has no <Piece>: the file holds no mesh.`)
    this.fields = [...fieldHeaders(file, this.pieces[0]!, 'PointData'), ...fieldHeaders(file, this.pieces[0]!, 'CellData')]
    this.lengthUnit = unitLabel(childNamed(childNamed(this.pieces[0], 'Points'), 'DataArray'))
  }

  static async open(source: ByteSource, folder: SourceFolder): Promise<PieceFile> {
    const { file, root } = await openVtkFile(source, folder)
    const kind = root.attributes['type']
    if (kind !== 'UnstructuredGrid' && kind !== 'PolyData') {
      throw new FormatError('unsupported', `${source.name} holds “${kind}”, which is not read yet; write an UnstructuredGrid (.vtu) or PolyData (.vtp).`)
    }
    const opened = new PieceFile(file, root, kind)
    opened.time = await opened.readTime()
    return opened
  }

  get name(): string {
    return this.file.source.name
  }

  private async readTime(): Promise<number | undefined> {
    const data = childNamed(childNamed(this.root, this.kind), 'FieldData')
    const array = childrenNamed(data, 'DataArray').find((a) => /^time(value)?$/i.test(a.attributes['Name'] ?? ''))
    const values = array && (await readDataArray(this.file, array))
    return values && Number.isFinite(values[0]) ? values[0] : undefined
  }

  /** Number of cells by source type, without reading points or connectivity. */
  async cellTypes(): Promise<Uint8Array> {
    if (this.kind === 'PolyData') return (await this.sourceMesh()).types
    const all: Uint8Array[] = []
    for (const piece of this.pieces) all.push(await this.types(piece))
    return concatenate(all, Uint8Array)
  }

  nPoints(): number {
    return this.pieces.reduce((n, piece) => n + this.count(piece, 'NumberOfPoints'), 0)
  }

  private count(piece: XmlElement, attribute: string): number {
    const value = Number(piece.attributes[attribute] ?? 0)
    if (!Number.isInteger(value) || value < 0 || value > MAX_COUNT) {
      throw new FormatError('bad-count', `${this.name}: ${attribute}="${piece.attributes[attribute]}" is not a usable count; the file is damaged.`)
    }
    return value
  }

  private async types(piece: XmlElement): Promise<Uint8Array> {
    const n = this.count(piece, 'NumberOfCells')
    const element = this.array(childNamed(piece, 'Cells'), 'types', n)
    return element ? Uint8Array.from(await readDataArray(this.file, element, n)) : new Uint8Array(0)
  }

  /** The array of a name; undefined when it is missing and nothing is expected of it. */
  private array(parent: XmlElement | undefined, name: string, n: number): XmlElement | undefined {
    const found = childrenNamed(parent, 'DataArray').find((a) => a.attributes['Name'] === name)
    if (!found && n > 0) throw new FormatError('missing-array', `${this.name} has ${n} cells but no array “${name}”; the file is inconsistent, write it again.`)
    return found
  }

  /** Mesh of all pieces, normalised; kept, since parts of several dimensions share it. */
  mesh(): Promise<NormalMesh> {
    this.merged ??= this.sourceMesh().then((source) => normaliseCells(source, this.name))
    return this.merged
  }

  /** The cells of one dimension; `cellNumbers` are those of the file. */
  async meshOfDimension(dimension: number): Promise<NormalMesh> {
    const mesh = await this.mesh()
    if (mesh.types.every((type) => cellDimension(type) === dimension)) return mesh
    const kept: number[] = []
    for (let c = 0; c < mesh.types.length; c++) if (cellDimension(mesh.types[c]!) === dimension) kept.push(c)
    const offsets = new Uint32Array(kept.length + 1)
    kept.forEach((c, i) => (offsets[i + 1] = offsets[i]! + mesh.offsets[c + 1]! - mesh.offsets[c]!))
    const connectivity = new Uint32Array(offsets[kept.length]!)
    kept.forEach((c, i) => connectivity.set(mesh.connectivity.subarray(mesh.offsets[c]!, mesh.offsets[c + 1]!), offsets[i]!))
    return {
      points: mesh.points,
      types: Uint8Array.from(kept, (c) => mesh.types[c]!),
      offsets,
      connectivity,
      cellNumbers: Uint32Array.from(kept, (c) => mesh.cellNumbers[c]!),
      mirrored: mesh.mirrored,
    }
  }

  private async sourceMesh(): Promise<SourceMesh> {
    const meshes: SourceMesh[] = []
    for (const piece of this.pieces) {
      const n = this.count(piece, 'NumberOfPoints')
      const element = childNamed(childNamed(piece, 'Points'), 'DataArray')
      if (!element && n > 0) throw new FormatError('missing-array', `${this.name} has no points array; the file is inconsistent.`)
      const points = element ? toFloats(await readDataArray(this.file, element, 3 * n)) : new Float32Array(0)
      meshes.push({ points, ...(this.kind === 'PolyData' ? await this.polyCells(piece) : await this.gridCells(piece)) })
    }
    return meshes.length === 1 ? meshes[0]! : joinMeshes(meshes)
  }

  private async gridCells(piece: XmlElement): Promise<Omit<SourceMesh, 'points'>> {
    const types = await this.types(piece)
    return { types, ...(await this.lists(childNamed(piece, 'Cells'), types.length)) }
  }

  private async polyCells(piece: XmlElement): Promise<Omit<SourceMesh, 'points'>> {
    const groups: Omit<SourceMesh, 'points'>[] = []
    for (const [name, attribute, type] of polyGroups) {
      const n = this.count(piece, attribute)
      if (!n) continue
      const lists = await this.lists(childNamed(piece, name), n)
      const types = new Uint8Array(n)
      for (let c = 0; c < n; c++) types[c] = type(lists.offsets[c + 1]! - lists.offsets[c]!)
      groups.push({ types, ...lists })
    }
    return joinCells(groups, groups.map(() => 0))
  }

  private async lists(parent: XmlElement | undefined, n: number): Promise<{ offsets: Uint32Array; connectivity: Uint32Array }> {
    const offsetsElement = this.array(parent, 'offsets', n)
    const connectivityElement = this.array(parent, 'connectivity', n)
    const offsets = new Uint32Array(n + 1)
    if (!offsetsElement || !connectivityElement || n === 0) return { offsets, connectivity: new Uint32Array(0) }
    const ends = await readDataArray(this.file, offsetsElement, n)
    for (let c = 0; c < n; c++) {
      const end = ends[c]!
      if (!(Number.isInteger(end) && end >= offsets[c]! && end <= MAX_COUNT)) {
        throw new FormatError('bad-offsets', `${describe(this.file, offsetsElement)}: the offset of cell ${c} is ${end}, which does not follow ${offsets[c]}; the file is damaged.`)
      }
      offsets[c + 1] = end
    }
    const nodes = await readDataArray(this.file, connectivityElement, offsets[n]!)
    for (let i = 0; i < nodes.length; i++) {
      if (!(nodes[i]! >= 0)) throw new FormatError('bad-connectivity', `${describe(this.file, connectivityElement)} holds the point number ${nodes[i]}; the file is damaged.`)
    }
    return { offsets, connectivity: nodes instanceof Uint32Array ? nodes : Uint32Array.from(nodes) }
  }

  async values(name: string): Promise<SourceValues> {
    const header = this.fields.find((f) => f.name === name)
    if (!header) throw new FormatError('no-field', `${this.name} has no field “${name}”; it has ${this.fields.map((f) => f.name).join(', ') || 'none'}.`)
    const out: FloatArray[] = []
    for (const piece of this.pieces) {
      const data = childNamed(piece, header.place === 'point' ? 'PointData' : 'CellData')
      const element = childrenNamed(data, 'DataArray').find((a) => a.attributes['Name'] === name)
      const n = header.place === 'point' ? this.count(piece, 'NumberOfPoints') : this.nCells(piece)
      if (!element && n > 0) throw new FormatError('missing-array', `${this.name}: a piece lacks the field “${name}”; the file is inconsistent.`)
      if (element) out.push(toFloats(await readDataArray(this.file, element, n * header.components)))
    }
    return { values: joinFloats(out), components: header.components, place: header.place }
  }

  private nCells(piece: XmlElement): number {
    if (this.kind === 'UnstructuredGrid') return this.count(piece, 'NumberOfCells')
    return polyGroups.reduce((n, [, attribute]) => n + this.count(piece, attribute), 0)
  }

  /**
   * Checksum of what is stored of points and cells, without decoding it: points in full, since a few may move; of longer
   * lists of cells samples, since another mesh differs all over.
   */
  async meshKey(): Promise<string> {
    let hash = 0x811c9dc5
    for (const piece of this.pieces) {
      for (const parent of piece.children) {
        if (parent.name.endsWith('Data')) continue
        for (const element of childrenNamed(parent, 'DataArray')) {
          const [start, end] = storedRange(this.file, element)
          hash = await hashRange(this.file.source, start, end, parent.name === 'Points' ? 1 : Math.max(1, Math.floor((end - start) / SAMPLED_BYTES)), hash)
        }
      }
    }
    return `${this.nPoints()}:${(hash >>> 0).toString(16)}`
  }
}

const HASH_CHUNK = 1 << 16
/** Of an array of cells about this much is hashed. */
const SAMPLED_BYTES = 1 << 22

/** FNV-1a over 32-bit words of every `stride`-th chunk. */
async function hashRange(source: ByteSource, start: number, end: number, stride: number, seed: number): Promise<number> {
  let hash = Math.imul(seed ^ (end - start), 0x01000193)
  for (let at = start; at < end; at += stride * HASH_CHUNK) {
    const bytes = new Uint8Array(await source.read(at, Math.min(at + HASH_CHUNK, end)))
    const words = new Uint32Array(bytes.buffer, 0, bytes.length >> 2)
    for (let i = 0; i < words.length; i++) hash = Math.imul(hash ^ words[i]!, 0x01000193)
    for (let i = words.length << 2; i < bytes.length; i++) hash = Math.imul(hash ^ bytes[i]!, 0x01000193)
  }
  return hash
}

const polyGroups: readonly (readonly [string, string, (nNodes: number) => number])[] = [
  ['Verts', 'NumberOfVerts', (n) => (n === 1 ? 1 : 2)],
  ['Lines', 'NumberOfLines', (n) => (n === 2 ? 3 : 4)],
  ['Strips', 'NumberOfStrips', () => 6],
  ['Polys', 'NumberOfPolys', (n) => (n === 3 ? 5 : n === 4 ? 9 : 7)],
]

export async function openVtkFile(source: ByteSource, folder: SourceFolder): Promise<{ file: FileContext; root: XmlElement }> {
  const root = await readXmlTree(source)
  if (root.name !== 'VTKFile') throw new FormatError('not-vtk', `${source.name} is XML, but not a VTK file: its first element is <${root.name}>.`)
  await readUnits(source, root)
  const { byte_order, header_type, compressor } = root.attributes
  const file: FileContext = {
    source,
    folder,
    isLittleEndian: byte_order !== 'BigEndian',
    headerSize: header_type === 'UInt64' ? 8 : 4,
    compressor: compressor || undefined,
    appended: childNamed(root, 'AppendedData'),
    appendedStarts: appendedOffsets(root).sort((a, b) => a - b),
  }
  return { file, root }
}

function appendedOffsets(element: XmlElement): number[] {
  return element.children.flatMap((child) => (child.attributes['format'] === 'appended' ? [Number(child.attributes['offset'])] : appendedOffsets(child)))
}

function fieldHeaders(file: FileContext, piece: XmlElement, name: 'PointData' | 'CellData'): FieldHeader[] {
  const headers: FieldHeader[] = []
  for (const element of childrenNamed(childNamed(piece, name), 'DataArray')) {
    const { Name, type, NumberOfComponents } = element.attributes
    if (!Name || type === 'String') continue
    const components = Number(NumberOfComponents ?? 1)
    if (!Number.isInteger(components) || components < 1 || components > 1000) {
      throw new FormatError('bad-count', `${describe(file, element)} claims ${NumberOfComponents} components; the file is damaged.`)
    }
    const place = name === 'PointData' ? 'point' : 'cell'
    headers.push({ name: Name, place, components, numberType: type ?? '', unit: unitLabel(element) })
  }
  return headers
}

/** The format's own key for the unit of an array. */
function unitLabel(element: XmlElement | undefined): string | null {
  const key = childrenNamed(element, 'InformationKey').find((k) => k.attributes['name'] === 'UNITS_LABEL')
  return key ? (unitTexts.get(key) ?? null) : null
}

/** Texts of unit keys, filled by `readUnits`: the tree itself holds no text. */
const unitTexts = new WeakMap<XmlElement, string>()

/** Reads the texts of all unit keys of a tree. */
async function readUnits(source: ByteSource, element: XmlElement): Promise<void> {
  for (const child of element.children) {
    if (child.name === 'InformationKey' && child.attributes['name'] === 'UNITS_LABEL') {
      const [start, end] = child.content
      if (end - start < 200) unitTexts.set(child, new TextDecoder().decode(await source.read(start, end)).trim())
    } else await readUnits(source, child)
  }
}

function toFloats(values: NumberArray): FloatArray {
  if (values instanceof Float32Array || values instanceof Float64Array) return values
  return Float64Array.from(values)
}

function joinFloats(list: FloatArray[]): FloatArray {
  if (list.length === 1) return list[0]!
  return list.every((a) => a instanceof Float32Array) ? concatenate(list as Float32Array[], Float32Array) : concatenate(list, Float64Array)
}

function concatenate<T extends Uint8Array | Uint32Array | Float32Array | Float64Array>(
  list: readonly ArrayLike<number>[],
  type: new (n: number) => T,
): T {
  const out = new type(list.reduce((n, a) => n + a.length, 0))
  let at = 0
  for (const a of list) {
    out.set(a, at)
    at += a.length
  }
  return out
}

function joinCells(groups: Omit<SourceMesh, 'points'>[], firstPoints: number[]): Omit<SourceMesh, 'points'> {
  const types = concatenate(groups.map((g) => g.types), Uint8Array)
  const offsets = new Uint32Array(types.length + 1)
  const connectivity = concatenate(groups.map((g) => g.connectivity), Uint32Array)
  let cell = 0
  let node = 0
  groups.forEach((group, k) => {
    for (let c = 1; c < group.offsets.length; c++) offsets[cell + c] = node + group.offsets[c]!
    for (let i = 0; i < group.connectivity.length; i++) connectivity[node + i]! += firstPoints[k]!
    cell += group.types.length
    node += group.connectivity.length
  })
  return { types, offsets, connectivity }
}

function joinMeshes(meshes: SourceMesh[]): SourceMesh {
  const firsts: number[] = []
  let n = 0
  for (const mesh of meshes) {
    firsts.push(n)
    n += mesh.points.length / 3
  }
  return { points: joinFloats(meshes.map((m) => m.points)), ...joinCells(meshes, firsts) }
}
