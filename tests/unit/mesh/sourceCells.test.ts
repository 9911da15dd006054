import { describe, expect, it } from 'vitest'
import { integrateCells } from '../../../core/measure/integrateCells'
import { sizeOfShape } from '../../../core/measure/integrateShape'
import { mergeTotals } from '../../../core/measure/sums'
import { seamTargets } from '../../../core/mesh/joinSeams'
import { matchFaces } from '../../../core/mesh/faceMatching'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import type { SourceMesh } from '../../../core/mesh/normaliseCells'
import { QuadraticType } from '../../../core/mesh/quadraticCells'
import { storedCells } from '../../../core/mesh/splitCells'
import { selectCells } from '../../../core/mesh/selectCells'
import { facesOfBlock } from '../../../core/shapes/blockShapes'
import { MemoryPart } from '../../../core/store/MemoryPart'

type P = [number, number, number]

/** Corners of the reference cells, in the order of the file formats. */
const corners: Record<string, P[]> = {
  tetra: [
    [0, 0, 0],
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ],
  hexahedron: [
    [0, 0, 0],
    [1, 0, 0],
    [1, 1, 0],
    [0, 1, 0],
    [0, 0, 1],
    [1, 0, 1],
    [1, 1, 1],
    [0, 1, 1],
  ],
  wedge: [
    [0, 0, 0],
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
    [1, 0, 1],
    [0, 1, 1],
  ],
  pyramid: [
    [0, 0, 0],
    [1, 0, 0],
    [1, 1, 0],
    [0, 1, 0],
    [0.5, 0.5, 1],
  ],
  triangle: [
    [0, 0, 0],
    [1, 0, 0],
    [0, 1, 0],
  ],
  quad: [
    [0, 0, 0],
    [1, 0, 0],
    [1, 1, 0],
    [0, 1, 0],
  ],
  line: [
    [0, 0, 0],
    [1, 0, 0],
  ],
}
const edges: Record<string, number[][]> = {
  tetra: [
    [0, 1],
    [1, 2],
    [2, 0],
    [0, 3],
    [1, 3],
    [2, 3],
  ],
  hexahedron: [
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
  wedge: [
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
  pyramid: [
    [0, 1],
    [1, 2],
    [2, 3],
    [3, 0],
    [0, 4],
    [1, 4],
    [2, 4],
    [3, 4],
  ],
  triangle: [
    [0, 1],
    [1, 2],
    [2, 0],
  ],
  quad: [
    [0, 1],
    [1, 2],
    [2, 3],
    [3, 0],
  ],
  line: [[0, 1]],
}
/** Further nodes in the middle of these corners. */
const middles: Record<string, number[][]> = {
  hexahedron27: [
    [0, 3, 4, 7],
    [1, 2, 5, 6],
    [0, 1, 4, 5],
    [2, 3, 6, 7],
    [0, 1, 2, 3],
    [4, 5, 6, 7],
    [0, 1, 2, 3, 4, 5, 6, 7],
  ],
  wedge18: [
    [0, 1, 3, 4],
    [1, 2, 4, 5],
    [2, 0, 5, 3],
  ],
  quad9: [[0, 1, 2, 3]],
  triangle7: [[0, 1, 2]],
}

function mean(points: P[]): P {
  return [0, 1, 2].map((d) => points.reduce((sum, p) => sum + p[d]!, 0) / points.length) as P
}

function nodesOf(name: string): P[] {
  const base = name.replace(/\d+$/, '')
  const own = corners[base]!
  return [
    ...own,
    ...edges[base]!.map(([a, b]) => mean([own[a!]!, own[b!]!])),
    ...(middles[name] ?? []).map((list) => mean(list.map((i) => own[i]!))),
  ]
}

/** A skewing map without mirror: volumes grow by its determinant. */
const map = ([x, y, z]: P): P => [2 * x + 0.3 * y + 1, 0.1 * x + 1.5 * y - 0.2 * z, 0.4 * y + z]
const DETERMINANT = 2 * (1.5 + 0.08) - 0.3 * 0.1
const linear = ([x, y, z]: P): number => 3 + 2 * x - y + 4 * z

function single(type: number, points: P[]): SourceMesh {
  return {
    points: Float64Array.from(points.flat()),
    types: Uint8Array.of(type),
    offsets: Uint32Array.of(0, points.length),
    connectivity: Uint32Array.from(points.keys()),
  }
}

function totals(mesh: ReturnType<typeof normaliseCells>, values: (p: P) => number) {
  const part = new MemoryPart('p', 3, mesh)
  const list = Float64Array.from({ length: mesh.points.length / 3 }, (_, p) =>
    values([mesh.points[3 * p]!, mesh.points[3 * p + 1]!, mesh.points[3 * p + 2]!]),
  )
  part.setField('f', { values: list, components: 1, place: 'point' })
  return mergeTotals(integrateCells(part.block(0), part.field('f', 0)), 1)
}

const volumes: Record<string, number> = { tetra10: 1 / 6, hexahedron20: 1, hexahedron27: 1, wedge15: 0.5, wedge18: 0.5, pyramid13: 1 / 3 }
const centres: Record<string, P> = {
  tetra10: [0.25, 0.25, 0.25],
  hexahedron20: [0.5, 0.5, 0.5],
  hexahedron27: [0.5, 0.5, 0.5],
  wedge15: [1 / 3, 1 / 3, 0.5],
  wedge18: [1 / 3, 1 / 3, 0.5],
  pyramid13: [0.5, 0.5, 0.25],
}

describe('quadratic volume cells', () => {
  it.each(Object.keys(volumes))('%s: volume and linear fields are exact', (name) => {
    const type = QuadraticType[name as keyof typeof QuadraticType]
    const mesh = normaliseCells(single(type, nodesOf(name).map(map)), 'test')
    expect(mesh.mirrored).toBe(0)
    expect(new Set(mesh.cellNumbers)).toEqual(new Set([0]))
    const {
      measure,
      integral,
      mean: [average],
    } = totals(mesh, linear)
    expect(measure).toBeCloseTo(volumes[name]! * DETERMINANT, 12)
    expect(average).toBeCloseTo(linear(map(centres[name]!)), 12)
    expect(integral[0]).toBeCloseTo(measure * average!, 12)
  })

  it.each(Object.keys(volumes))('%s: its pieces leave no gaps inside', (name) => {
    const mesh = normaliseCells(single(QuadraticType[name as keyof typeof QuadraticType], nodesOf(name)), 'test')
    const open = matchFaces(mesh, mesh.points.length / 3)
    // every face of four corner triangles and what is between them, or of four quads
    const base = name.replace(/\d+$/, '')
    const [nTriangles, nQuads] = { tetra: [4, 0], hexahedron: [0, 6], wedge: [2, 3], pyramid: [4, 1] }[base]!
    const perQuad = name === 'hexahedron27' || name === 'wedge18' ? 4 : 5
    expect(open.length / 2).toBe(4 * nTriangles! + perQuad * nQuads!)
  })

  it.each(Object.keys(volumes))('%s: the pieces are counted before it is read', (name) => {
    const mesh = normaliseCells(single(QuadraticType[name as keyof typeof QuadraticType], nodesOf(name)), 'test')
    expect(storedCells({ cells: 3, cellTypes: { [name]: 2, tetra: 1 } })).toBe(2 * mesh.types.length + 1)
  })

  it('neighbours agree on the face between them', () => {
    const left = nodesOf('hexahedron20')
    const right = left.map(([x, y, z]): P => [x + 1, y, z])
    const all = [...left, ...right.filter((p) => p[0] > 1)]
    const find = (p: P): number => all.findIndex((q) => q.every((x, d) => x === p[d]))
    const mesh = normaliseCells(
      {
        points: Float64Array.from(all.flat()),
        types: Uint8Array.of(25, 25),
        offsets: Uint32Array.of(0, 20, 40),
        connectivity: Uint32Array.from([...left.keys(), ...right.map(find)]),
      },
      'test',
    )
    expect(matchFaces(mesh, all.length).length / 2).toBe(10 * 5)
    expect(totals(mesh, () => 1).measure).toBeCloseTo(2, 12)
  })
})

describe('quadratic faces and lines', () => {
  it.each([
    ['triangle6', 0.5],
    ['triangle7', 0.5],
    ['quad8', 1],
    ['quad9', 1],
  ] as const)('%s has its area', (name, area) => {
    const mesh = normaliseCells(single(QuadraticType[name], nodesOf(name)), 'test')
    const part = new MemoryPart('p', 2, mesh)
    const shape = facesOfBlock(part.block(0), 'p', 0)
    expect(sizeOfShape({ kind: 'surface', pieces: [shape] }).measure).toBeCloseTo(area, 12)
  })

  it('a line of three nodes is two lines', () => {
    const mesh = normaliseCells(single(QuadraticType.line3, nodesOf('line3')), 'test')
    expect([...mesh.connectivity]).toEqual([0, 2, 2, 1])
  })
})

/** One polyhedron by its faces. */
function polyhedron(points: P[], faces: number[][]): SourceMesh {
  return {
    points: Float64Array.from(points.flat()),
    types: Uint8Array.of(42),
    offsets: Uint32Array.of(0, 0),
    connectivity: new Uint32Array(0),
    polyhedra: { starts: [0], stream: Uint32Array.from([faces.length, ...faces.flatMap((f) => [f.length, ...f])]) },
  }
}

const faceLists: Record<string, number[][]> = {
  tetra: [
    [0, 1, 2],
    [0, 3, 1],
    [1, 3, 2],
    [2, 3, 0],
  ],
  pyramid: [
    [0, 1, 2, 3],
    [0, 4, 1],
    [1, 4, 2],
    [2, 4, 3],
    [3, 4, 0],
  ],
  wedge: [
    [0, 2, 1],
    [3, 4, 5],
    [0, 1, 4, 3],
    [1, 2, 5, 4],
    [2, 0, 3, 5],
  ],
  hexahedron: [
    [5, 6, 7, 4],
    [0, 3, 2, 1],
    [0, 1, 5, 4],
    [2, 6, 5, 1],
    [2, 3, 7, 6],
    [3, 0, 4, 7],
  ],
}

describe('polyhedra', () => {
  it.each(Object.keys(faceLists))('a %s by its faces is one', (name) => {
    const mesh = normaliseCells(polyhedron(corners[name]!.map(map), faceLists[name]!), 'test')
    expect(mesh.sourceTypes).toEqual({ [name]: 1 })
    expect(mesh.types.length).toBe(1)
    expect(totals(mesh, () => 1).measure).toBeCloseTo({ tetra: 1 / 6, pyramid: 1 / 3, wedge: 0.5, hexahedron: 1 }[name]! * DETERMINANT, 12)
  })

  it('a prism over a hexagon has its volume, and linear fields are exact on it', () => {
    const ring = Array.from({ length: 6 }, (_, i): P => [Math.cos((i * Math.PI) / 3), Math.sin((i * Math.PI) / 3), 0])
    const points = [...ring, ...ring.map(([x, y]): P => [x, y, 2])]
    const faces = [[0, 5, 4, 3, 2, 1], [6, 7, 8, 9, 10, 11], ...ring.map((_, i) => [i, (i + 1) % 6, 6 + ((i + 1) % 6), 6 + i])]
    const mesh = normaliseCells(polyhedron(points.map(map), faces), 'test')
    expect(mesh.sourceTypes).toEqual({ polyhedron: 1 })
    const {
      measure,
      mean: [average],
    } = totals(mesh, linear)
    expect(measure).toBeCloseTo(3 * Math.sqrt(3) * DETERMINANT, 12)
    expect(average).toBeCloseTo(linear(map([0, 0, 1])), 12)
    // its point in the middle has the mean of the others
    expect(mesh.centres![0]!.nodes.length).toBe(12)
  })

  it('closes against a hexahedron beside it, whatever way its faces wind', () => {
    // a cube with one edge cut off, beside a whole cube
    const points: P[] = [...corners['hexahedron']!, [2, 0, 0], [2, 1, 0], [2, 0, 1], [2, 1, 0.5], [2, 0.5, 1]]
    const faces = [
      [1, 8, 9, 2],
      [5, 10, 12, 6],
      [1, 5, 10, 8],
      [2, 9, 11, 6],
      [8, 9, 11, 12, 10],
      [11, 6, 12],
      [1, 2, 6, 5],
    ]
    const mesh = normaliseCells(
      {
        points: Float64Array.from(points.flat()),
        types: Uint8Array.of(12, 42),
        offsets: Uint32Array.of(0, 8, 8),
        connectivity: Uint32Array.of(0, 1, 2, 3, 4, 5, 6, 7),
        polyhedra: {
          starts: [-1, 0],
          stream: Uint32Array.from([faces.length, ...faces.flatMap((f, i) => [f.length, ...(i % 2 ? [...f].reverse() : f)])]),
        },
      },
      'test',
    )
    expect(mesh.sourceTypes).toEqual({ hexahedron: 1, polyhedron: 1 })
    // five faces of the cube; of the other one three quads, a pentagon in three and two triangles… and none between
    expect(matchFaces(mesh, mesh.points.length / 3).length / 2).toBe(5 + 4 + 3 + 1)
    expect(totals(mesh, () => 1).measure).toBeCloseTo(2 - (0.5 * 0.5 * 1) / 2 / 3, 12)
  })

  it.each([
    ['faces beyond the stream', { starts: [0], stream: Uint32Array.of(4, 3, 0, 1) }],
    ['no start', { starts: [-1], stream: Uint32Array.of(4, 3, 0, 1, 2) }],
    ['a point that is not there', { starts: [0], stream: Uint32Array.of(1, 3, 0, 1, 99) }],
  ])('%s are refused', (_, polyhedra) => {
    const source = { ...polyhedron(corners['tetra']!, faceLists['tetra']!), polyhedra }
    expect(() => normaliseCells(source, 'test')).toThrow(/faces of polyhedron 0 are inconsistent/)
  })
})

describe('parts and seams', () => {
  it('a part keeps the numbers of its cells and points', () => {
    const source: SourceMesh = {
      points: Float64Array.from([0, 0, 0, 1, 0, 0, 2, 0, 0, 3, 0, 0]),
      types: Uint8Array.of(3, 3, 1),
      offsets: Uint32Array.of(0, 2, 4, 5),
      connectivity: Uint32Array.of(0, 1, 2, 3, 1),
    }
    const part = selectCells(source, Uint32Array.of(1))
    expect([...part.points]).toEqual([2, 0, 0, 3, 0, 0])
    expect([[...part.connectivity], [...part.pointSources!], [...part.cellNumbers]]).toEqual([[0, 1], [2, 3], [1]])
  })

  it('pieces are joined where they touch, points of one piece never', () => {
    const points = Float64Array.from([0, 0, 0, 1, 0, 0, 1, 0, 0, /* second piece */ 1, 0, 0, -0, 0, 0, 5, 5, 5])
    expect(seamTargets(points, [0, 3])).toEqual({ target: Uint32Array.of(0, 1, 2, 1, 0, 5), joined: 2 })
  })
})
