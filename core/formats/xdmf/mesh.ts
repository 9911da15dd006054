/** Points and cells of an XDMF grid. Structured sizes and origins are in the order z y x. */
import type { FloatArray } from '../../mesh/MeshBlock'
import { Growing } from '../../mesh/growing'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { tableWindows } from '../cellTables'
import type { CellTable } from '../cellTables'
import type { FormatWindows } from '../Format'
import {
  rectilinearPoints,
  structuredCellCount,
  structuredCells,
  structuredDimension,
  structuredTable,
  typeOfDimension,
  uniformPoints,
} from '../structured'
import type { Counts } from '../structured'
import { childrenNamed } from '../xmlTree'
import type { XmlElement } from '../xmlTree'
import type { DataItems } from './dataItem'
import { mixedCells, POLYHEDRON } from './mixedCells'

/** The core's type and number of nodes by the names of both versions, without underscores, in lower case. */
const topologies: Record<string, readonly [number, number]> = {
  triangle: [5, 3],
  quadrilateral: [9, 4],
  tetrahedron: [10, 4],
  pyramid: [14, 5],
  wedge: [13, 6],
  hexahedron: [12, 8],
  edge3: [21, 3],
  tri6: [22, 6],
  triangle6: [22, 6],
  quad8: [23, 8],
  quadrilateral8: [23, 8],
  quad9: [28, 9],
  quadrilateral9: [28, 9],
  tet10: [24, 10],
  tetrahedron10: [24, 10],
  pyramid13: [27, 13],
  wedge15: [26, 15],
  wedge18: [32, 18],
  hex20: [25, 20],
  hexahedron20: [25, 20],
  hex27: [29, 27],
  hexahedron27: [29, 27],
}

function kindOf(topology: XmlElement): string {
  return (topology.attributes['TopologyType'] ?? topology.attributes['Type'] ?? '').replaceAll('_', '').toLowerCase()
}

function geometryKind(geometry: XmlElement): string {
  return (geometry.attributes['GeometryType'] ?? geometry.attributes['Type'] ?? 'XYZ').toUpperCase()
}

/** Points along x, y and z of a structured grid. */
function countsOf(items: DataItems, topology: XmlElement): Counts {
  const text = topology.attributes['Dimensions'] ?? topology.attributes['NumberOfElements'] ?? ''
  const zyx = text.trim().split(/\s+/).map(Number)
  const counts = [...zyx].reverse()
  while (counts.length < 3) counts.push(1)
  if (!counts.every((n) => Number.isInteger(n) && n > 0) || counts.length > 3 || counts[0]! * counts[1]! * counts[2]! > 2 ** 31)
    throw items.damaged(`has a grid of the unusable size “${text.slice(0, 40)}”`)
  return counts as unknown as Counts
}

export async function readGeometry(items: DataItems, topology: XmlElement, geometry: XmlElement): Promise<FloatArray> {
  const kind = geometryKind(geometry)
  const lists: FloatArray[] = []
  for (const item of childrenNamed(geometry, 'DataItem')) lists.push(await items.read(item))
  const [a, b, c] = lists
  if (!a) throw items.damaged('has a geometry without data')
  switch (kind) {
    case 'XYZ':
      return a
    case 'XY':
      return withZ(a)
    case 'X_Y_Z':
    case 'X_Y': {
      const points = new Float64Array(3 * a.length)
      for (let p = 0; p < a.length; p++) points.set([a[p]!, b?.[p] ?? 0, c?.[p] ?? 0], 3 * p)
      return points
    }
    case 'VXVYVZ':
    case 'VXVY':
      return rectilinearPoints(a, b ?? [0], c ?? [0])
    case 'ORIGIN_DXDYDZ':
    case 'ORIGIN_DXDY': {
      const xyz = (list: FloatArray | undefined, rest: number): number[] =>
        [...Array.from(list ?? []).reverse(), rest, rest, rest].slice(0, 3)
      return uniformPoints(countsOf(items, topology), [0, 0, 0], xyz(a, 0), xyz(b, 1))
    }
    default:
      throw items.damaged(`has a geometry of the kind “${kind.slice(0, 30)}”, which is not read`)
  }
}

function withZ(xy: FloatArray): Float64Array {
  const points = new Float64Array((xy.length / 2) * 3)
  for (let p = 0; p < xy.length / 2; p++) points.set([xy[2 * p]!, xy[2 * p + 1]!], 3 * p)
  return points
}

/** Number of points, without reading them. */
export async function countPoints(items: DataItems, topology: XmlElement, geometry: XmlElement): Promise<number> {
  const kind = geometryKind(geometry)
  if (kind.startsWith('VX') || kind.startsWith('ORIGIN')) return countsOf(items, topology).reduce((n, count) => n * count, 1)
  const item = childrenNamed(geometry, 'DataItem')[0]
  if (!item) throw items.damaged('has a geometry without data')
  const values = (await items.shape(item)).reduce((n, size) => n * size, 1)
  return kind === 'XYZ' ? values / 3 : kind === 'XY' ? values / 2 : values
}

/** Type and number of cells, if they are known without reading them: not of mixed topologies. */
export async function describeTopology(items: DataItems, topology: XmlElement): Promise<{ type: number; nCells: number } | undefined> {
  const kind = kindOf(topology)
  if (STRUCTURED.test(kind)) {
    const counts = countsOf(items, topology)
    return { type: typeOfDimension[structuredDimension(counts)]!, nCells: structuredCellCount(counts) }
  }
  const fixed = topologies[kind]
  const item = childrenNamed(topology, 'DataItem')[0]
  if (!fixed || !item) return undefined
  const nCells = (await items.shape(item)).reduce((n, size) => n * size, 1) / fixed[1]
  return Number.isInteger(nCells) ? { type: fixed[0], nCells } : undefined
}

/** Windows of a grid of one kind of cells with points in one list, where both can be read by ranges; undefined else. */
export async function gridWindows(items: DataItems, topology: XmlElement, geometry: XmlElement): Promise<FormatWindows | undefined> {
  const [pointItem, cellItem] = [geometry, topology].map((element) => childrenNamed(element, 'DataItem')[0])
  const points = pointItem && geometryKind(geometry) === 'XYZ' ? await items.windowOf(pointItem, 3) : undefined
  const table = STRUCTURED.test(kindOf(topology))
    ? structuredTable(countsOf(items, topology))
    : await storedTable(items, topology, cellItem)
  return (
    points &&
    table &&
    tableWindows(items.name, await countPoints(items, topology, geometry), (from, to) => points(3 * from, 3 * to), [table])
  )
}

async function storedTable(items: DataItems, topology: XmlElement, item: XmlElement | undefined): Promise<CellTable | undefined> {
  const fixed = topologies[kindOf(topology)]
  const cells = fixed && (await describeTopology(items, topology))
  if (!cells || !item) return undefined
  const [type, nNodes] = fixed
  const read = await items.windowOf(item, nNodes)
  return read && { type, nNodes, nCells: cells.nCells, rows: async (from, to) => new Uint32Array(await read(nNodes * from, nNodes * to)) }
}

const STRUCTURED = /^[23]d(s|rect|corect)mesh$/

export async function readTopology(items: DataItems, topology: XmlElement): Promise<Omit<SourceMesh, 'points'>> {
  const kind = kindOf(topology)
  if (STRUCTURED.test(kind)) return structuredCells(countsOf(items, topology))
  const item = childrenNamed(topology, 'DataItem')[0]
  const list = item && (await items.read(item))
  if (kind === 'mixed') return readMixed(items, list)
  const perElement = Number(topology.attributes['NodesPerElement'] ?? NaN)
  const fixed =
    topologies[kind] ?? { polyvertex: [perElement > 1 ? 2 : 1, perElement || 1], polyline: [4, perElement], polygon: [7, perElement] }[kind]
  if (!fixed || !(fixed[1]! > 0)) throw items.damaged(`has cells of the kind “${kind.slice(0, 30)}”, which is not read`)
  const [type, size] = fixed as [number, number]
  const stated = Number((topology.attributes['NumberOfElements'] ?? topology.attributes['Dimensions'] ?? '').split(/\s+/)[0])
  // points without a list are all points in their order
  const connectivity = list ? numbers(items, list) : Uint32Array.from({ length: (stated || 0) * size }, (_, i) => i)
  const nCells = connectivity.length / size
  if (!Number.isInteger(nCells) || (stated && stated !== nCells))
    throw items.damaged(`has ${connectivity.length} nodes for ${stated} cells of ${size}`)
  return { types: new Uint8Array(nCells).fill(type), offsets: Uint32Array.from({ length: nCells + 1 }, (_, c) => c * size), connectivity }
}

function numbers(items: DataItems, list: FloatArray): Uint32Array {
  for (let i = 0; i < list.length; i++) if (!(list[i]! >= 0)) throw items.damaged(`has a cell with the point number ${list[i]}`)
  return Uint32Array.from(list)
}

function readMixed(items: DataItems, list: FloatArray | undefined): Omit<SourceMesh, 'points'> {
  const types = new Growing(Uint8Array)
  const offsets = new Growing(Uint32Array)
  const nodes = new Growing(Uint32Array)
  const starts = new Growing(Float64Array)
  const stream = new Growing(Uint32Array)
  offsets.push(0)
  const values = numbers(items, list ?? new Float64Array(0))
  let at = 0
  const take = (n: number): Uint32Array => {
    if (!(n >= 0 && at + n <= values.length)) throw items.damaged('has a list of mixed cells that ends within a cell')
    at += n
    return values.subarray(at - n, at)
  }
  while (at < values.length) {
    const code = take(1)[0]!
    let start = -1
    if (code === POLYHEDRON) {
      start = stream.length
      const nFaces = take(1)[0]!
      stream.push(nFaces)
      for (let f = 0; f < nFaces; f++) {
        const size = take(1)[0]!
        stream.push(size)
        stream.pushAll(take(size))
      }
      types.push(42)
    } else if (code >= 1 && code <= 3) {
      const list = take(take(1)[0]!)
      types.push([0, list.length > 1 ? 2 : 1, list.length === 2 ? 3 : 4, 7][code]!)
      nodes.pushAll(list)
    } else {
      const found = mixedCells[code]
      if (!found) throw items.damaged(`has a mixed cell of the unknown kind ${code}`)
      types.push(found[0])
      nodes.pushAll(take(found[1]))
    }
    offsets.push(nodes.length)
    starts.push(start)
  }
  return {
    types: types.finish(),
    offsets: offsets.finish(),
    connectivity: nodes.finish(),
    ...(stream.length && { polyhedra: { starts: starts.finish(), stream: stream.finish() } }),
  }
}

/** Tells meshes apart by what their data items say, without reading heavy data: the same place holds the same mesh. */
export async function geometryKey(items: DataItems, grid: XmlElement): Promise<string> {
  const texts: string[] = []
  const visit = async (element: XmlElement): Promise<void> => {
    const found = await items.follow(element)
    texts.push(found.name, JSON.stringify(found.attributes))
    if (found.name === 'DataItem' && !found.children.length) {
      const isText = (found.attributes['Format'] ?? 'XML').toUpperCase() === 'XML'
      const text = await items.text(found)
      texts.push(isText ? hashOf(text) : text)
    }
    for (const child of found.children) await visit(child)
  }
  for (const element of grid.children) if (element.name === 'Topology' || element.name === 'Geometry') await visit(element)
  return texts.join('\n')
}

function hashOf(text: string): string {
  let hash = 0x811c9dc5
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193)
  return `${text.length}:${hash >>> 0}`
}
