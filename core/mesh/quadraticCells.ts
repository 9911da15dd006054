/**
 * Quadratic cells as linear pieces that use the same nodes: the stated subdivision.
 *
 * A corner is cut off along the midside nodes of its edges; what is left in the middle is split around a point added at the
 * mean of those nodes, or, if it has only triangles, from one of them. Every face is split by its own nodes only (corner
 * triangles around a central polygon, which stays whole), so that neighbours agree. Cells with nodes in the middle of faces
 * (hexahedron 27, wedge 18, quad 9) fall into eight or four smaller cells of their own kind.
 * Linear fields and straight-sided cells stay exact; curved sides are met at all nodes.
 *
 * Node orders are those of the VTK file formats.
 */
import { CellType, cellFaces, cellNodeCount } from './cellTypes'

/** Pieces of one cell type: linear type, then local nodes; one past the last node is the point added. */
export type Pieces = readonly { type: number; nodes: readonly number[] }[]

/** Codes of the file formats. */
export const QuadraticType = {
  line3: 21,
  triangle6: 22,
  quad8: 23,
  tetra10: 24,
  hexahedron20: 25,
  wedge15: 26,
  pyramid13: 27,
  quad9: 28,
  hexahedron27: 29,
  wedge18: 32,
  triangle7: 34,
} as const

export const quadraticNames: Record<number, string> = Object.fromEntries(Object.entries(QuadraticType).map(([name, code]) => [code, name]))

export const quadraticNodeCount: Record<number, number> = Object.fromEntries(
  Object.entries(QuadraticType).map(([name, code]) => [code, Number(/\d+$/.exec(name)![0])]),
)

export function quadraticDimension(type: number): number {
  const linear = quadraticNames[type]?.replace(/\d+$/, '')
  return linear === undefined ? -1 : linear === 'line' ? 1 : linear === 'triangle' || linear === 'quad' ? 2 : 3
}

/** Edges of the linear types in the order of their midside nodes. */
export const quadraticEdges: Record<number, readonly (readonly [number, number])[]> = {
  [CellType.line]: [[0, 1]],
  [CellType.triangle]: [
    [0, 1],
    [1, 2],
    [2, 0],
  ],
  [CellType.quad]: [
    [0, 1],
    [1, 2],
    [2, 3],
    [3, 0],
  ],
  [CellType.tetra]: [
    [0, 1],
    [1, 2],
    [2, 0],
    [0, 3],
    [1, 3],
    [2, 3],
  ],
  [CellType.hexahedron]: [
    [0, 1],
    [1, 2],
    [2, 3],
    [3, 0],
    [4, 5],
    [5, 6],
    [6, 7],
    [7, 4],
    [0, 4],
    [1, 5],
    [2, 6],
    [3, 7],
  ],
  [CellType.wedge]: [
    [0, 1],
    [1, 2],
    [2, 0],
    [3, 4],
    [4, 5],
    [5, 3],
    [0, 3],
    [1, 4],
    [2, 5],
  ],
  [CellType.pyramid]: [
    [0, 1],
    [1, 2],
    [2, 3],
    [3, 0],
    [0, 4],
    [1, 4],
    [2, 4],
    [3, 4],
  ],
}

/** Corners of the linear types in the parametric coordinates of `shapeFunctions.ts`. */
export const cornerPositions: Record<number, readonly (readonly [number, number, number])[]> = {
  [CellType.line]: [
    [0, 0, 0],
    [1, 0, 0],
  ],
  [CellType.triangle]: [
    [0, 0, 0],
    [1, 0, 0],
    [0, 1, 0],
  ],
  [CellType.quad]: [
    [0, 0, 0],
    [1, 0, 0],
    [1, 1, 0],
    [0, 1, 0],
  ],
  [CellType.tetra]: [
    [0, 0, 0],
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ],
  [CellType.hexahedron]: [
    [0, 0, 0],
    [1, 0, 0],
    [1, 1, 0],
    [0, 1, 0],
    [0, 0, 1],
    [1, 0, 1],
    [1, 1, 1],
    [0, 1, 1],
  ],
  [CellType.wedge]: [
    [0, 0, 0],
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
    [1, 0, 1],
    [0, 1, 1],
  ],
  [CellType.pyramid]: [
    [0, 0, 0],
    [1, 0, 0],
    [1, 1, 0],
    [0, 1, 0],
    [0, 0, 1],
  ],
}

/** The four triangles of a triangle with six nodes. */
const triangleOfFour = [
  [0, 3, 5],
  [3, 1, 4],
  [5, 4, 2],
  [3, 4, 5],
]

const triangles = (...lists: number[][]): Pieces => lists.map((nodes) => ({ type: CellType.triangle, nodes }))

export const quadraticPieces: Record<number, Pieces> = {
  [QuadraticType.line3]: [
    [0, 2],
    [2, 1],
  ].map((nodes) => ({ type: CellType.line, nodes })),
  [QuadraticType.triangle6]: triangles(...triangleOfFour),
  [QuadraticType.triangle7]: triangles([0, 3, 6], [3, 1, 6], [1, 4, 6], [4, 2, 6], [2, 5, 6], [5, 0, 6]),
  [QuadraticType.quad8]: [...triangles([0, 4, 7], [4, 1, 5], [5, 2, 6], [6, 3, 7]), { type: CellType.quad, nodes: [4, 5, 6, 7] }],
  [QuadraticType.quad9]: [
    [0, 4, 8, 7],
    [4, 1, 5, 8],
    [8, 5, 2, 6],
    [7, 8, 6, 3],
  ].map((nodes) => ({ type: CellType.quad, nodes })),
  [QuadraticType.tetra10]: cutCorners(CellType.tetra),
  [QuadraticType.hexahedron20]: cutCorners(CellType.hexahedron),
  [QuadraticType.wedge15]: cutCorners(CellType.wedge),
  [QuadraticType.pyramid13]: cutCorners(CellType.pyramid),
  [QuadraticType.hexahedron27]: hexahedronOfEight(),
  [QuadraticType.wedge18]: wedgeOfEight(),
}

/** The type with corners only; a linear type itself. */
export function linearType(type: number): number {
  const name = quadraticNames[type]?.replace(/\d+$/, '')
  return name === undefined ? type : CellType[name as keyof typeof CellType]
}

/** Edges of a volume cell with midside nodes, in their order; undefined for a linear one. */
export function cornerEdges(type: number): readonly (readonly [number, number])[] | undefined {
  return quadraticDimension(type) === 3 ? quadraticEdges[linearType(type)] : undefined
}

function cutCorners(type: number): Pieces {
  const nCorners = cornerPositions[type]!.length
  const middle = (a: number, b: number): number =>
    nCorners + quadraticEdges[type]!.findIndex(([p, q]) => (p === a && q === b) || (p === b && q === a))
  const at = (node: number): readonly number[] => {
    if (node < nCorners) return cornerPositions[type]![node]!
    if (node === nCorners + quadraticEdges[type]!.length) {
      const all = quadraticEdges[type]!.flat()
      return [0, 1, 2].map((d) => all.reduce((sum, corner) => sum + cornerPositions[type]![corner]![d]!, 0) / all.length)
    }
    const [a, b] = quadraticEdges[type]![node - nCorners]!
    return [0, 1, 2].map((d) => (cornerPositions[type]![a]![d]! + cornerPositions[type]![b]![d]!) / 2)
  }
  const pieces: { type: number; nodes: number[] }[] = []
  const inner: number[][] = cellFaces[type]!.map((face) => face.map((node, i) => middle(node, face[(i + 1) % face.length]!)))
  for (let corner = 0; corner < nCorners; corner++) {
    const ring = ringAround(type, corner).map((other) => middle(corner, other))
    inner.push(ring)
    pieces.push(cone(ring, corner, at))
  }
  const hasQuads = inner.some((face) => face.length === 4)
  const apex = hasQuads ? nCorners + quadraticEdges[type]!.length : nCorners
  for (const face of inner) if (!face.includes(apex)) pieces.push(cone(face, apex, at))
  return pieces
}

/** Nodes whose mean is the point added to a cell of this type; undefined where none is. */
export function nodesOfCentre(type: number): { from: number; to: number } | undefined {
  const nNodes = quadraticNodeCount[type]
  if (nNodes === undefined || !quadraticPieces[type]!.some((piece) => piece.nodes.includes(nNodes))) return undefined
  return { from: cornerPositions[linearType(type)]!.length, to: nNodes }
}

/** Cells looked at to tell node orders apart. */
const SAMPLE = 64

/**
 * How far the midside nodes of some cells of one type are from the middles of their edges, over the lengths of these: about 0
 * where the nodes are in the order of their edges, and 1 or so where they are not.
 */
export function midsideError(points: ArrayLike<number>, connectivity: Uint32Array, type: number): number {
  const n = quadraticNodeCount[type]!
  const linear = linearType(type)
  const edges = quadraticEdges[linear]!
  const nCells = connectivity.length / n
  let error = 0
  let length = 0
  for (let c = 0; c < nCells; c += Math.max(1, Math.floor(nCells / SAMPLE))) {
    edges.forEach(([a, b], e) => {
      const [p, q, m] = [a, b, cellNodeCount[linear]! + e].map((node) => 3 * connectivity[c * n + node]!) as [number, number, number]
      const apart = (f: (d: number) => number): number => Math.hypot(f(0), f(1), f(2))
      error += apart((d) => points[m + d]! - (points[p + d]! + points[q + d]!) / 2)
      length += apart((d) => points[q + d]! - points[p + d]!)
    })
  }
  return error / length
}

/** Neighbours of a corner along the edges, in the order of the faces around it. */
function ringAround(type: number, corner: number): number[] {
  const pairs = cellFaces[type]!.filter((face) => face.includes(corner)).map((face) => {
    const i = face.indexOf(corner)
    return [face[(i + face.length - 1) % face.length]!, face[(i + 1) % face.length]!] as const
  })
  const ring = [pairs[0]![0]]
  while (ring.length < pairs.length) ring.push(pairs.find(([from]) => from === ring[ring.length - 1]!)![1])
  return ring
}

/** Tetrahedron or pyramid over a triangle or quad, wound for positive volume. */
function cone(base: readonly number[], apex: number, at: (node: number) => readonly number[]): { type: number; nodes: number[] } {
  const [a, b, c] = base.map(at) as [number[], number[], number[]]
  const d = at(apex)
  const [u, v, w] = [b, c, d].map((p) => p!.map((x, i) => x - a[i]!)) as [number[], number[], number[]]
  const volume = u[0]! * (v[1]! * w[2]! - v[2]! * w[1]!) + u[1]! * (v[2]! * w[0]! - v[0]! * w[2]!) + u[2]! * (v[0]! * w[1]! - v[1]! * w[0]!)
  const ring = volume >= 0 ? [...base] : [...base].reverse()
  return { type: base.length === 3 ? CellType.tetra : CellType.pyramid, nodes: [...ring, apex] }
}

function hexahedronOfEight(): Pieces {
  // node at each place of the 3 × 3 × 3 lattice, x running fastest
  const lattice = [0, 8, 1, 11, 24, 9, 3, 10, 2, 16, 22, 17, 20, 26, 21, 19, 23, 18, 4, 12, 5, 15, 25, 13, 7, 14, 6]
  const pieces: { type: number; nodes: number[] }[] = []
  for (const k of [0, 1])
    for (const j of [0, 1])
      for (const i of [0, 1]) {
        const node = ([a, b, c]: readonly number[]): number => lattice[(k + c!) * 9 + (j + b!) * 3 + i + a!]!
        pieces.push({ type: CellType.hexahedron, nodes: cornerPositions[CellType.hexahedron]!.map(node) })
      }
  return pieces
}

function wedgeOfEight(): Pieces {
  const levels = [
    [0, 1, 2, 6, 7, 8],
    [12, 13, 14, 15, 16, 17],
    [3, 4, 5, 9, 10, 11],
  ]
  const layer = (low: number[], high: number[]): Pieces =>
    triangleOfFour.map((nodes) => ({ type: CellType.wedge, nodes: [...nodes.map((n) => low[n]!), ...nodes.map((n) => high[n]!)] }))
  return [...layer(levels[0]!, levels[1]!), ...layer(levels[1]!, levels[2]!)]
}
