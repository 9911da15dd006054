/** Some cells of a mesh, with what was on its outside there; faces to the others are not opened. */
import { groupCellsOf } from '../mesh/Domain'
import type { DomainMesh, PartialBlock } from '../mesh/Domain'
import { wholesOf } from '../mesh/MeshBlock'
import { CutPoints } from './CutPoints'
import { PartialBuilder, skinTrianglesOf } from './PartialBuilder'

/**
 * @param isKept  (nCells) alike for all cells that come from one cell of the case
 * @param add     adds further triangles to the outside
 * @returns undefined for no cells
 */
export function pickCells(
  mesh: DomainMesh,
  isKept: Uint8Array,
  add?: (out: PartialBuilder, points: CutPoints) => void,
): PartialBlock | undefined {
  if (!isKept.includes(1)) return undefined
  const points = new CutPoints(mesh, new Float64Array(mesh.points.length / 3))
  const out = new PartialBuilder(mesh, points, { cells: mesh.types.length, nodes: mesh.connectivity.length })
  keepWholes(mesh, isKept, out)
  const groups = groupCellsOf(mesh)
  for (let g = 0; g + 1 < groups.length; g++) {
    for (let c = groups[g]!; c < groups[g + 1]!; c++)
      if (isKept[c]) out.addCell(c, mesh.types[c]!, mesh.connectivity, mesh.offsets[c]!, mesh.offsets[c + 1]!)
    out.endGroup()
  }
  const { triangles, cells, from } = skinTrianglesOf(mesh)
  for (let t = 0; t < cells.length; t++) {
    if (!out.hasSource(cells[t]!)) continue
    const [i, j, k] = [triangles[3 * t]!, triangles[3 * t + 1]!, triangles[3 * t + 2]!]
    out.addSkin(points.kept(i), points.kept(j), points.kept(k), cells[t]!, from[t]!)
  }
  add?.(out, points)
  return out.finish()
}

function keepWholes(mesh: DomainMesh, isKept: Uint8Array, out: PartialBuilder): void {
  const quadratic = wholesOf(mesh)
  if (!quadratic) return
  const isWhole = new Uint8Array(quadratic.wholeTypes.length).fill(1)
  for (let c = 0; c < isKept.length; c++) if (!isKept[c] && quadratic.wholeOf[c]! >= 0) isWhole[quadratic.wholeOf[c]!] = 0
  out.keepWholes(quadratic, isWhole)
}
