/**
 * Brings the cells of a source into the core's own types and orientation.
 *
 * Voxels and pixels are renumbered; strips, polylines and poly-vertices are split (each piece keeps the number of its
 * source cell, so that cell values still fit); volume cells that come out with a negative volume are mirrored by node
 * order and counted, since file writers disagree on the handedness of wedges.
 */
import { FormatError } from '../errors'
import { CellType, cellDimension, cellNodeCount } from './cellTypes'
import type { FloatArray } from './MeshBlock'

/** Cells as a source gives them; `types` are codes of the VTK file formats. */
export interface SourceMesh {
  /** (3 × nPoints) */
  points: FloatArray
  types: Uint8Array
  /** (nCells + 1) */
  offsets: Uint32Array
  connectivity: Uint32Array
}

export interface NormalMesh extends SourceMesh {
  /** (nCells) number of the source cell each cell comes from. */
  cellNumbers: Uint32Array
  /** (nPoints) number of each point in the source, where the points were put in another order. */
  pointSources?: Uint32Array
  /** How many volume cells were mirrored. */
  mirrored: number
}

/** Codes of the file formats that are turned into cells of the core. */
const SourceType = { polyVertex: 2, polyLine: 4, triangleStrip: 6, pixel: 8, voxel: 11 } as const

const sourceNames: Record<number, string> = {
  ...{ 21: 'quadratic edge', 22: 'quadratic triangle', 23: 'quadratic quad', 24: 'quadratic tetra' },
  ...{ 25: 'quadratic hexahedron', 26: 'quadratic wedge', 27: 'quadratic pyramid', 42: 'polyhedron' },
}

/**
 * @param where  names the file in errors
 * @throws FormatError for an unknown or unsupported cell type, a wrong node count, or a point number out of range
 */
export function normaliseCells(source: SourceMesh, where: string): NormalMesh {
  checkCells(source, where)
  if (source.types.every((type) => cellDimension(type) >= 0)) {
    const cellNumbers = new Uint32Array(source.types.length)
    for (let c = 0; c < cellNumbers.length; c++) cellNumbers[c] = c
    const mesh = { ...source, connectivity: source.connectivity.slice(), cellNumbers, mirrored: 0 }
    mesh.mirrored = orientCells(mesh)
    return mesh
  }
  const mesh = splitCells(source)
  mesh.mirrored = orientCells(mesh)
  return mesh
}

function checkCells({ points, types, offsets, connectivity }: SourceMesh, where: string): void {
  const nPoints = points.length / 3
  for (let i = 0; i < connectivity.length; i++) {
    if (connectivity[i]! >= nPoints) {
      throw new FormatError(
        'bad-connectivity',
        `${where}: a cell refers to point ${connectivity[i]}, but there are only ${nPoints} points; write the file again.`,
      )
    }
  }
  const known = new Set<number>(Object.values(SourceType))
  for (let c = 0; c < types.length; c++) {
    const type = types[c]!
    const n = offsets[c + 1]! - offsets[c]!
    if (cellDimension(type) < 0 && !known.has(type)) {
      const name = sourceNames[type] ? `${sourceNames[type]} (type ${type})` : `type ${type}`
      throw new FormatError('unsupported-cell', `${where}: cells of ${name} are not read yet; write linear cells instead.`)
    }
    const expected = type === SourceType.voxel ? 8 : type === SourceType.pixel ? 4 : (cellNodeCount[type] ?? 0)
    const atLeast = type === CellType.polygon || type === SourceType.triangleStrip ? 3 : type === SourceType.polyLine ? 2 : 1
    if ((expected && n !== expected) || n < atLeast) {
      throw new FormatError(
        'bad-cell',
        `${where}: cell ${c} of type ${type} has ${n} nodes instead of ${expected || `at least ${atLeast}`}; write the file again.`,
      )
    }
  }
}

function splitCells(source: SourceMesh): NormalMesh {
  const types: number[] = []
  const ends: number[] = [0]
  const nodes: number[] = []
  const numbers: number[] = []
  const add = (type: number, cell: number, ...list: number[]): void => {
    types.push(type)
    nodes.push(...list)
    ends.push(nodes.length)
    numbers.push(cell)
  }
  for (let c = 0; c < source.types.length; c++) {
    const p = source.connectivity.subarray(source.offsets[c]!, source.offsets[c + 1]!)
    switch (source.types[c]) {
      case SourceType.voxel:
        add(CellType.hexahedron, c, p[0]!, p[1]!, p[3]!, p[2]!, p[4]!, p[5]!, p[7]!, p[6]!)
        break
      case SourceType.pixel:
        add(CellType.quad, c, p[0]!, p[1]!, p[3]!, p[2]!)
        break
      case SourceType.polyVertex:
        for (const point of p) add(CellType.vertex, c, point)
        break
      case SourceType.polyLine:
        for (let i = 1; i < p.length; i++) add(CellType.line, c, p[i - 1]!, p[i]!)
        break
      case SourceType.triangleStrip:
        for (let i = 2; i < p.length; i++) {
          const flip = i & 1
          add(CellType.triangle, c, p[i - 2]!, p[flip ? i : i - 1]!, p[flip ? i - 1 : i]!)
        }
        break
      default:
        add(source.types[c]!, c, ...p)
    }
  }
  return {
    points: source.points,
    types: Uint8Array.from(types),
    offsets: Uint32Array.from(ends),
    connectivity: Uint32Array.from(nodes),
    cellNumbers: Uint32Array.from(numbers),
    mirrored: 0,
  }
}

/** Node pairs to swap to mirror a cell. */
const mirrorSwaps: Record<number, readonly (readonly [number, number])[]> = {
  [CellType.tetra]: [[1, 2]],
  [CellType.pyramid]: [[1, 3]],
  [CellType.wedge]: [[0, 3], [1, 4], [2, 5]],
  [CellType.hexahedron]: [[0, 4], [1, 5], [2, 6], [3, 7]],
}

function orientCells({ points, types, offsets, connectivity }: NormalMesh): number {
  let mirrored = 0
  for (let c = 0; c < types.length; c++) {
    const swaps = mirrorSwaps[types[c]!]
    if (!swaps) continue
    const start = offsets[c]!
    if (roughVolume(types[c]!, points, connectivity, start) >= 0) continue
    mirrored++
    for (const [a, b] of swaps) {
      const kept = connectivity[start + a]!
      connectivity[start + a] = connectivity[start + b]!
      connectivity[start + b] = kept
    }
  }
  return mirrored
}

/** Sign of the volume from three edge vectors through the middle of the cell. */
function roughVolume(type: number, points: FloatArray, nodes: Uint32Array, start: number): number {
  const at = (node: number, d: number): number => points[3 * nodes[start + node]! + d]!
  const edge = (plus: readonly number[], minus: readonly number[], d: number): number => {
    let sum = 0
    for (const node of plus) sum += at(node, d)
    for (const node of minus) sum -= at(node, d)
    return sum
  }
  const pairs = edgePairs[type]!
  const [ax, ay, az, bx, by, bz, cx, cy, cz] = pairs.flatMap(([plus, minus]) =>
    [0, 1, 2].map((d) => edge(plus, minus, d)),
  ) as [number, number, number, number, number, number, number, number, number]
  return ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
}

const edgePairs: Record<number, readonly (readonly [readonly number[], readonly number[]])[]> = {
  [CellType.tetra]: [[[1], [0]], [[2], [0]], [[3], [0]]],
  [CellType.pyramid]: [[[1, 2], [0, 3]], [[2, 3], [0, 1]], [[4, 4, 4, 4], [0, 1, 2, 3]]],
  [CellType.wedge]: [[[1, 4], [0, 3]], [[2, 5], [0, 3]], [[3, 4, 5], [0, 1, 2]]],
  [CellType.hexahedron]: [
    [[1, 2, 5, 6], [0, 3, 4, 7]],
    [[2, 3, 6, 7], [0, 1, 4, 5]],
    [[4, 5, 6, 7], [0, 1, 2, 3]],
  ],
}
