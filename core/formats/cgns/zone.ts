/** One zone of a CGNS file: its region, and a surface for each boundary condition that names faces. */
import { FormatError } from '../../errors'
import { once } from '../../once'
import { Growing } from '../../mesh/growing'
import type { FloatArray } from '../../mesh/MeshBlock'
import { sourceDimension, sourceTypeNames } from '../../mesh/normaliseCells'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { selectCells } from '../../mesh/selectCells'
import type { SelectedMesh } from '../../mesh/selectCells'
import { pointsOfColumns, tableWindows } from '../cellTables'
import type { FormatWindows } from '../Format'
import { flatRange, sizeOf } from '../hdf5/Hdf5'
import { countTypes } from '../meshParts'
import { selectedMesh } from '../selectedWindows'
import type { SourcePart } from '../SourceCase'
import { structuredCellCount, structuredCells, structuredTable } from '../structured'
import type { Counts } from '../structured'
import { kindOfSection, readElements, sectionsOf } from './elements'
import type { Section } from './elements'
import { childLabelled, childNamed, datasetOf, numbersOf, textOfNode } from './nodes'
import type { Node } from './nodes'
import { sectionWindows } from './sectionWindows'

export interface Zone {
  node: Node
  name: string
  /** Of the base. */
  dimension: number
  nPoints: number
  /** Points along each direction of a structured zone. */
  counts?: Counts
  sections: Section[]
  points(from: number, to: number): FloatArray
  /** All elements and the number of each in the file; read when first asked for. */
  elements(): Numbered
  /** The same of the elements that surfaces may be made of, without the cells where these are separate. */
  faces(): Numbered
}

interface Numbered {
  mesh: SourceMesh
  numbers: Uint32Array
}

/** @throws FormatError for a zone without size, coordinates or elements */
export function openZone(node: Node, name: string, dimension: number, file: string): Zone {
  const sizes = numbersOf(node)
  if (!sizes?.length) throw new FormatError('missing-array', `${file}: the zone “${node.name}” states no size; the file is inconsistent.`)
  const isStructured = textOfNode(childLabelled(node.group, 'ZoneType_t')) === 'Structured'
  const grid = childLabelled(node.group, 'GridCoordinates_t')
  const axes = ['X', 'Y', 'Z'].map((axis) => datasetOf(grid && childNamed(grid.group, `Coordinate${axis}`)))
  if (!axes[0]) throw new FormatError('missing-array', `${file}: the zone “${node.name}” has no coordinates; the file is inconsistent.`)
  const nPoints = sizeOf(axes[0])
  const points: Zone['points'] = (from, to) =>
    pointsOfColumns(
      axes.map((axis) => axis && flatRange(axis, from, to)),
      to - from,
    )
  const shared = { node, name, dimension, nPoints, points }
  if (!isStructured) {
    const sections = sectionsOf(node, file)
    const read = (some: readonly Section[]): Numbered => {
      const { mesh, numbers } = readElements(some, file)
      return { numbers, mesh: { points: points(0, nPoints), ...mesh } }
    }
    const elements = once(() => read(sections))
    const kinds = sections.map(kindOfSection)
    const faces = once(() =>
      kinds.includes(undefined) ? elements() : read(sections.filter((_, i) => kinds[i]!.dimension === dimension - 1)),
    )
    return { ...shared, sections, elements, faces }
  }
  const counts = [0, 1, 2].map((d) => (d < dimension ? sizes[d]! : 1)) as unknown as Counts
  if (counts[0] * counts[1] * counts[2] !== nPoints)
    throw new FormatError(
      'inconsistent',
      `${file}: the zone “${node.name}” should have ${counts.join(' × ')} points, but has ${nPoints}; the file is inconsistent.`,
    )
  const elements = once(() => {
    const mesh = { points: points(0, nPoints), ...structuredCells(counts) }
    return { mesh, numbers: Uint32Array.from(mesh.types, (_, c) => c + 1) }
  })
  return { ...shared, sections: [], counts, elements, faces: elements }
}

/** Types and numbers of a zone's cells, only from what the file states. */
interface Described {
  dimension: number
  cellTypes: Record<string, number>
  /** Where they can be read so. */
  windows?: FormatWindows
}

function describe(zone: Zone, file: string): Described {
  const { sections, counts, nPoints } = zone
  const points = async (from: number, to: number): Promise<FloatArray> => zone.points(from, to)
  if (counts) {
    const table = structuredTable(counts)
    return {
      dimension: sourceDimension(table.type),
      cellTypes: { [sourceTypeNames[table.type]!]: table.nCells },
      windows: tableWindows(file, nPoints, points, [table]),
    }
  }
  const kinds = sections.map(kindOfSection)
  if (!kinds.length || kinds.includes(undefined)) return describeRead(zone)
  const dimension = Math.max(...kinds.map((kind) => kind!.dimension))
  const own = sections.filter((_, i) => kinds[i]!.dimension === dimension)
  const cellTypes: Record<string, number> = {}
  for (const section of own) {
    const { type } = kindOfSection(section)!
    cellTypes[type] = (cellTypes[type] ?? 0) + section.count
  }
  const windows = sectionWindows(file, nPoints, points, own, sections)
  return { dimension, cellTypes, ...(windows && { windows }) }
}

/** Mixed elements are known once they are read. */
function describeRead(zone: Zone): Described {
  const { types } = zone.elements().mesh
  const dimension = types.reduce((most, type) => Math.max(most, sourceDimension(type)), -1)
  return {
    dimension: dimension < 0 ? zone.dimension : dimension,
    cellTypes: countTypes(types.filter((type) => sourceDimension(type) === dimension)),
  }
}

/** The cells of the zone's highest dimension, numbered in their order. */
export function regionOf(zone: Zone, file: string): SourcePart {
  const { dimension, cellTypes, windows } = describe(zone, file)
  const mesh = async (): Promise<SelectedMesh> => {
    const whole = zone.elements().mesh
    const own = selected(whole, cellsOf(whole, dimension))
    return { ...own, cellNumbers: Uint32Array.from(own.cellNumbers.keys()) }
  }
  return {
    ...{
      name: zone.name,
      dimension,
      points: zone.nPoints,
      cells: Object.values(cellTypes).reduce((n, count) => n + count, 0),
      cellTypes,
      mesh,
    },
    ...(windows && { windows: async () => windows }),
  }
}

/** Some cells, with the number of points they use. */
function selected(mesh: SourceMesh, cells: Uint32Array): SelectedMesh {
  const own = selectCells(mesh, cells)
  return { ...own, nPoints: own.points.length / 3 }
}

function cellsOf({ types }: SourceMesh, dimension: number): Uint32Array {
  const out = new Growing(Uint32Array)
  types.forEach((type, c) => {
    if (sourceDimension(type) === dimension) out.push(c)
  })
  return out.finish()
}

/** The faces that a boundary condition names; undefined where it names none. */
export function surfaceOf(name: string, zone: Zone, condition: Node, file: string): SourcePart | undefined {
  return zone.counts ? structuredFaces(name, zone, zone.counts, condition) : listedFaces(name, zone, condition, file)
}

/** Faces listed by element number, or by the points around them. */
function listedFaces(name: string, zone: Zone, condition: Node, file: string): SourcePart | undefined {
  const list = numbersOf(childNamed(condition.group, 'PointList') ?? childNamed(condition.group, 'ElementList'))
  const range = numbersOf(childNamed(condition.group, 'PointRange') ?? childNamed(condition.group, 'ElementRange'))
  const wanted = new Set(list ?? (range ? Array.from({ length: Math.max(range[1]! - range[0]! + 1, 0) }, (_, i) => range[0]! + i) : []))
  const isByPoint =
    ['Vertex', ''].includes(textOfNode(childLabelled(condition.group, 'GridLocation_t'))) &&
    !childNamed(condition.group, 'ElementList') &&
    !childNamed(condition.group, 'ElementRange')
  const dimension = zone.dimension - 1
  const kinds = zone.sections.map(kindOfSection)
  const sections = kinds.includes(undefined) ? [] : zone.sections.filter((_, i) => kinds[i]!.dimension === dimension)
  const windows =
    isByPoint || !sections.length
      ? undefined
      : sectionWindows(file, zone.nPoints, async (from, to) => zone.points(from, to), sections, zone.sections)
  const surface = (cells: number, mesh: () => Promise<SelectedMesh>): SourcePart | undefined =>
    cells ? { name, dimension, points: 0, cells, cellTypes: { face: cells }, mesh } : undefined
  if (windows) {
    const keep = placesOf(wanted, sections)
    return surface(keep.length, () => selectedMesh(windows, keep))
  }
  // only the faces themselves tell which of them have the given points
  const faces = once(() => {
    const { mesh, numbers } = zone.faces()
    const isIn = (c: number): boolean =>
      isByPoint
        ? mesh.connectivity.subarray(mesh.offsets[c]!, mesh.offsets[c + 1]!).every((p) => wanted.has(p + 1))
        : wanted.has(numbers[c]!)
    return cellsOf(mesh, dimension).filter(isIn)
  })
  return surface(faces().length, async () => selected({ ...zone.faces().mesh, polyhedra: undefined }, faces()))
}

/** Places of elements among those of some sections, one section after the other, by their numbers in the file. */
function placesOf(wanted: ReadonlySet<number>, sections: readonly Section[]): Uint32Array {
  const places = new Growing(Uint32Array)
  let before = 0
  for (const { first, count } of sections) {
    for (const number of wanted) if (number >= first && number < first + count) places.push(before + number - first)
    before += count
  }
  return places.finish().sort()
}

/** A range of points with one index fixed. */
function structuredFaces(name: string, zone: Zone, counts: Counts, condition: Node): SourcePart | undefined {
  const range = numbersOf(childNamed(condition.group, 'PointRange'))
  const n = zone.dimension
  if (!range || range.length !== 2 * n) return undefined
  const [from, to] = [0, 1].map((end) => [0, 1, 2].map((d) => (d < n ? range[end * n + d]! - 1 : 0))) as [number[], number[]]
  const own = from.map((f, d) => Math.abs(to[d]! - f) + 1) as unknown as Counts
  if (own.filter((c) => c > 1).length !== n - 1 || from.some((f, d) => Math.min(f, to[d]!) < 0 || Math.max(f, to[d]!) >= counts[d]!))
    return undefined
  const first = from.map((f, d) => Math.min(f, to[d]!))
  const point = (p: number): number => {
    const [i, j, k] = [p % own[0], Math.floor(p / own[0]) % own[1], Math.floor(p / (own[0] * own[1]))]
    return ((first[2]! + k) * counts[1] + first[1]! + j) * counts[0] + first[0]! + i
  }
  const mesh = async (): Promise<SelectedMesh> => {
    const cells = structuredCells(own)
    return selected(
      { points: zone.points(0, zone.nPoints), ...cells, connectivity: cells.connectivity.map(point) },
      Uint32Array.from(cells.types.keys()),
    )
  }
  const cells = structuredCellCount(own)
  return { name, dimension: n - 1, points: 0, cells, cellTypes: { face: cells }, mesh }
}
