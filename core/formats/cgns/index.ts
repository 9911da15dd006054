/**
 * CGNS files kept in HDF5: structured and unstructured zones as regions, boundary conditions as surfaces, solutions over time
 * (CGNS Standard Interface Data Structures, AIAA R-101A).
 */
import { FormatError } from '../../errors'
import type { FloatArray } from '../../mesh/MeshBlock'
import { sourceDimension } from '../../mesh/normaliseCells'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { joinComponents } from '../components'
import type { Format, OpenCase } from '../Format'
import { isHdf5, textRows } from '../hdf5/Hdf5'
import { partOfCells } from '../meshParts'
import { joinFields, SourceCase, timeMoment } from '../SourceCase'
import type { SourceField, SourceMoment, SourcePart } from '../SourceCase'
import { structuredCells } from '../structured'
import type { Counts } from '../structured'
import { readElements } from './elements'
import { childLabelled, childNamed, childrenOf, numbersOf, numberTypeOf, textOfNode } from './nodes'
import type { Node } from './nodes'

const NAME = 32

export const cgns: Format = {
  id: 'CGNS',
  endings: ['.cgns'],
  sniff: (head, name) => isHdf5(head) && /\.cgns$/i.test(name),
  async open(source, folder) {
    const { root } = await folder.openHdf5(source.name)
    return new CgnsFile(childrenOf(root, 'CGNSBase_t'), source.name).open()
  },
}

interface Zone {
  node: Node
  name: string
  mesh: SourceMesh
  /** Element number in the file of each cell. */
  numbers: Uint32Array
  /** Points along each direction of a structured zone. */
  counts?: Counts
  /** Of the base, for arrays that state none. */
  units: (string | null)[] | undefined
  dimension: number
}

class CgnsFile {
  constructor(
    private readonly bases: Node[],
    private readonly file: string,
  ) {}

  open(): OpenCase {
    const parts: SourcePart[] = []
    const fields: SourceField[] = []
    let moments: SourceMoment[] = []
    let lengthUnit: string | null = null
    for (const base of this.bases) {
      const [cellDimension = 3] = numbersOf(base) ?? []
      const zones = childrenOf(base.group, 'Zone_t')
      const times = numbersOf(childNamed(childLabelled(base.group, 'BaseIterativeData_t')?.group ?? base.group, 'TimeValues'))
      if (times?.length) moments = Array.from(times, (time) => timeMoment(time))
      for (const node of zones) {
        const prefix = this.bases.length > 1 ? `${base.name}/` : ''
        const zone = { ...this.readZone(node, prefix + node.name, cellDimension), units: unitsAt(node) ?? unitsAt(base) }
        lengthUnit ??= zone.units?.[1] ?? null
        const own = this.partsOf(zone, zones.length * this.bases.length > 1)
        parts.push(...own)
        fields.push(...this.fieldsOf(zone, own, Math.max(moments.length, 1)))
      }
    }
    return new SourceCase({ format: 'CGNS', name: this.file, lengthUnit, parts, fields: joinFields(joinComponents(fields)), ...(moments.length && { moments }) })
  }

  private readZone(node: Node, name: string, dimension: number): Omit<Zone, 'units'> {
    const sizes = numbersOf(node)
    if (!sizes?.length) throw new FormatError('missing-array', `${this.file}: the zone “${node.name}” states no size; the file is inconsistent.`)
    const isStructured = textOfNode(childLabelled(node.group, 'ZoneType_t')) === 'Structured'
    const grid = childLabelled(node.group, 'GridCoordinates_t')
    const axes = ['X', 'Y', 'Z'].map((axis) => numbersOf(grid && childNamed(grid.group, `Coordinate${axis}`)))
    if (!axes[0]) throw new FormatError('missing-array', `${this.file}: the zone “${node.name}” has no coordinates; the file is inconsistent.`)
    const n = axes[0].length
    const points = axes.every((a) => !a || a instanceof Float32Array) ? new Float32Array(3 * n) : new Float64Array(3 * n)
    axes.forEach((axis, d) => {
      for (let p = 0; p < (axis?.length ?? 0); p++) points[3 * p + d] = axis![p]!
    })
    if (!isStructured) {
      const { mesh, numbers } = readElements(node, this.file)
      return { node, name, dimension, numbers, mesh: { points, ...mesh } }
    }
    const counts = [0, 1, 2].map((d) => (d < dimension ? sizes[d]! : 1)) as unknown as Counts
    if (counts[0] * counts[1] * counts[2] !== n) throw new FormatError('inconsistent', `${this.file}: the zone “${node.name}” should have ${counts.join(' × ')} points, but has ${n}; the file is inconsistent.`)
    const mesh = { points, ...structuredCells(counts) }
    return { node, name, dimension, counts, mesh, numbers: Uint32Array.from(mesh.types, (_, c) => c + 1) }
  }

  /** The zone itself, then a surface for each boundary condition that names faces. */
  private partsOf(zone: Zone, hasOthers: boolean): SourcePart[] {
    const ofDimension = (d: number): Uint32Array => Uint32Array.from(zone.numbers.keys()).filter((c) => sourceDimension(zone.mesh.types[c]!) === d)
    const dimension = [3, 2, 1, 0].find((d) => ofDimension(d).length) ?? zone.dimension
    const parts = [partOfCells(zone.name, dimension, zone.mesh, ofDimension(dimension))]
    const used = new Set(parts.map((part) => part.name))
    for (const condition of childrenOf(childLabelled(zone.node.group, 'ZoneBC_t')?.group ?? zone.node.group, 'BC_t')) {
      const plain = textOfNode(childLabelled(condition.group, 'FamilyName_t')) || condition.name
      const wanted = hasOthers ? `${zone.name}/${plain}` : plain
      const name = used.has(wanted) ? `${wanted} ${condition.name}` : wanted
      const part = zone.counts ? structuredFaces(name, zone, condition) : listedFaces(name, zone, condition)
      if (part) {
        used.add(name)
        // such as BCWall or BCInflowSubsonic
        parts.push({ ...part, role: textOfNode(condition).replace(/^BC/, '') })
      }
    }
    return parts
  }

  private fieldsOf(zone: Zone, parts: readonly SourcePart[], nMoments: number): SourceField[] {
    const solutions = childrenOf(zone.node.group, 'FlowSolution_t')
    const pointers = childNamed(childLabelled(zone.node.group, 'ZoneIterativeData_t')?.group ?? zone.node.group, 'FlowSolutionPointers')
    const listed = pointers && textRows(numbersOf(pointers) ?? [], NAME)
    const fields = new Map<string, SourceField & { arrays: Map<number, Node> }>()
    for (const solution of solutions) {
      const place = placeOf(solution)
      const moments = momentsOf(solution, solutions.filter((other) => placeOf(other) === place), listed, nMoments)
      for (const node of childrenOf(solution.group, 'DataArray_t')) {
        const key = `${node.name} ${place}`
        const arrays = fields.get(key)?.arrays ?? new Map<number, Node>()
        for (const m of moments) arrays.set(m, node)
        const own = place === 'point' ? parts.map((part) => part.name) : [parts[0]!.name]
        const rind = numbersOf(childLabelled(solution.group, 'Rind_t'))
        fields.set(key, { name: node.name, place, components: 1, numberType: numberTypeOf(node), unit: unitOf(node, zone.units), parts: own, arrays, read: async (_, moment) => this.values(zone, arrays.get(moment)!, place, rind) })
      }
    }
    return [...fields.values()].map(({ arrays, ...field }) => ({ ...field, moments: [...arrays.keys()].sort((a, b) => a - b) }))
  }

  private values(zone: Zone, node: Node, place: 'point' | 'cell', rind: ArrayLike<number> | undefined): FloatArray {
    const stored = numbersOf(node) ?? new Float64Array(0)
    const values = rind ? withoutRind(stored, zone, place, rind) : stored
    const volume = zone.mesh.types.reduce((n, type) => n + Number(sourceDimension(type) === zone.dimension), 0)
    const expected = place === 'point' ? zone.mesh.points.length / 3 : volume
    if (values.length !== expected) throw new FormatError('wrong-length', `${this.file}: “${node.name}” of ${zone.name} has ${values.length} values for ${expected} ${place}s; the file is inconsistent.`)
    if (place === 'point' || volume === zone.mesh.types.length) return values
    // values of cells of the zone's own dimension, by the place of the cell among all elements
    const out = new Float64Array(zone.mesh.types.length).fill(NaN)
    let at = 0
    for (let c = 0; c < out.length; c++) if (sourceDimension(zone.mesh.types[c]!) === zone.dimension) out[c] = values[at++]!
    return out
  }
}

/** Values without the rows that lie beyond the zone: by how many at the low and the high end along each direction. */
function withoutRind(values: FloatArray, { counts, dimension }: Zone, place: 'point' | 'cell', rind: ArrayLike<number>): FloatArray {
  if (!counts) return values.subarray(rind[0] ?? 0, values.length - (rind[1] ?? 0))
  const own = counts.map((n, d) => (place === 'cell' && d < dimension ? n - 1 : n))
  const low = [0, 1, 2].map((d) => (d < dimension ? (rind[2 * d] ?? 0) : 0))
  const stored = own.map((n, d) => n + low[d]! + (d < dimension ? (rind[2 * d + 1] ?? 0) : 0))
  // what does not fit is told by its length
  if (values.length !== stored[0]! * stored[1]! * stored[2]!) return values
  const out = values.slice(0, own[0]! * own[1]! * own[2]!)
  let at = 0
  for (let k = 0; k < own[2]!; k++) for (let j = 0; j < own[1]!; j++) {
    const from = ((k + low[2]!) * stored[1]! + j + low[1]!) * stored[0]! + low[0]!
    out.set(values.subarray(from, from + own[0]!), at)
    at += own[0]!
  }
  return out
}

function placeOf(solution: Node): 'point' | 'cell' {
  return textOfNode(childLabelled(solution.group, 'GridLocation_t')) === 'CellCenter' ? 'cell' : 'point'
}

/** By the list of the file where it names the solution; else one each in their order, or one for all. */
function momentsOf(solution: Node, alike: readonly Node[], listed: readonly string[] | undefined, nMoments: number): number[] {
  const named = listed?.flatMap((name, m) => (name === solution.name ? [m] : [])) ?? []
  if (named.length) return named
  return alike.length === nMoments ? [alike.indexOf(solution)] : Array.from({ length: nMoments }, (_, m) => m)
}

/** Faces listed by element number, or by the points they lie between. */
function listedFaces(name: string, zone: Zone, condition: Node): SourcePart | undefined {
  const list = numbersOf(childNamed(condition.group, 'PointList') ?? childNamed(condition.group, 'ElementList'))
  const range = numbersOf(childNamed(condition.group, 'PointRange') ?? childNamed(condition.group, 'ElementRange'))
  const wanted = new Set(list ?? (range ? Array.from({ length: Math.max(range[1]! - range[0]! + 1, 0) }, (_, i) => range[0]! + i) : []))
  const isByPoint = ['Vertex', ''].includes(textOfNode(childLabelled(condition.group, 'GridLocation_t'))) && !childNamed(condition.group, 'ElementList') && !childNamed(condition.group, 'ElementRange')
  const faces: number[] = []
  const { types, offsets, connectivity } = zone.mesh
  for (let c = 0; c < types.length; c++) {
    if (sourceDimension(types[c]!) !== zone.dimension - 1) continue
    const isIn = isByPoint ? connectivity.subarray(offsets[c]!, offsets[c + 1]!).every((p) => wanted.has(p + 1)) : wanted.has(zone.numbers[c]!)
    if (isIn) faces.push(c)
  }
  return faces.length ? partOfCells(name, zone.dimension - 1, { ...zone.mesh, polyhedra: undefined }, Uint32Array.from(faces)) : undefined
}

/** A range of points with one index fixed. */
function structuredFaces(name: string, zone: Zone, condition: Node): SourcePart | undefined {
  const range = numbersOf(childNamed(condition.group, 'PointRange'))
  const n = zone.dimension
  if (!range || range.length !== 2 * n) return undefined
  const counts = zone.counts!
  const [from, to] = [0, 1].map((end) => [0, 1, 2].map((d) => (d < n ? range[end * n + d]! - 1 : 0))) as [number[], number[]]
  const own = from.map((f, d) => Math.abs(to[d]! - f) + 1) as unknown as Counts
  if (own.filter((c) => c > 1).length !== n - 1 || from.some((f, d) => Math.min(f, to[d]!) < 0 || Math.max(f, to[d]!) >= counts[d]!)) return undefined
  const cells = structuredCells(own)
  const first = from.map((f, d) => Math.min(f, to[d]!))
  const point = (p: number): number => {
    const [i, j, k] = [p % own[0], Math.floor(p / own[0]) % own[1], Math.floor(p / (own[0] * own[1]))]
    return ((first[2]! + k) * counts[1] + first[1]! + j) * counts[0] + first[0]! + i
  }
  const mesh = { points: zone.mesh.points, ...cells, connectivity: cells.connectivity.map(point) }
  return partOfCells(name, n - 1, mesh, Uint32Array.from(cells.types.keys()))
}

const unitNames: Record<string, string> = {
  Kilogram: 'kg', Gram: 'g', Meter: 'm', Centimeter: 'cm', Millimeter: 'mm', Foot: 'ft', Inch: 'in', Second: 's', Kelvin: 'K', Radian: 'rad', Degree: '°',
}

/** Units of mass, length, time, temperature and angle that a node states, by their names in the core; null for unknown ones. */
function unitsAt(node: Node): (string | null)[] | undefined {
  const units = numbersOf(childLabelled(node.group, 'DimensionalUnits_t'))
  return units && textRows(units, NAME).map((name) => unitNames[name] ?? null)
}

/** Unit of an array that states its exponents; its own units go before those of the base. */
function unitOf(node: Node, inherited: (string | null)[] | undefined): string | null {
  const exponents = numbersOf(childLabelled(node.group, 'DimensionalExponents_t'))
  const names = unitsAt(node) ?? inherited
  if (!exponents || !names) return null
  const used = Array.from(exponents, (e, i) => ({ e, name: names[i] })).filter(({ e }) => e !== 0)
  if (!used.every(({ name }) => name)) return null
  const factors = (sign: number): string[] => used.filter(({ e }) => e * sign > 0).map(({ e, name }) => `${name}${['', '', '²', '³'][e * sign] ?? `^${e * sign}`}`)
  const [above, below] = [factors(1), factors(-1)]
  return `${above.join('·') || '1'}${below.length > 1 ? `/(${below.join('·')})` : below.length ? `/${below[0]}` : ''}`
}
