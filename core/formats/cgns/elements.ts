/** Element sections of an unstructured zone: fixed kinds, mixed, and faces with the cells made of them. */
import { FormatError } from '../../errors'
import { Growing } from '../../mesh/growing'
import { sourceDimension, sourceTypeNames } from '../../mesh/normaliseCells'
import { SourceType } from '../../mesh/splitCells'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { orderedRows } from '../cellTables'
import type { CellTable } from '../cellTables'
import { flatRange, sizeOf } from '../hdf5/Hdf5'
import type { Hdf5Dataset } from '../hdf5/Hdf5'
import { childrenOf, childNamed, datasetOf, numbersOf } from './nodes'
import type { Node } from './nodes'

const straight = (n: number): number[] => Array.from({ length: n }, (_, i) => i)
/** The standard counts vertical edges before the upper ones, and the middles of faces in an order of its own. */
const hexahedron20 = [...straight(12), 16, 17, 18, 19, 12, 13, 14, 15]
const wedge15 = [...straight(9), 12, 13, 14, 9, 10, 11]

/** By the standard's code (CGNS SIDS, "ElementType_t"): nodes in the file, the core's type, and the position of each node. */
const kinds: Record<number, { size: number; type: number; nodes: readonly number[] }> = {
  2: { size: 1, type: 1, nodes: [0] },
  3: { size: 2, type: 3, nodes: straight(2) },
  4: { size: 3, type: 21, nodes: straight(3) },
  5: { size: 3, type: 5, nodes: straight(3) },
  6: { size: 6, type: 22, nodes: straight(6) },
  7: { size: 4, type: 9, nodes: straight(4) },
  8: { size: 8, type: 23, nodes: straight(8) },
  9: { size: 9, type: 28, nodes: straight(9) },
  10: { size: 4, type: 10, nodes: straight(4) },
  11: { size: 10, type: 24, nodes: straight(10) },
  12: { size: 5, type: 14, nodes: straight(5) },
  13: { size: 14, type: 27, nodes: straight(13) },
  14: { size: 6, type: 13, nodes: straight(6) },
  15: { size: 15, type: 26, nodes: wedge15 },
  16: { size: 18, type: 32, nodes: [...wedge15, 15, 16, 17] },
  17: { size: 8, type: 12, nodes: straight(8) },
  18: { size: 20, type: 25, nodes: hexahedron20 },
  19: { size: 27, type: 29, nodes: [...hexahedron20, 24, 22, 21, 23, 20, 25, 26] },
  21: { size: 13, type: 27, nodes: straight(13) },
}
const MIXED = 20
export const NGON = 22
export const NFACE = 23

/** All elements of a zone by their number in the file, whatever their dimension. */
export interface Elements {
  /** Number of each element. */
  numbers: Uint32Array
  mesh: Omit<SourceMesh, 'points'>
}

/** Elements of one kind that follow each other; large ones are read when asked for. */
export interface Section {
  code: number
  /** Number of the first one. */
  first: number
  count: number
  name: string
  connectivity(): ArrayLike<number>
  /** Where each element begins, and the end of the last; older files have none. */
  starts: Hdf5Dataset | undefined
  dataset: Hdf5Dataset
}

/** @throws FormatError for a section without range or nodes */
export function sectionsOf(zone: Node, file: string): Section[] {
  return childrenOf(zone.group, 'Elements_t').map((node) => {
    const range = numbersOf(childNamed(node.group, 'ElementRange'))
    const dataset = datasetOf(childNamed(node.group, 'ElementConnectivity'))
    if (!range || !dataset || !(range[1]! >= range[0]!))
      throw new FormatError(
        'missing-array',
        `${file}: the elements “${node.name}” have no range or connectivity; the file is inconsistent.`,
      )
    const count = range[1]! - range[0]! + 1
    const starts = datasetOf(childNamed(node.group, 'ElementStartOffset'))
    if (starts && sizeOf(starts) < count + 1)
      throw new FormatError(
        'wrong-length',
        `${file}: the elements “${node.name}” have ${sizeOf(starts)} offsets for ${count}; the file is inconsistent.`,
      )
    return {
      code: numbersOf(node)?.[0] ?? 0,
      first: range[0]!,
      count,
      name: node.name,
      connectivity: () => dataset.numbers(),
      starts,
      dataset,
    }
  })
}

/** Dimension of a section's elements and what they are called; undefined for mixed ones, which only reading tells. */
export function kindOfSection({ code }: Section): { dimension: number; type: string } | undefined {
  if (code === MIXED) return undefined
  if (code === NGON) return { dimension: 2, type: 'face' }
  if (code === NFACE) return { dimension: 3, type: 'polyhedron' }
  const kind = kinds[code]
  return kind && { dimension: sourceDimension(kind.type), type: sourceTypeNames[kind.type]! }
}

/** A section of one kind of cells as a table; undefined for others. */
export function tableOf({ code, count, dataset }: Section): CellTable | undefined {
  const kind = kinds[code]
  if (!kind || sizeOf(dataset) < count * kind.size) return undefined
  const { type, size, nodes } = kind
  return {
    type,
    nNodes: nodes.length,
    nCells: count,
    rows: async (from, to) => orderedRows(flatRange(dataset, size * from, size * to), nodes, size, 1),
  }
}

export function readElements(sections: readonly Section[], file: string): Elements {
  const out = new Collector(file)
  const faces = sections.find((section) => section.code === NGON)
  for (const section of sections) {
    if (section.code === NFACE) out.polyhedra(section, faces)
    else if (section.code === NGON) out.polygons(section)
    else if (section.code === MIXED) out.mixed(section)
    else out.fixed(section)
  }
  return out.finish()
}

class Collector {
  private readonly types = new Growing(Uint8Array)
  private readonly offsets = new Growing(Uint32Array)
  private readonly connectivity = new Growing(Uint32Array)
  private readonly numbers = new Growing(Uint32Array)
  private readonly starts = new Growing(Float64Array)
  private readonly stream = new Growing(Uint32Array)

  constructor(private readonly file: string) {
    this.offsets.push(0)
  }

  private add(type: number, number: number, nodes: ArrayLike<number>, start = -1): void {
    this.types.push(type)
    this.numbers.push(number)
    this.connectivity.pushAll(nodes)
    this.offsets.push(this.connectivity.length)
    this.starts.push(start)
  }

  private damaged({ name }: Section, why: string): FormatError {
    return new FormatError('bad-cell', `${this.file}: the elements “${name}” ${why}; the file is damaged.`)
  }

  fixed(section: Section): void {
    const kind = kinds[section.code]
    if (!kind) throw this.damaged(section, `are of the kind ${section.code}, which is not read`)
    const { count, first } = section
    const connectivity = section.connectivity()
    if (connectivity.length < count * kind.size) throw this.damaged(section, 'have too few nodes')
    const nodes = new Uint32Array(kind.nodes.length)
    for (let e = 0; e < count; e++) {
      for (let i = 0; i < nodes.length; i++) nodes[i] = connectivity[e * kind.size + kind.nodes[i]!]! - 1
      this.add(kind.type, first + e, nodes)
    }
  }

  mixed(section: Section): void {
    const { count, first } = section
    const connectivity = section.connectivity()
    for (let e = 0, at = 0; e < count; e++) {
      const kind = kinds[connectivity[at++] ?? 0]
      if (!kind || at + kind.size > connectivity.length) throw this.damaged(section, `have no known kind at element ${first + e}`)
      const start = at
      this.add(
        kind.type,
        first + e,
        kind.nodes.map((i) => connectivity[start + i]! - 1),
      )
      at += kind.size
    }
  }

  /** Start of each element: stored, or, in older files, behind a count before each. */
  private extents(section: Section, connectivity: ArrayLike<number>): { from: number; to: number }[] {
    const { count } = section
    const starts = section.starts?.numbers()
    const extents: { from: number; to: number }[] = []
    for (let e = 0, at = 0; e < count; e++) {
      const from = starts ? starts[e]! : at + 1
      const to = starts ? starts[e + 1]! : from + connectivity[at]!
      if (!(from >= 0 && to >= from && to <= connectivity.length))
        throw this.damaged(section, `do not fit their offsets at element ${section.first + e}`)
      extents.push({ from, to })
      at = to
    }
    return extents
  }

  polygons(section: Section): void {
    const connectivity = section.connectivity()
    this.extents(section, connectivity).forEach(({ from, to }, e) => {
      const nodes: number[] = []
      for (let i = from; i < to; i++) nodes.push(connectivity[i]! - 1)
      this.add(nodes.length === 3 ? 5 : nodes.length === 4 ? 9 : 7, section.first + e, nodes)
    })
  }

  polyhedra(section: Section, faces: Section | undefined): void {
    if (!faces) throw this.damaged(section, 'name faces, but the zone has none')
    const [connectivity, points] = [section.connectivity(), faces.connectivity()]
    const nodesOf = this.extents(faces, points)
    this.extents(section, connectivity).forEach(({ from, to }, e) => {
      const start = this.stream.length
      this.stream.push(to - from)
      for (let i = from; i < to; i++) {
        // a negative number says that the face points inwards
        const face = nodesOf[Math.abs(connectivity[i]!) - faces.first]
        if (!face) throw this.damaged(section, `name the face ${connectivity[i]}, which is not there`)
        this.stream.push(face.to - face.from)
        for (let k = face.from; k < face.to; k++) this.stream.push(points[k]! - 1)
      }
      this.add(SourceType.polyhedron, section.first + e, [], start)
    })
  }

  finish(): Elements {
    const types = this.types.finish()
    const polyhedra = types.some((type) => sourceDimension(type) === 3 && type === SourceType.polyhedron)
    return {
      numbers: this.numbers.finish(),
      mesh: {
        types,
        offsets: this.offsets.finish(),
        connectivity: this.connectivity.finish(),
        ...(polyhedra && { polyhedra: { starts: this.starts.finish(), stream: this.stream.finish() } }),
      },
    }
  }
}
