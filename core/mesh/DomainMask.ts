/** Whether a position in a cell of a region is in a domain: where the cell was cut, whether one of its pieces holds it. */
import { BlockWindow } from './BlockWindow'
import { CellType } from './cellTypes'
import { isPartial, isWhole } from './Domain'
import type { Domain, DomainBlock, DomainMesh, PartialBlock } from './Domain'
import { INSIDE_TOLERANCE } from './shapeFunctions'

export class DomainMask {
  /** Blocks of the domain by part and block. */
  private readonly blocks = new Map<string, DomainBlock[]>()
  private readonly meshes: BlockWindow<(DomainMesh | undefined)[]>
  private readonly isWhole: boolean

  /** @param nearBlocks  meshes held at a time */
  constructor(
    private readonly domain: Domain,
    nearBlocks: number,
  ) {
    for (const block of domain.blocks) {
      const key = `${block.part.name}\n${block.block}`
      this.blocks.set(key, [...(this.blocks.get(key) ?? []), block])
    }
    this.isWhole = isWhole(domain)
    this.meshes = new BlockWindow(domain.parts, nearBlocks, (part, k) =>
      (this.blocks.get(`${part.name}\n${k}`) ?? []).map((block) => block.mesh()),
    )
  }

  /** @param part  place in the list of parts of the domain. @param cell  of the block of the region, in which the position lies */
  holds(part: number, block: number, cell: number, x: number, y: number, z: number): boolean {
    if (this.isWhole) return true
    const own = this.blocks.get(`${this.domain.parts[part]!.name}\n${block}`)
    if (!own) return false
    if (own.some(({ is }) => is === 'whole')) return true
    return this.meshes.at(part, block).some((mesh) => mesh && (!isPartial(mesh) || isInCell(mesh, cell, x, y, z)))
  }

  close(): void {
    this.meshes.close()
  }
}

function isInCell(mesh: PartialBlock, cell: number, x: number, y: number, z: number): boolean {
  const { cellSources } = mesh
  let lo = 0
  let hi = cellSources.length
  while (lo < hi) {
    const middle = (lo + hi) >> 1
    if (cellSources[middle]! < cell) lo = middle + 1
    else hi = middle
  }
  for (let c = lo; cellSources[c] === cell; c++) {
    // what is left of a cut cell are tetrahedra
    if (mesh.types[c] !== CellType.tetra || (mesh.wholeOf?.[c] ?? -1) >= 0 || isInTetrahedron(mesh, c, x, y, z)) return true
  }
  return false
}

function isInTetrahedron({ points, connectivity, offsets }: PartialBlock, c: number, x: number, y: number, z: number): boolean {
  const [a, b, d, e] = [0, 1, 2, 3].map((i) => 3 * connectivity[offsets[c]! + i]!) as [number, number, number, number]
  const whole = sixVolumes(points, a, b, d, points[e]!, points[e + 1]!, points[e + 2]!)
  const reach = -INSIDE_TOLERANCE * Math.abs(whole)
  return (
    sixVolumes(points, a, b, d, x, y, z) >= reach &&
    sixVolumes(points, a, e, b, x, y, z) >= reach &&
    sixVolumes(points, b, e, d, x, y, z) >= reach &&
    sixVolumes(points, a, d, e, x, y, z) >= reach
  )
}

/** Six times the volume of the tetrahedron of three points and a position. */
function sixVolumes(points: ArrayLike<number>, a: number, b: number, c: number, x: number, y: number, z: number): number {
  const ux = points[b]! - points[a]!
  const uy = points[b + 1]! - points[a + 1]!
  const uz = points[b + 2]! - points[a + 2]!
  const vx = points[c]! - points[a]!
  const vy = points[c + 1]! - points[a + 1]!
  const vz = points[c + 2]! - points[a + 2]!
  return (x - points[a]!) * (uy * vz - uz * vy) + (y - points[a + 1]!) * (uz * vx - ux * vz) + (z - points[a + 2]!) * (ux * vy - uy * vx)
}
