/**
 * What is left of a block of a domain when whole cells of the case are kept or left out. Faces between the two are opened by it; faces at
 * the border of the block are open until the blocks behind them are known.
 */
import { CellType, cellFaces } from '../mesh/cellTypes'
import { isPartial, SkinFrom } from '../mesh/Domain'
import type { DomainBlock, DomainMesh } from '../mesh/Domain'
import { MAX_FACES, matchFaces } from '../mesh/faceMatching'
import type { Cells } from '../mesh/faceMatching'
import type { DerivedArrays, MeshBlock } from '../mesh/MeshBlock'
import { fanByNumber, tetrahedraOf } from '../mesh/tetrahedra'
import { skinTrianglesOf } from './PartialBuilder'
import { pickCells } from './pickCells'
import { TriangleSet } from './TriangleSet'

/**
 * @param level  (cells of the case's block) kept where it is 0 or more
 * @returns the mesh itself if all cells of a block of the case are kept, undefined if none is
 */
export function chooseCells(mesh: DomainMesh, level: Float64Array, block: DomainBlock): DomainMesh | undefined {
  const nCells = mesh.types.length
  const isKept = Uint8Array.from({ length: nCells }, (_, c) => Number(level[isPartial(mesh) ? mesh.cellSources[c]! : c]! >= 0))
  // what is left of a block has no triangles at its border yet
  if (!isPartial(mesh) && isKept.every((is) => is === 1)) return mesh
  return pickCells(mesh, isKept, (out, points) => {
    const known = skinSetOf(mesh)
    addOpened(mesh, isKept, facesOf(mesh, block), (i, j, k, cell, skinFrom) => {
      if (skinFrom === SkinFrom.cut || !known.has(i, j, k))
        out.addSkin(points.kept(i), points.kept(j), points.kept(k), out.sourceOf(cell), skinFrom)
    })
  })
}

function skinSetOf(mesh: DomainMesh): TriangleSet {
  const known = new TriangleSet()
  const { triangles } = skinTrianglesOf(mesh)
  for (let t = 0; t < triangles.length; t += 3) known.add(triangles[t]!, triangles[t + 1]!, triangles[t + 2]!)
  return known
}

/** Cells with faces that match each other, and for each the cell of the mesh it is of. */
interface Faces {
  cells: Cells
  owners: Uint32Array | undefined
  neighbours: Int32Array
}

/** Faces of a block of the case are matched once; what is left of one is looked at as tetrahedra, whose faces all match. */
function facesOf(mesh: DomainMesh, { part, block }: DomainBlock): Faces {
  if (!isPartial(mesh)) {
    const { neighbours } = part.derived(block, 'neighbours', () => neighboursOf(mesh, mesh))
    return { cells: mesh, owners: undefined, neighbours: neighbours as Int32Array }
  }
  const { cells, owners } = tetrahedraMesh(mesh)
  return { cells, owners, neighbours: neighboursOf(cells, mesh)['neighbours'] as Int32Array }
}

/** Points that several cells have of their own count as one. */
function neighboursOf(cells: Cells, { pointNumbers, pointCells }: MeshBlock): DerivedArrays {
  const nPoints = pointNumbers.length
  let { connectivity } = cells
  if (pointCells) {
    const first = new Map<number, number>()
    const joined = pointNumbers.map((number, p) => {
      if (!first.has(number)) first.set(number, p)
      return first.get(number)!
    })
    connectivity = connectivity.map((p) => joined[p]!)
  }
  const neighbours = new Int32Array(MAX_FACES * cells.types.length).fill(-1)
  matchFaces({ ...cells, connectivity }, nPoints, neighbours)
  return { neighbours }
}

function tetrahedraMesh({ types, offsets, connectivity, pointNumbers }: MeshBlock): { cells: Cells; owners: Uint32Array } {
  const nodes: number[] = []
  const owners: number[] = []
  for (let c = 0; c < types.length; c++) {
    const tets = tetrahedraOf(types[c]!, connectivity, offsets[c]!, pointNumbers)
    for (const node of tets) nodes.push(connectivity[offsets[c]! + node]!)
    for (let k = 0; k < tets.length; k += 4) owners.push(c)
  }
  const n = owners.length
  return {
    cells: {
      types: new Uint8Array(n).fill(CellType.tetra),
      offsets: Uint32Array.from({ length: n + 1 }, (_, t) => 4 * t),
      connectivity: Uint32Array.from(nodes),
    },
    owners: Uint32Array.from(owners),
  }
}

/** Triangles of kept cells whose other side was left out, or is in another block or nowhere. */
function addOpened(
  mesh: DomainMesh,
  isKept: Uint8Array,
  { cells: { types, offsets, connectivity }, owners, neighbours }: Faces,
  add: (i: number, j: number, k: number, cell: number, from: number) => void,
): void {
  for (let c = 0; c < types.length; c++) {
    const own = owners ? owners[c]! : c
    const faces = isKept[own] ? cellFaces[types[c]!] : undefined
    if (!faces) continue
    for (let f = 0; f < faces.length; f++) {
      const other = neighbours[MAX_FACES * c + f]!
      if (other >= 0 && isKept[owners ? owners[other]! : other]) continue
      const nodes = faces[f]!.map((node) => connectivity[offsets[c]! + node]!)
      fanByNumber(nodes, mesh.pointNumbers, (i, j, k) => add(i, j, k, own, other >= 0 ? SkinFrom.cut : SkinFrom.open))
    }
  }
}

/** Triangles at the border of a whole block that are on no boundary of the region. */
export function borderOf(mesh: MeshBlock, block: DomainBlock): { triangles: Uint32Array; cells: Uint32Array } {
  const known = skinSetOf(mesh)
  const triangles: number[] = []
  const cells: number[] = []
  addOpened(mesh, new Uint8Array(mesh.types.length).fill(1), facesOf(mesh, block), (i, j, k, cell) => {
    if (known.has(i, j, k)) return
    triangles.push(i, j, k)
    cells.push(cell)
  })
  return { triangles: Uint32Array.from(triangles), cells: Uint32Array.from(cells) }
}
