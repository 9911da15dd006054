/** Parts of meshes that a reader holds whole. */
import { CellType } from '../mesh/cellTypes'
import type { FloatArray } from '../mesh/MeshBlock'
import { sourceDimension, sourceTypeNames } from '../mesh/normaliseCells'
import type { SourceMesh } from '../mesh/normaliseCells'
import { selectCells } from '../mesh/selectCells'
import type { SourcePart } from './SourceCase'

/** A mesh read whole as parts by the dimension of its cells; the first keeps the plain name. */
export function partsByDimension(name: string, mesh: SourceMesh): SourcePart[] {
  const lists: number[][] = [[], [], [], []]
  for (let c = 0; c < mesh.types.length; c++) lists[Math.max(sourceDimension(mesh.types[c]!), 0)]!.push(c)
  const present = [3, 2, 1, 0].filter((d) => lists[d]!.length)
  return present.map((dimension, i) => {
    const cells = Uint32Array.from(lists[dimension]!)
    const own = present.length === 1 ? mesh : selectCells(mesh, cells)
    return {
      name: i === 0 ? name : `${name} ${['points', 'lines', 'faces', 'cells'][dimension]}`,
      dimension,
      points: own.points.length / 3,
      cells: cells.length,
      cellTypes: countTypes(own.types),
      mesh: async () => own,
    }
  })
}

export function countTypes(types: Uint8Array): Record<string, number> {
  const counts: Record<string, number> = {}
  for (const type of types) {
    const name = sourceTypeNames[type] ?? `type ${type}`
    counts[name] = (counts[name] ?? 0) + 1
  }
  return counts
}

/** Some cells of a mesh as a part; values of the mesh fit it by its cell and point numbers. */
export function partOfCells(name: string, dimension: number, mesh: SourceMesh, cells: Uint32Array): SourcePart {
  const own = selectCells(mesh, cells)
  return { name, dimension, points: own.points.length / 3, cells: cells.length, cellTypes: countTypes(own.types), mesh: async () => own }
}

/** One vertex cell per point. */
export function pointCloud(points: FloatArray): SourceMesh {
  const n = points.length / 3
  const numbers = Uint32Array.from({ length: n + 1 }, (_, i) => i)
  return { points, types: new Uint8Array(n).fill(CellType.vertex), offsets: numbers, connectivity: numbers.slice(0, n) }
}
