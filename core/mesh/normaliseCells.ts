/**
 * Brings the cells of a source into the core's own types and orientation.
 *
 * What the core has not got is split (`splitCells.ts`); volume cells that come out with a negative volume are mirrored by
 * node order and counted, since file writers disagree on the handedness of wedges.
 */
import { FormatError } from '../errors'
import { CellType, cellDimension, cellNodeCount, cellTypeNames } from './cellTypes'
import { overCornerLots } from './cornerLots'
import type { FloatArray } from './MeshBlock'
import { quadraticDimension, quadraticNames, quadraticNodeCount } from './quadraticCells'
import { SourceType, splitCells } from './splitCells'
import type { AddedPoint } from './splitCells'

/** Cells as a source gives them; `types` are codes of the VTK file formats. */
export interface SourceMesh {
  /** (3 × nPoints) */
  points: FloatArray
  types: Uint8Array
  /** (nCells + 1) */
  offsets: Uint32Array
  connectivity: Uint32Array
  /** Faces of the cells of type polyhedron: where each cell's begin (nCells) in a stream of counts and point numbers. */
  polyhedra?: { starts: ArrayLike<number>; stream: Uint32Array }
  /** Number of points where some are joined to others and not used. */
  nPoints?: number
}

export interface WholeCells extends Pick<SourceMesh, 'types' | 'offsets' | 'connectivity' | 'polyhedra'> {
  /** (nPieces) */
  of: Uint32Array
}

export interface NormalMesh extends Omit<SourceMesh, 'polyhedra'> {
  /** (nCells) number of the source cell each cell comes from. */
  cellNumbers: Uint32Array
  /** Points added behind those of the source. */
  centres?: readonly AddedPoint[]
  /** Where cells were split: those of the source, and which one each piece is of. */
  whole?: WholeCells
  /** (nPoints) number of each point in the source, where the points were put in another order. */
  pointSources?: Uint32Array
  /** Whether each cell has points of its own in the blocks, for values that jump between cells. */
  hasOwnCorners?: boolean
  /** How many volume cells were mirrored. */
  mirrored: number
  /** Cells of the source by type, known only now: what its polyhedra are. */
  sourceTypes?: Record<string, number>
}

/**
 * @param where  names the file in errors
 * @throws FormatError for an unknown or unsupported cell type, a wrong node count, or a point number out of range
 */
export function normaliseCells(source: SourceMesh, where: string): NormalMesh {
  checkCells(source, where)
  const mesh = splitOrCopied(source)
  return source.nPoints === undefined ? mesh : { ...mesh, nPoints: source.nPoints }
}

/** By code: cells that are kept as they are. */
const isCoreType = Uint8Array.from({ length: 256 }, (_, type) => Number(cellDimension(type) >= 0))

function splitOrCopied(source: SourceMesh): NormalMesh {
  if (!source.types.some((type) => !isCoreType[type])) {
    const cellNumbers = new Uint32Array(source.types.length)
    for (let c = 0; c < cellNumbers.length; c++) cellNumbers[c] = c
    const { points, types, offsets, connectivity } = source
    const mesh = { points, types, offsets, connectivity: connectivity.slice(), cellNumbers, mirrored: 0 }
    mesh.mirrored = orientCells(mesh)
    return mesh
  }
  const mesh = splitCells(source)
  const turned = orientCells(mesh)
  // the pieces of polyhedra are turned as a matter of course: only whole cells count
  mesh.mirrored = source.polyhedra ? 0 : turned
  return mesh
}

function checkCells({ points, types, offsets, connectivity, polyhedra }: SourceMesh, where: string): void {
  const nPoints = points.length / 3
  for (let i = 0; i < connectivity.length; i++) {
    if (connectivity[i]! >= nPoints) throw foreignPoint(connectivity[i]!, nPoints, where)
  }
  checkTypes({ types, offsets }, where)
  if (polyhedra) checkPolyhedra(types, polyhedra, nPoints, where)
}

export function foreignPoint(point: number, nPoints: number, where: string): FormatError {
  // negative numbers of 32 bits are read as large ones
  return new FormatError(
    'bad-connectivity',
    `${where}: a cell refers to point ${point > 0x7fffffff ? point - 2 ** 32 : point}, but there are only ${nPoints} points; write ` +
      `the file again.`,
  )
}

export function foreignCell(type: number, where: string): FormatError {
  return new FormatError('bad-cell', `${where} has a cell of type ${type} among its volumes; the file is inconsistent, write it again.`)
}

/** @param first  number of the first cell. @throws FormatError for cells that are not read or have a wrong number of nodes */
export function checkTypes({ types, offsets }: Pick<SourceMesh, 'types' | 'offsets'>, where: string, first = 0): void {
  for (let c = 0; c < types.length; c++) {
    const n = offsets[c + 1]! - offsets[c]!
    if (n > 0 && n === nodeCounts[types[c]!]) continue
    const error = wrongNodes(types[c]!, n, first + c, where)
    if (error) throw error
  }
}

/** The error of a cell of n nodes, if it has one. */
export function wrongNodes(type: number, n: number, cell: number, where: string): FormatError | undefined {
  if (sourceDimension(type) < 0)
    return new FormatError(
      'unsupported-cell',
      `${where}: cells of type ${type} are not read; write them as polyhedra or as linear or quadratic cells.`,
    )
  const expected = nodeCounts[type]
  const atLeast = type === CellType.polygon || type === SourceType.triangleStrip ? 3 : type === SourceType.polyLine ? 2 : 1
  if (type === SourceType.polyhedron || (expected ? n === expected : n >= atLeast)) return undefined
  return new FormatError(
    'bad-cell',
    `${where}: cell ${cell} of type ${type} has ${n} nodes instead of ${expected || `at least ${atLeast}`}; write the file again.`,
  )
}

/** By code of one byte: nodes of a cell, 0 where their number is free or the type is not read. */
const nodeCounts = Uint8Array.from({ length: 256 }, (_, type) =>
  type === SourceType.voxel ? 8 : type === SourceType.pixel ? 4 : (cellNodeCount[type] ?? quadraticNodeCount[type] ?? 0),
)

const splitDimensions: Record<number, number> = {
  [SourceType.polyVertex]: 0,
  [SourceType.polyLine]: 1,
  [SourceType.triangleStrip]: 2,
  [SourceType.pixel]: 2,
  [SourceType.voxel]: 3,
  [SourceType.polyhedron]: 3,
}
/** By code of one byte: it is asked for every cell of a file. */
const sourceDimensions = Int8Array.from(
  { length: 256 },
  (_, type) => splitDimensions[type] ?? Math.max(cellDimension(type), quadraticDimension(type)),
)

/** Dimension of a cell as the file has it; -1 for a type that is not read. */
export function sourceDimension(type: number): number {
  return sourceDimensions[type] ?? -1
}

/** Names of all types that are read, by their code in the file. */
export const sourceTypeNames: Record<number, string> = {
  ...cellTypeNames,
  ...quadraticNames,
  ...Object.fromEntries(Object.entries(SourceType).map(([name, code]) => [code, name])),
}

/** @throws FormatError for faces that do not fit the stream, or name points that are not there */
export function checkPolyhedra(
  types: Uint8Array,
  { starts, stream }: NonNullable<SourceMesh['polyhedra']>,
  nPoints: number,
  where: string,
): void {
  const damaged = (c: number): FormatError =>
    new FormatError('bad-cell', `${where}: the faces of polyhedron ${c} are inconsistent; write the file again.`)
  for (let c = 0; c < types.length; c++) {
    if (types[c] !== SourceType.polyhedron) continue
    let at = starts[c] ?? -1
    if (!(at >= 0 && at < stream.length)) throw damaged(c)
    for (let n = stream[at++]!; n > 0; n--) {
      const size = stream[at++] ?? Infinity
      if (at + size > stream.length) throw damaged(c)
      for (let i = 0; i < size; i++) if (stream[at + i]! >= nPoints) throw damaged(c)
      at += size
    }
  }
}

/** Mirrors volume cells of negative volume by their node order. @returns how many */
function orientCells({ points, types, offsets, connectivity }: NormalMesh): number {
  let mirrored = 0
  if (!types.some((type) => cellDimension(type) === 3)) return mirrored
  overCornerLots(points, { offsets, connectivity }, ({ kernels, from, to, ...lot }) => {
    const nodes = connectivity.subarray(offsets[from], offsets[to])
    const at = kernels.put(nodes)
    const turned = kernels.run.orientCells(kernels.put(types.subarray(from, to)), lot.offsets, lot.corners, at, to - from)
    if (turned) nodes.set(kernels.view(Uint32Array, at, nodes.length))
    mirrored += turned
  })
  return mirrored
}
