/**
 * Splitting of volume cells into tetrahedra such that neighbours agree on every shared face.
 *
 * Rule (after Dompierre, Labbé, Vallet and Camarero, "How to subdivide pyramids, prisms and hexahedra into
 * tetrahedra", 1999): each polygon face is fanned from its node with the smallest point number, and the cell is the
 * cone from its own smallest node over all faces that do not hold that node. The rule looks at point numbers of one
 * face only, so the two cells of a face split it in the same way, for all cell types and across blocks.
 * Volumes, integrals, slices and isosurfaces all use this one geometry.
 *
 * Cost: one table look-up per cell. At most six tetrahedra per cell.
 */
import { CellType, cellFaces, cellNodeCount } from './cellTypes'

/** Largest number of tetrahedra that one cell is split into. */
export const MAX_TETRAHEDRA = 6

/**
 * tables[type][smallest node × 2^nQuads + diagonal bits] = local nodes of the tetrahedra, four each, positive volume.
 * Bit q is set when the diagonal of quad face q runs through its second or fourth node.
 */
const tables: Uint8Array[][] = []
const quadFaces: Uint8Array[] = []

for (const type of [CellType.tetra, CellType.pyramid, CellType.wedge, CellType.hexahedron]) buildTable(type)

function buildTable(type: number): void {
  const faces = cellFaces[type]!
  const nNodes = cellNodeCount[type]!
  const quads = faces.filter((face) => face.length === 4)
  quadFaces[type] = Uint8Array.from(quads.flat())
  const table: Uint8Array[] = []
  for (let apex = 0; apex < nNodes; apex++) {
    for (let bits = 0; bits < 1 << quads.length; bits++) {
      const tets: number[] = []
      for (const face of faces) {
        if (face.includes(apex)) continue
        for (const [a, b, c] of splitFace(face, quads, bits)) tets.push(apex, a, b, c)
      }
      table.push(Uint8Array.from(tets))
    }
  }
  tables[type] = table
}

function splitFace(face: readonly number[], quads: (readonly number[])[], bits: number): [number, number, number][] {
  const [a, b, c, d] = face as [number, number, number, number]
  if (face.length === 3) return [[a, b, c]]
  const throughSecond = (bits >> quads.indexOf(face)) & 1
  return throughSecond
    ? [
        [b, c, d],
        [b, d, a],
      ]
    : [
        [a, b, c],
        [a, c, d],
      ]
}

/**
 * Local nodes (four per tetrahedron) of the split of one cell.
 *
 * @param type          cell type code, a volume
 * @param connectivity  local point indices of the block
 * @param start         where the cell's nodes begin in `connectivity`
 * @param numbers       point numbers by local index: what decides the diagonals
 */
export function tetrahedraOf(type: number, connectivity: Uint32Array, start: number, numbers: Uint32Array): Uint8Array {
  const table = tables[type]!
  if (type === CellType.tetra) return table[0]!
  const nNodes = cellNodeCount[type]!
  let apex = 0
  let smallest = numbers[connectivity[start]!]!
  for (let i = 1; i < nNodes; i++) {
    const number = numbers[connectivity[start + i]!]!
    if (number < smallest) {
      smallest = number
      apex = i
    }
  }
  const quads = quadFaces[type]!
  let bits = 0
  for (let q = 0, i = 0; i < quads.length; q++, i += 4) {
    const a = numbers[connectivity[start + quads[i]!]!]!
    const b = numbers[connectivity[start + quads[i + 1]!]!]!
    const c = numbers[connectivity[start + quads[i + 2]!]!]!
    const d = numbers[connectivity[start + quads[i + 3]!]!]!
    if ((b < d ? b : d) < (a < c ? a : c)) bits |= 1 << q
  }
  return table[(apex << (quads.length >> 2)) + bits]!
}

/** A face as triangles, fanned from its smallest point number: those of the tetrahedra of the cells beside it. */
export function fanByNumber(nodes: ArrayLike<number>, numbers: Uint32Array, add: (i: number, j: number, k: number) => void): void {
  const n = nodes.length
  let first = 0
  for (let i = 1; i < n; i++) if (numbers[nodes[i]!]! < numbers[nodes[first]!]!) first = i
  for (let i = 1; i < n - 1; i++) add(nodes[first]!, nodes[(first + i) % n]!, nodes[(first + i + 1) % n]!)
}

/** Bytes of an entry: how many tetrahedra, and four local nodes of each. */
const ENTRY = 1 + 4 * MAX_TETRAHEDRA

/** The quads and splits of all types one after the other, for kernels (`kernels/assembly/integrals.ts`). */
export const packedSplits: Uint8Array = packTables()

function packTables(): Uint8Array {
  const types = [CellType.tetra, CellType.pyramid, CellType.wedge, CellType.hexahedron]
  const entries = types
    .flatMap((type) => tables[type]!)
    .flatMap((tets) => [tets.length / 4, ...tets, ...Array<number>(ENTRY - 1 - tets.length).fill(0)])
  return Uint8Array.from([...types.flatMap((type) => [...quadFaces[type]!]), ...entries])
}
