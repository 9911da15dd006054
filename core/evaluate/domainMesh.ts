/**
 * A domain as one mesh to be written: points that blocks share are joined, by their numbers in the part and where a cut made them by their
 * places. They stay in the order of their numbers: who reads the file splits faces that are not flat in the same way. Quadratic cells that
 * are left whole are written as such. If cells were cut through, linear cells are written as their tetrahedra: the faces of those beside a
 * cut cell would not meet its pieces otherwise.
 */
import { CellType } from '../mesh/cellTypes'
import type { SourceMesh } from '../mesh/normaliseCells'
import { eachDomainBlock } from '../mesh/Domain'
import type { Domain, DomainBlock, DomainMesh } from '../mesh/Domain'
import { gather } from '../mesh/gather'
import { Growing } from '../mesh/growing'
import { wholesOf } from '../mesh/MeshBlock'
import { tetrahedraOf } from '../mesh/tetrahedra'
import type { FieldValues } from '../mesh/MeshBlock'
import { NEW_NUMBERS } from '../shapes/PartialBuilder'
import type { WriteField } from '../formats/write/vtkXml'

/** Values to be written. */
export interface DomainField {
  name: string
  unit: string | null
  valuesOf(mesh: DomainMesh, block: DomainBlock): FieldValues
}

/** @param check  called per block; throws to cancel */
export function meshOfDomain(
  domain: Domain,
  fields: readonly DomainField[],
  check: () => void,
): { mesh: SourceMesh; fields: WriteField[] } {
  let isCut = false
  eachDomainBlock(domain, check, ({ pointNumbers }) => void (isCut ||= pointNumbers.some((number) => number >= NEW_NUMBERS)))
  const joined = new JoinedMesh(isCut)
  const outs = fields.map(() => ({ values: new Growing(Float64Array), components: 1, place: 'point' as 'point' | 'cell' }))
  eachDomainBlock(domain, check, (mesh, block) => {
    const { points, cells } = joined.add(mesh, block.part.name)
    fields.forEach(({ valuesOf }, f) => {
      const { values, components, place } = valuesOf(mesh, block)
      const out = outs[f]!
      Object.assign(out, { components, place })
      for (const item of place === 'point' ? points : cells)
        for (let c = 0; c < components; c++) out.values.push(values[item * components + c]!)
    })
  })
  const { mesh, order } = joined.finish()
  const written = fields.map(({ name, unit }, f): WriteField => {
    const { values, components, place } = outs[f]!
    const own = values.finish()
    return { name, unit, components, place, values: place === 'point' ? gather(own, order, components) : own }
  })
  return { mesh, fields: written }
}

class JoinedMesh {
  private readonly points = new Growing(Float64Array)
  private readonly types = new Growing(Uint8Array)
  private readonly offsets = new Growing(Uint32Array)
  private readonly connectivity = new Growing(Uint32Array)
  private readonly numbered = new Map<string, Map<number, number>>()
  private readonly placed = new Map<string, number>()
  /** By which points are put in order: those of the parts one after the other, and then those that cuts made. */
  private readonly ranks = new Growing(Float64Array)

  /** @param isSplit  linear cells as tetrahedra */
  constructor(private readonly isSplit: boolean) {
    this.offsets.push(0)
  }

  /** @returns local points that are new, and local cells that were added, in the order in which they were */
  add(mesh: DomainMesh, part: string): { points: number[]; cells: number[] } {
    const quadratic = wholesOf(mesh)
    const index = new Int32Array(mesh.pointNumbers.length).fill(-1)
    const points: number[] = []
    const cells: number[] = []
    const nodeOf = (p: number): number => {
      if (index[p]! < 0) {
        const before = this.points.length
        index[p] = this.pointOf(mesh, p, part)
        if (this.points.length > before) points.push(p)
      }
      return index[p]!
    }
    for (let c = 0; c < mesh.types.length; c++) {
      const q = quadratic ? quadratic.wholeOf[c]! : -1
      if (q >= 0 && !quadratic!.wholeLeads[c]) continue
      if (q < 0 && this.isSplit) {
        const tets = tetrahedraOf(mesh.types[c]!, mesh.connectivity, mesh.offsets[c]!, mesh.pointNumbers)
        for (let k = 0; k < tets.length; k += 4) {
          for (let i = 0; i < 4; i++) this.connectivity.push(nodeOf(mesh.connectivity[mesh.offsets[c]! + tets[k + i]!]!))
          this.offsets.push(this.connectivity.length)
          this.types.push(CellType.tetra)
          cells.push(c)
        }
        continue
      }
      const [nodes, offsets, at] = q >= 0 ? [quadratic!.wholeNodes, quadratic!.wholeOffsets, q] : [mesh.connectivity, mesh.offsets, c]
      for (let i = offsets[at]!; i < offsets[at + 1]!; i++) this.connectivity.push(nodeOf(nodes[i]!))
      this.offsets.push(this.connectivity.length)
      this.types.push(q >= 0 ? quadratic!.wholeTypes[q]! : mesh.types[c]!)
      cells.push(c)
    }
    return { points, cells }
  }

  private pointOf({ points, pointNumbers, pointCells }: DomainMesh, p: number, part: string): number {
    const number = pointNumbers[p]!
    const [x, y, z] = [points[3 * p]! + 0, points[3 * p + 1]! + 0, points[3 * p + 2]! + 0]
    const next = this.points.length / 3
    // corners that cells have of their own stay apart: values jump there
    const key = `${part} ${x} ${y} ${z} ${pointCells ? pointCells[p] : ''}`
    if (number >= NEW_NUMBERS || pointCells) {
      const known = this.placed.get(key)
      if (known !== undefined) return known
      this.placed.set(key, next)
    } else {
      const own = this.numbered.get(part) ?? new Map<number, number>()
      this.numbered.set(part, own)
      const known = own.get(number)
      if (known !== undefined) return known
      own.set(number, next)
    }
    this.points.pushAll([x, y, z])
    const own = [...this.numbered.keys()].indexOf(part)
    this.ranks.push(number >= NEW_NUMBERS ? Infinity : (own + 1) * NEW_NUMBERS + number)
    return next
  }

  /** @returns the mesh, and which of the points as they came is each of its points */
  finish(): { mesh: SourceMesh; order: Uint32Array } {
    const ranks = this.ranks.finish()
    const order = Uint32Array.from(ranks, (_, p) => p).sort((p, q) => (ranks[p] === ranks[q] ? p - q : ranks[p]! - ranks[q]!))
    const places = new Uint32Array(order.length)
    order.forEach((p, place) => (places[p] = place))
    const mesh = {
      points: gather(this.points.finish(), order, 3),
      types: this.types.finish(),
      offsets: this.offsets.finish(),
      connectivity: this.connectivity.finish().map((p) => places[p]!),
    }
    return { mesh, order }
  }
}
