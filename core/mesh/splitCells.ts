/**
 * Splits cells that the core has not got into cells that it has: voxels and pixels are renumbered, strips, polylines and
 * poly-vertices taken apart, quadratic cells and polyhedra split. Each piece keeps the number of its source cell, so that
 * cell values still fit. O(nodes).
 */
import { CellType, cellTypeNames } from './cellTypes'
import { Growing } from './growing'
import type { NormalMesh, SourceMesh } from './normaliseCells'
import { piecesAround, simpleCell } from './polyhedra'
import { nodesOfCentre, quadraticNames, QuadraticType, quadraticPieces } from './quadraticCells'
import { centreWeights } from './quadraticShape'

/** Codes of the file formats that are turned into cells of the core. */
export const SourceType = { polyVertex: 2, polyLine: 4, triangleStrip: 6, pixel: 8, voxel: 11, polyhedron: 42 } as const

/** Names of the types that a point is added to. */
export const typesWithCentre: readonly string[] = ['polyhedron', ...Object.entries(QuadraticType).filter(([, type]) => nodesOfCentre(type)).map(([name]) => name)]

/** A point that splitting adds: values there are sums over these nodes. */
export interface AddedPoint {
  nodes: ArrayLike<number>
  /** One per node, together 1; without them the mean. */
  weights?: Float64Array
}

export function splitCells(source: SourceMesh): NormalMesh {
  const out = new CellList()
  for (let c = 0; c < source.types.length; c++) splitCell(source, c, out)
  const centres = out.centres
  const { types, offsets, connectivity, polyhedra } = source
  return {
    points: centres.length ? withCentres(source.points, centres) : source.points,
    types: out.types.finish(),
    offsets: out.ends.finish(),
    connectivity: out.nodes.finish(),
    cellNumbers: out.numbers.finish(),
    mirrored: 0,
    ...(centres.length && { centres }),
    whole: { of: out.numbers.finish(), types, offsets, connectivity, ...(polyhedra && { polyhedra }) },
    ...(source.polyhedra && { sourceTypes: out.sourceTypes }),
  }
}

class CellList {
  readonly types = new Growing(Uint8Array)
  readonly ends = new Growing(Uint32Array)
  readonly nodes = new Growing(Uint32Array)
  readonly numbers = new Growing(Uint32Array)
  readonly centres: AddedPoint[] = []
  readonly sourceTypes: Record<string, number> = {}

  constructor() {
    this.ends.push(0)
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

/** Weights of the point added to a type; undefined where none is. */
const addedWeights: Record<number, Float64Array | undefined> = Object.fromEntries(
  Object.keys(quadraticNames).map((code) => [code, nodesOfCentre(Number(code)) && centreWeights(Number(code))]),
)

function splitCell(source: SourceMesh, c: number, out: CellList): void {
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
      const weights = addedWeights[type]
      const added = weights ? source.points.length / 3 + out.centres.push({ nodes: p, weights }) - 1 : 0
      for (const piece of pieces) out.add(piece.type, c, piece.nodes.map((node) => p[node] ?? added))
    }
  }
}

function splitPolyhedron(source: SourceMesh, c: number, out: CellList): void {
  const faces = facesOfPolyhedron(source, c)
  const simple = simpleCell(faces)
  out.countSource(simple ? cellTypeNames[simple.type]! : 'polyhedron')
  if (simple) return out.add(simple.type, c, simple.nodes)
  const centre = source.points.length / 3 + out.centres.length
  const pieces = piecesAround(faces, centre)
  if (!pieces.length) return
  out.centres.push({ nodes: [...new Set(faces.flat())] })
  for (const piece of pieces) out.add(piece.type, c, piece.nodes)
}

/** The part of the stream that is one polyhedron: number of faces, then for each its number of nodes and the nodes. */
export function streamOfPolyhedron({ polyhedra }: Pick<SourceMesh, 'polyhedra'>, c: number): Uint32Array {
  const { starts, stream } = polyhedra!
  let end = starts[c]! + 1
  for (let n = stream[starts[c]!]!; n > 0; n--) end += 1 + stream[end]!
  return stream.subarray(starts[c]!, end)
}

/** Faces of a polyhedron in the stream: number of faces, then for each its number of nodes and the nodes. */
export function facesOfPolyhedron({ polyhedra }: SourceMesh, c: number): number[][] {
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

const piecesOfName: Record<string, number> = Object.fromEntries(Object.entries(QuadraticType).map(([name, type]) => [name, quadraticPieces[type]!.length]))

function withCentres(points: SourceMesh['points'], centres: readonly AddedPoint[]): SourceMesh['points'] {
  const out = points instanceof Float32Array ? new Float32Array(points.length + 3 * centres.length) : new Float64Array(points.length + 3 * centres.length)
  out.set(points)
  fillAdded(out, points.length / 3, centres, 3)
  return out
}

/** Writes the values of the added points behind the first `n` items of `components` numbers. */
export function fillAdded(values: SourceMesh['points'], n: number, added: readonly AddedPoint[], components: number): void {
  added.forEach(({ nodes, weights }, k) => {
    for (let d = 0; d < components; d++) {
      let sum = 0
      for (let i = 0; i < nodes.length; i++) sum += (weights ? weights[i]! : 1 / nodes.length) * values[nodes[i]! * components + d]!
      values[(n + k) * components + d] = sum
    }
  })
}
