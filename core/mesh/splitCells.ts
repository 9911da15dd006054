/**
 * Splits cells that the core has not got into cells that it has: voxels and pixels are renumbered, strips, polylines and
 * poly-vertices taken apart, quadratic cells and polyhedra split. Each piece keeps the number of its source cell, so that
 * cell values still fit. O(nodes).
 */
import { CellType, cellTypeNames } from './cellTypes'
import { Growing } from './growing'
import type { FloatArray } from './MeshBlock'
import type { NormalMesh, SourceMesh } from './normaliseCells'
import { piecesAround, simpleCell } from './polyhedra'
import { nodesOfCentre, quadraticNames, QuadraticType, quadraticPieces } from './quadraticCells'
import { centreWeights } from './quadraticShape'

/** Codes of the file formats that are turned into cells of the core. */
export const SourceType = { polyVertex: 2, polyLine: 4, triangleStrip: 6, pixel: 8, voxel: 11, polyhedron: 42 } as const

/** A point that splitting adds in the middle of a cell: values there are sums over the nodes of the cell. */
export interface AddedPoint {
  nodes: ArrayLike<number>
  /** Of the cell, as in `SourceMesh`. */
  type: number
}

/** Cells of the core's own types. */
export interface SplitList {
  types: Uint8Array
  /** (nCells + 1) */
  offsets: Uint32Array
  connectivity: Uint32Array
  /** (nCells) place of the cell that each one is of among those that were split. */
  cellNumbers: Uint32Array
  /** Added points are numbered behind all others. */
  centres: readonly AddedPoint[]
  /** How many there are of each type, where only their faces tell. */
  sourceTypes: Record<string, number>
}

/** @param nPoints  number of the first point that is added */
export function splitList(source: Omit<SourceMesh, 'points' | 'nPoints'>, nPoints: number): SplitList {
  const out = new CellList(nPoints)
  for (let c = 0; c < source.types.length; c++) splitCell(source, c, out)
  return {
    types: out.types.finish(),
    offsets: out.ends.finish(),
    connectivity: out.nodes.finish(),
    cellNumbers: out.numbers.finish(),
    centres: out.centres,
    sourceTypes: out.sourceTypes,
  }
}

export function splitCells(source: SourceMesh): NormalMesh {
  const { centres, sourceTypes, ...cells } = splitList(source, source.points.length / 3)
  const { types, offsets, connectivity, polyhedra } = source
  return {
    ...cells,
    points: centres.length ? withAdded(source.points, centres, 3) : source.points,
    mirrored: 0,
    ...(centres.length && { centres }),
    // numbers become those of a larger mesh where it is a part of one
    whole: { of: cells.cellNumbers.slice(), types, offsets, connectivity, ...(polyhedra && { polyhedra }) },
    ...(polyhedra && { sourceTypes }),
  }
}

class CellList {
  readonly types = new Growing(Uint8Array)
  readonly ends = new Growing(Uint32Array)
  readonly nodes = new Growing(Uint32Array)
  readonly numbers = new Growing(Uint32Array)
  readonly centres: AddedPoint[] = []
  readonly sourceTypes: Record<string, number> = {}

  constructor(private readonly nPoints: number) {
    this.ends.push(0)
  }

  /** @returns its number */
  addPoint(nodes: ArrayLike<number>, type: number): number {
    return this.nPoints + this.centres.push({ nodes, type }) - 1
  }

  countSource(type: string): void {
    this.sourceTypes[type] = (this.sourceTypes[type] ?? 0) + 1
  }

  add(type: number, cell: number, nodes: ArrayLike<number>): void {
    this.types.push(type)
    this.nodes.pushAll(nodes)
    this.ends.push(this.nodes.length)
    this.numbers.push(cell)
  }
}

/** Weights of the point added to a type; undefined where none is, or where it is the mean. */
const addedWeights: Record<number, Float64Array | undefined> = Object.fromEntries(
  Object.keys(quadraticNames).map((code) => [code, nodesOfCentre(Number(code)) && centreWeights(Number(code))]),
)

type SourceCells = Omit<SourceMesh, 'points' | 'nPoints'>

function splitCell(source: SourceCells, c: number, out: CellList): void {
  const p = source.connectivity.subarray(source.offsets[c]!, source.offsets[c + 1]!)
  const type = source.types[c]!
  if (source.polyhedra && type !== SourceType.polyhedron) out.countSource(cellTypeNames[type] ?? quadraticNames[type] ?? `type ${type}`)
  switch (type) {
    case SourceType.voxel:
      return out.add(CellType.hexahedron, c, [p[0]!, p[1]!, p[3]!, p[2]!, p[4]!, p[5]!, p[7]!, p[6]!])
    case SourceType.pixel:
      return out.add(CellType.quad, c, [p[0]!, p[1]!, p[3]!, p[2]!])
    case SourceType.polyVertex:
      for (const point of p) out.add(CellType.vertex, c, [point])
      return
    case SourceType.polyLine:
      for (let i = 1; i < p.length; i++) out.add(CellType.line, c, [p[i - 1]!, p[i]!])
      return
    case SourceType.triangleStrip:
      for (let i = 2; i < p.length; i++) {
        const flip = i & 1
        out.add(CellType.triangle, c, [p[i - 2]!, p[flip ? i : i - 1]!, p[flip ? i - 1 : i]!])
      }
      return
    case SourceType.polyhedron:
      return splitPolyhedron(source, c, out)
    default: {
      const pieces = quadraticPieces[type]
      if (!pieces) return out.add(type, c, p)
      const added = addedWeights[type] ? out.addPoint(p, type) : 0
      for (const piece of pieces)
        out.add(
          piece.type,
          c,
          piece.nodes.map((node) => p[node] ?? added),
        )
    }
  }
}

function splitPolyhedron(source: SourceCells, c: number, out: CellList): void {
  const { starts, stream } = source.polyhedra!
  const simple = simpleCell(stream, starts[c]!)
  out.countSource(simple ? cellTypeNames[simple.type]! : 'polyhedron')
  if (simple) return out.add(simple.type, c, simple.nodes)
  const faces = facesOfPolyhedron(source, c)
  if (faces.length < 4) return
  const centre = out.addPoint([...new Set(faces.flat())], SourceType.polyhedron)
  for (const piece of piecesAround(faces, centre)) out.add(piece.type, c, piece.nodes)
}

/** The part of the stream that is one polyhedron: number of faces, then for each its number of nodes and the nodes. */
export function streamOfPolyhedron({ polyhedra }: Pick<SourceMesh, 'polyhedra'>, c: number): Uint32Array {
  const { starts, stream } = polyhedra!
  let end = starts[c]! + 1
  for (let n = stream[starts[c]!]!; n > 0; n--) end += 1 + stream[end]!
  return stream.subarray(starts[c]!, end)
}

/** Faces of a polyhedron in the stream: number of faces, then for each its number of nodes and the nodes. */
export function facesOfPolyhedron({ polyhedra }: Pick<SourceMesh, 'polyhedra'>, c: number): number[][] {
  const { starts, stream } = polyhedra!
  let at = starts[c]!
  const faces: number[][] = []
  for (let n = stream[at++]!; n > 0; n--) {
    const size = stream[at++]!
    faces.push(Array.from(stream.subarray(at, at + size)))
    at += size
  }
  return faces
}

/** How many cells of the core the cells of a part become; of polyhedra only reading tells, they count once. */
export function storedCells({ cells, cellTypes }: { cells: number; cellTypes: Readonly<Record<string, number>> }): number {
  return Object.entries(cellTypes).reduce((n, [name, count]) => n + count * ((piecesOfName[name] ?? 1) - 1), cells)
}

const piecesOfName: Record<string, number> = Object.fromEntries(
  Object.entries(QuadraticType).map(([name, type]) => [name, quadraticPieces[type]!.length]),
)

/** Values with those of the added points behind them. */
export function withAdded(values: FloatArray, added: readonly AddedPoint[], components: number): FloatArray {
  const out =
    values instanceof Float32Array
      ? new Float32Array(values.length + components * added.length)
      : new Float64Array(values.length + components * added.length)
  out.set(values)
  const n = values.length / components
  added.forEach(({ nodes, type }, k) => putAdded(out, n + k, values, nodes, type, components))
  return out
}

/** Writes the value of an added point to item `to`; `nodes` are the indices of its cell's nodes in `from`. */
export function putAdded(out: FloatArray, to: number, from: FloatArray, nodes: ArrayLike<number>, type: number, components: number): void {
  const weights = addedWeights[type]
  for (let d = 0; d < components; d++) {
    let sum = 0
    for (let i = 0; i < nodes.length; i++) sum += (weights ? weights[i]! : 1 / nodes.length) * from[nodes[i]! * components + d]!
    out[to * components + d] = sum
  }
}
