/**
 * CGNS files kept in HDF5: structured and unstructured zones as regions, boundary conditions as surfaces, solutions over time
 * (CGNS Standard Interface Data Structures, AIAA R-101A).
 */
import { FormatError } from '../../errors'
import type { FloatArray } from '../../mesh/MeshBlock'
import { joinComponents } from '../components'
import type { Format, OpenCase } from '../Format'
import { flatRange, isHdf5, sizeOf, textRows } from '../hdf5/Hdf5'
import { joinFields, SourceCase, timeMoment } from '../SourceCase'
import type { SourceField, SourceMoment, SourcePart } from '../SourceCase'
import { childLabelled, childNamed, childrenOf, datasetOf, numbersOf, numberTypeOf, textOfNode } from './nodes'
import type { Node } from './nodes'
import { openZone, regionOf, surfaceOf } from './zone'
import type { Zone } from './zone'

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
        const zone = openZone(node, prefix + node.name, cellDimension, this.file)
        // of the base, for arrays that state none
        const units = unitsAt(node) ?? unitsAt(base)
        lengthUnit ??= units?.[1] ?? null
        const own = this.partsOf(zone, zones.length * this.bases.length > 1)
        parts.push(...own)
        fields.push(...this.fieldsOf(zone, units, own, Math.max(moments.length, 1)))
      }
    }
    return new SourceCase({
      format: 'CGNS',
      name: this.file,
      lengthUnit,
      parts,
      fields: joinFields(joinComponents(fields)),
      ...(moments.length && { moments }),
    })
  }

  /** The zone itself, then a surface for each boundary condition that names faces. */
  private partsOf(zone: Zone, hasOthers: boolean): SourcePart[] {
    const parts = [regionOf(zone, this.file)]
    const used = new Set(parts.map((part) => part.name))
    for (const condition of childrenOf(childLabelled(zone.node.group, 'ZoneBC_t')?.group ?? zone.node.group, 'BC_t')) {
      const plain = textOfNode(childLabelled(condition.group, 'FamilyName_t')) || condition.name
      const wanted = hasOthers ? `${zone.name}/${plain}` : plain
      const name = used.has(wanted) ? `${wanted} ${condition.name}` : wanted
      const part = surfaceOf(name, zone, condition, this.file)
      if (part) {
        used.add(name)
        // such as BCWall or BCInflowSubsonic
        parts.push({ ...part, role: textOfNode(condition).replace(/^BC/, '') })
      }
    }
    return parts
  }

  private fieldsOf(zone: Zone, units: (string | null)[] | undefined, parts: readonly SourcePart[], nMoments: number): SourceField[] {
    const solutions = childrenOf(zone.node.group, 'FlowSolution_t')
    const pointers = childNamed(childLabelled(zone.node.group, 'ZoneIterativeData_t')?.group ?? zone.node.group, 'FlowSolutionPointers')
    const listed = pointers && textRows(numbersOf(pointers) ?? [], NAME)
    const fields = new Map<string, SourceField & { arrays: Map<number, Node> }>()
    for (const solution of solutions) {
      const place = placeOf(solution)
      const moments = momentsOf(
        solution,
        solutions.filter((other) => placeOf(other) === place),
        listed,
        nMoments,
      )
      for (const node of childrenOf(solution.group, 'DataArray_t')) {
        const key = `${node.name} ${place}`
        const arrays = fields.get(key)?.arrays ?? new Map<number, Node>()
        for (const m of moments) arrays.set(m, node)
        const own = place === 'point' ? parts.map((part) => part.name) : [parts[0]!.name]
        const rind = numbersOf(childLabelled(solution.group, 'Rind_t'))
        const expected = place === 'point' ? zone.nPoints : parts[0]!.cells
        const read: SourceField['read'] = async (_, moment) => this.values(zone, arrays.get(moment)!, place, expected, rind)
        const window: SourceField['window'] = async (from, to, _, moment) => {
          const dataset = datasetOf(arrays.get(moment))
          return dataset && !rind && sizeOf(dataset) === expected ? flatRange(dataset, from, to) : undefined
        }
        fields.set(key, {
          name: node.name,
          place,
          components: 1,
          numberType: numberTypeOf(node),
          unit: unitOf(node, units),
          parts: own,
          arrays,
          read,
          window,
        })
      }
    }
    return [...fields.values()].map(({ arrays, ...field }) => ({ ...field, moments: [...arrays.keys()].sort((a, b) => a - b) }))
  }

  private values(zone: Zone, node: Node, place: 'point' | 'cell', expected: number, rind: ArrayLike<number> | undefined): FloatArray {
    const stored = numbersOf(node) ?? new Float64Array(0)
    const values = rind ? withoutRind(stored, zone, place, rind) : stored
    if (values.length !== expected)
      throw new FormatError(
        'wrong-length',
        `${this.file}: “${node.name}” of ${zone.name} has ${values.length} values for ${expected} ${place}s; the file is inconsistent.`,
      )
    return values
  }
}

/** Values without the rows beyond the zone: by how many at the low and the high end along each direction. */
function withoutRind(values: FloatArray, { counts, dimension }: Zone, place: 'point' | 'cell', rind: ArrayLike<number>): FloatArray {
  if (!counts) return values.subarray(rind[0] ?? 0, values.length - (rind[1] ?? 0))
  const own = counts.map((n, d) => (place === 'cell' && d < dimension ? n - 1 : n))
  const low = [0, 1, 2].map((d) => (d < dimension ? (rind[2 * d] ?? 0) : 0))
  const stored = own.map((n, d) => n + low[d]! + (d < dimension ? (rind[2 * d + 1] ?? 0) : 0))
  // an array that does not fit is reported by its length
  if (values.length !== stored[0]! * stored[1]! * stored[2]!) return values
  const out = values.slice(0, own[0]! * own[1]! * own[2]!)
  let at = 0
  for (let k = 0; k < own[2]!; k++)
    for (let j = 0; j < own[1]!; j++) {
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

const unitNames: Record<string, string> = {
  Kilogram: 'kg',
  Gram: 'g',
  Meter: 'm',
  Centimeter: 'cm',
  Millimeter: 'mm',
  Foot: 'ft',
  Inch: 'in',
  Second: 's',
  Kelvin: 'K',
  Radian: 'rad',
  Degree: '°',
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
  const factors = (sign: number): string[] =>
    used.filter(({ e }) => e * sign > 0).map(({ e, name }) => `${name}${['', '', '²', '³'][e * sign] ?? `^${e * sign}`}`)
  const [above, below] = [factors(1), factors(-1)]
  return `${above.join('·') || '1'}${below.length > 1 ? `/(${below.join('·')})` : below.length ? `/${below[0]}` : ''}`
}
