/** Points and cells of one <Piece>, by the kind of grid it is of. */
import { FormatError } from '../../errors'
import type { FloatArray } from '../../mesh/MeshBlock'
import { SourceType } from '../../mesh/splitCells'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { seamTargets } from '../../mesh/joinSeams'
import { joinCells, joinFloats, moveFaces } from '../meshParts'
import { startsOf } from '../pieces'
import { rectilinearPoints, structuredCellCount, structuredCells, uniformPoints } from '../structured'
import type { Counts } from '../structured'
import { ArrayWindows } from './arrayWindows'
import { describe, readDataArray } from './dataArray'
import type { FileContext } from './dataArray'
import { openPolyhedra } from './polyhedra'
import { childNamed, childrenNamed } from '../xmlTree'
import type { XmlElement } from '../xmlTree'

export const gridKinds = ['UnstructuredGrid', 'PolyData', 'ImageData', 'RectilinearGrid', 'StructuredGrid'] as const
export type GridKind = (typeof gridKinds)[number]

export function isGridKind(kind: string): kind is GridKind {
  return (gridKinds as readonly string[]).includes(kind)
}

export interface Piece {
  file: FileContext
  element: XmlElement
  kind: GridKind
  /** The element around the piece. */
  grid: XmlElement
}

/** Types read at a time: 64-bit ones take eight times the memory of the result. */
const TYPES_AT_ONCE = 1 << 20

/** Counts above this cannot be indexed by the 32-bit connectivity of a part. */
const MAX_COUNT = 2 ** 31

const polyGroups: readonly (readonly [string, string, (nNodes: number) => number])[] = [
  ['Verts', 'NumberOfVerts', (n) => (n === 1 ? 1 : 2)],
  ['Lines', 'NumberOfLines', (n) => (n === 2 ? 3 : 4)],
  ['Strips', 'NumberOfStrips', () => 6],
  ['Polys', 'NumberOfPolys', (n) => (n === 3 ? 5 : n === 4 ? 9 : 7)],
]

function count({ file, element }: Piece, attribute: string): number {
  const value = Number(element.attributes[attribute] ?? 0)
  if (!Number.isInteger(value) || value < 0 || value > MAX_COUNT) {
    throw new FormatError(
      'bad-count',
      `${file.source.name}: ${attribute}="${element.attributes[attribute]}" is not a usable count; the file is damaged.`,
    )
  }
  return value
}

export function pointCount(piece: Piece): number {
  return isStructured(piece) ? extentCounts(piece).counts.reduce((a, b) => a * b, 1) : count(piece, 'NumberOfPoints')
}

export function cellCount(piece: Piece): number {
  if (isStructured(piece)) return structuredCellCount(extentCounts(piece).counts)
  if (piece.kind === 'UnstructuredGrid') return count(piece, 'NumberOfCells')
  return polyGroups.reduce((n, [, attribute]) => n + count(piece, attribute), 0)
}

export function isStructured({ kind }: Piece): boolean {
  return kind === 'ImageData' || kind === 'RectilinearGrid' || kind === 'StructuredGrid'
}

export function extentCounts({ file, element, grid }: Piece): { counts: Counts; first: number[] } {
  const text = element.attributes['Extent'] ?? grid.attributes['WholeExtent'] ?? ''
  const e = text.trim().split(/\s+/).map(Number)
  const counts = [0, 1, 2].map((d) => e[2 * d + 1]! - e[2 * d]! + 1) as unknown as Counts
  if (e.length !== 6 || !counts.every((n) => Number.isInteger(n) && n > 0) || counts[0] * counts[1] * counts[2] > MAX_COUNT) {
    throw new FormatError('bad-count', `${file.source.name}: Extent="${text}" is no usable extent; the file is damaged.`)
  }
  return { counts, first: [e[0]!, e[2]!, e[4]!] }
}

/** Type of every cell, without reading points or connectivity where that can be. */
export async function pieceTypes(piece: Piece): Promise<Uint8Array> {
  if (isStructured(piece)) return structuredCells(extentCounts(piece).counts).types
  if (piece.kind === 'PolyData') return (await polyCells(piece)).types
  const n = count(piece, 'NumberOfCells')
  const element = arrayNamed(piece, childNamed(piece.element, 'Cells'), 'types', n)
  if (!element) return new Uint8Array(0)
  const windows = await ArrayWindows.open(piece.file, element, n)
  if (!windows) return Uint8Array.from(await readDataArray(piece.file, element, n))
  const types = new Uint8Array(n)
  for (let from = 0; from < n; from += TYPES_AT_ONCE) types.set(await windows.readTypes(from, Math.min(from + TYPES_AT_ONCE, n)), from)
  return types
}

export async function pieceMesh(piece: Piece): Promise<SourceMesh> {
  if (isStructured(piece))
    return {
      points: (await gridPoints(piece))?.() ?? (await storedPoints(piece, pointCount(piece))),
      ...structuredCells(extentCounts(piece).counts),
    }
  const points = await storedPoints(piece, count(piece, 'NumberOfPoints'))
  return { points, ...(piece.kind === 'PolyData' ? await polyCells(piece) : await gridCells(piece)) }
}

async function storedPoints({ file, element }: Piece, n: number): Promise<FloatArray> {
  const array = childNamed(childNamed(element, 'Points'), 'DataArray')
  if (!array && n > 0) throw new FormatError('missing-array', `${file.source.name} has no points array; the file is inconsistent.`)
  if (!array) return new Float32Array(0)
  const values = await readDataArray(file, array, 3 * n)
  return values instanceof Float32Array || values instanceof Float64Array ? values : Float64Array.from(values)
}

/** Points [from, to) of a grid that its file describes by axes, all when absent; undefined where points are listed. */
export async function gridPoints(piece: Piece): Promise<((from?: number, to?: number) => FloatArray) | undefined> {
  const { file, element, grid, kind } = piece
  if (kind !== 'RectilinearGrid' && kind !== 'ImageData') return undefined
  const { counts, first } = extentCounts(piece)
  if (kind === 'RectilinearGrid') {
    const arrays = childrenNamed(childNamed(element, 'Coordinates'), 'DataArray')
    if (arrays.length < 3) throw new FormatError('missing-array', `${file.source.name} lacks coordinates; the file is inconsistent.`)
    const [x, y, z] = await Promise.all(arrays.slice(0, 3).map((array, d) => readDataArray(file, array, counts[d]!)))
    return (from, to) => rectilinearPoints(x!, y!, z!, from, to)
  }
  const list = (name: string, n: number): number[] | undefined => {
    const text = grid.attributes[name]
    const values = text?.trim().split(/\s+/).map(Number)
    if (values && (values.length !== n || !values.every(Number.isFinite)))
      throw new FormatError('bad-count', `${file.source.name}: ${name}="${text}" is not usable; the file is damaged.`)
    return values
  }
  const [origin, spacing, direction] = [list('Origin', 3) ?? [0, 0, 0], list('Spacing', 3) ?? [1, 1, 1], list('Direction', 9)]
  return (from, to) => uniformPoints(counts, first, origin, spacing, direction, from, to)
}

async function gridCells(piece: Piece): Promise<Omit<SourceMesh, 'points'>> {
  const types = await pieceTypes(piece)
  const cells = childNamed(piece.element, 'Cells')
  const lists = await connectivityOf(piece, cells, types.length)
  if (!types.includes(SourceType.polyhedron)) return { types, ...lists }
  const read = (await openPolyhedra(piece.file, cells, types.length, false))!
  return { types, ...lists, polyhedra: await read(0, types.length, types) }
}

async function polyCells(piece: Piece): Promise<Omit<SourceMesh, 'points'>> {
  const groups: Omit<SourceMesh, 'points'>[] = []
  for (const [name, attribute, type] of polyGroups) {
    const n = count(piece, attribute)
    if (!n) continue
    const lists = await connectivityOf(piece, childNamed(piece.element, name), n)
    const types = new Uint8Array(n)
    for (let c = 0; c < n; c++) types[c] = type(lists.offsets[c + 1]! - lists.offsets[c]!)
    groups.push({ types, ...lists })
  }
  return joinCells(
    groups,
    groups.map(() => 0),
  )
}

/** The array of a name; undefined when it is missing and nothing is expected of it. */
function arrayNamed({ file }: Piece, parent: XmlElement | undefined, name: string, n: number): XmlElement | undefined {
  const found = childrenNamed(parent, 'DataArray').find((a) => a.attributes['Name'] === name)
  if (!found && n > 0)
    throw new FormatError(
      'missing-array',
      `${file.source.name} has ${n} cells but no array “${name}”; the file is inconsistent, write it again.`,
    )
  return found
}

async function connectivityOf(
  piece: Piece,
  parent: XmlElement | undefined,
  n: number,
): Promise<{ offsets: Uint32Array; connectivity: Uint32Array }> {
  const { file } = piece
  const offsetsElement = arrayNamed(piece, parent, 'offsets', n)
  const connectivityElement = arrayNamed(piece, parent, 'connectivity', n)
  const offsets = new Uint32Array(n + 1)
  if (!offsetsElement || !connectivityElement || n === 0) return { offsets, connectivity: new Uint32Array(0) }
  const ends = await readDataArray(file, offsetsElement, n)
  for (let c = 0; c < n; c++) {
    const end = ends[c]!
    if (!(Number.isInteger(end) && end >= offsets[c]! && end <= MAX_COUNT)) {
      throw new FormatError(
        'bad-offsets',
        `${describe(file, offsetsElement)}: the offset of cell ${c} is ${end}, which does not follow ${offsets[c]}; the file is damaged.`,
      )
    }
    offsets[c + 1] = end
  }
  const nodes = await readDataArray(file, connectivityElement, offsets[n]!)
  for (let i = 0; i < nodes.length; i++) {
    if (!(nodes[i]! >= 0))
      throw new FormatError(
        'bad-connectivity',
        `${describe(file, connectivityElement)} holds the point number ${nodes[i]}; the file is damaged.`,
      )
  }
  return { offsets, connectivity: nodes instanceof Uint32Array ? nodes : Uint32Array.from(nodes) }
}

/** All pieces as one mesh, joined where they touch. */
export function joinPieces(meshes: readonly SourceMesh[]): SourceMesh {
  const firstPoints = startsOf(meshes.map((mesh) => mesh.points.length / 3)).slice(0, -1)
  const points = joinFloats(meshes.map((mesh) => mesh.points))
  const { polyhedra, ...cells } = joinCells(meshes, firstPoints)
  const { target, joined } = seamTargets(points, firstPoints)
  // a number out of range stays so, for the check of cells to name
  const number = (p: number): number => target[p] ?? p
  const own = { points, ...cells, connectivity: cells.connectivity.map(number), nPoints: points.length / 3 - joined }
  return polyhedra ? { ...own, polyhedra: moveFaces(cells.types, polyhedra, number) } : own
}
