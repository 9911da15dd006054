/**
 * Splits cells that the core has not got into cells that it has: voxels and pixels are renumbered, strips, polylines and
 * poly-vertices taken apart, quadratic cells and polyhedra split. Each piece keeps the number of its source cell, so that
 * cell values still fit. O(nodes).
 */
import { CellType, cellTypeNames } from './cellTypes'
import { Growing } from './growing'
import type { NormalMesh, SourceMesh } from './normaliseCells'
import { piecesAround, simpleCell } from './polyhedra'
import { nodesOfCentre, QuadraticType, quadraticPieces } from './quadraticCells'

/** Codes of the file formats that are turned into cells of the core. */
export const SourceType = { polyVertex: 2, polyLine: 4, triangleStrip: 6, pixel: 8, voxel: 11, polyhedron: 42 } as const

/** Names of the types that a point is added to. */
export const typesWithCentre: readonly string[] = ['polyhedron', ...Object.entries(QuadraticType).filter(([, type]) => nodesOfCentre(type)).map(([name]) => name)]

export function splitCells(source: SourceMesh): NormalMesh {
  const out = new CellList()
  for (let c = 0; c < source.types.length; c++) splitCell(source, c, out)
  const centres = out.centres
  return {
    points: centres.length ? withCentres(source.points, centres) : source.points,
    types: out.types.finish(),
    offsets: out.ends.finish(),
    connectivity: out.nodes.finish(),
    cellNumbers: out.numbers.finish(),
    mirrored: 0,
    ...(centres.length && { centres }),
    ...(source.polyhedra && { sourceTypes: out.sourceTypes }),
  }
}

class CellList {
  readonly types = new Growing(Uint8Array)
  readonly ends = new Growing(Uint32Array)
  readonly nodes = new Growing(Uint32Array)
  readonly numbers = new Growing(Uint32Array)
  /** Nodes whose mean is each added point. */
  readonly centres: number[][] = []
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

function splitCell(source: SourceMesh, c: number, out: CellList): void {
  const p = source.connectivity.subarray(source.offsets[c]!, source.offsets[c + 1]!)
  const type = source.types[c]!
  if (source.polyhedra && type !== SourceType.polyhedron) out.countSource(cellTypeNames[type] ?? `type ${type}`)
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
      const centre = nodesOfCentre(type)
      const added = centre ? source.points.length / 3 + out.centres.push(Array.from(p.subarray(centre.from, centre.to))) - 1 : 0
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
  out.centres.push([...new Set(faces.flat())])
  for (const piece of pieces) out.add(piece.type, c, piece.nodes)
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

function withCentres(points: SourceMesh['points'], centres: readonly number[][]): SourceMesh['points'] {
  const out = points instanceof Float32Array ? new Float32Array(points.length + 3 * centres.length) : new Float64Array(points.length + 3 * centres.length)
  out.set(points)
  fillMeans(out, points.length / 3, centres, 3)
  return out
}

/** Writes the mean of each list of items behind the first `n` items of `components` numbers. */
export function fillMeans(values: SourceMesh['points'], n: number, centres: readonly number[][], components: number): void {
  centres.forEach((nodes, k) => {
    for (let d = 0; d < components; d++) {
      let sum = 0
      for (const node of nodes) sum += values[node * components + d]!
      values[(n + k) * components + d] = sum / nodes.length
    }
  })
}
