/** Meshes for tests: a skewed box split into every kind of volume cell, with fields known in closed form. */
import { CellType } from '../../core/mesh/cellTypes'
import type { NormalMesh } from '../../core/mesh/normaliseCells'
import { normaliseCells } from '../../core/mesh/normaliseCells'
import { MemoryPart } from '../../core/store/MemoryPart'
import type { Catalogue } from '../../core/case/catalogue'
import type { CaseData } from '../../core/case/CaseData'

export type Position = readonly [number, number, number]
export const boxKinds = ['hexahedron', 'tetra', 'wedge', 'pyramid', 'mixed'] as const
export type BoxKind = (typeof boxKinds)[number]

/** How each hexahedron of the lattice is split; pyramids meet in an extra point at its centre. */
const splits: Record<Exclude<BoxKind, 'mixed'>, [number, number[]][]> = {
  hexahedron: [[CellType.hexahedron, [0, 1, 2, 3, 4, 5, 6, 7]]],
  // Kuhn's six tetrahedra around the diagonal 0-6: neighbours agree on every face
  tetra: [
    [0, 1, 2, 6],
    [0, 2, 3, 6],
    [0, 3, 7, 6],
    [0, 7, 4, 6],
    [0, 4, 5, 6],
    [0, 5, 1, 6],
  ].map((nodes) => [CellType.tetra, nodes]),
  wedge: [
    [CellType.wedge, [0, 1, 2, 4, 5, 6]],
    [CellType.wedge, [0, 2, 3, 4, 6, 7]],
  ],
  pyramid: [
    [0, 3, 2, 1],
    [4, 5, 6, 7],
    [0, 1, 5, 4],
    [1, 2, 6, 5],
    [2, 3, 7, 6],
    [3, 0, 4, 7],
  ].map((face) => [CellType.pyramid, [...face].reverse().concat(8)]),
}

export interface BoxOptions {
  n?: number
  kind?: BoxKind
  size?: Position
  /** Moves inner lattice points by up to this share of a cell; the outside stays a plane-sided box. */
  skew?: number
  single?: boolean
}

/** A box from the origin, n cells along each side. `mixed` alternates hexahedra and pyramids. */
export function boxMesh({ n = 4, kind = 'hexahedron', size = [1, 1, 1], skew = 0.2, single = false }: BoxOptions = {}): NormalMesh {
  const points: number[] = []
  const m = n + 1
  for (let k = 0; k < m; k++) for (let j = 0; j < m; j++) for (let i = 0; i < m; i++) points.push(...latticePoint([i, j, k], n, size, skew))
  const types: number[] = []
  const offsets = [0]
  const nodes: number[] = []
  for (let k = 0; k < n; k++)
    for (let j = 0; j < n; j++)
      for (let i = 0; i < n; i++) {
        const at = (a: number, b: number, c: number): number => ((k + c) * m + j + b) * m + i + a
        const corners = [at(0, 0, 0), at(1, 0, 0), at(1, 1, 0), at(0, 1, 0), at(0, 0, 1), at(1, 0, 1), at(1, 1, 1), at(0, 1, 1)]
        const own = kind === 'mixed' ? ((i + j + k) % 2 ? 'pyramid' : 'hexahedron') : kind
        if (own === 'pyramid') {
          corners.push(points.length / 3)
          const centre = [0, 1, 2].map((d) => corners.slice(0, 8).reduce((sum, p) => sum + points[3 * p + d]! / 8, 0))
          points.push(...centre)
        }
        for (const [type, list] of splits[own]) {
          types.push(type)
          nodes.push(...list.map((local) => corners[local]!))
          offsets.push(nodes.length)
        }
      }
  const coordinates = single ? Float32Array.from(points) : Float64Array.from(points)
  return normaliseCells(
    { points: coordinates, types: Uint8Array.from(types), offsets: Uint32Array.from(offsets), connectivity: Uint32Array.from(nodes) },
    'test box',
  )
}

function latticePoint(ijk: number[], n: number, size: Position, skew: number): number[] {
  const [a, b, c] = ijk.map((i) => i / n) as [number, number, number]
  const bump = (skew / n) * Math.sin(Math.PI * a) * Math.sin(Math.PI * b) * Math.sin(Math.PI * c)
  const moved = ijk.every((i) => i > 0 && i < n) ? bump * 2 : 0
  return [(a + moved) * size[0], (b - 0.7 * moved) * size[1], (c + 0.5 * moved) * size[2]]
}

/** Values of a function at every point of a mesh. */
export function atPoints(mesh: NormalMesh, f: (x: number, y: number, z: number) => number | number[]): Float64Array {
  const out: number[] = []
  for (let i = 0; i < mesh.points.length; i += 3) {
    const value = f(mesh.points[i]!, mesh.points[i + 1]!, mesh.points[i + 2]!)
    out.push(...(Array.isArray(value) ? value : [value]))
  }
  return Float64Array.from(out)
}

export interface TestField {
  values: Float64Array | Float32Array
  components: number
  place?: 'point' | 'cell'
  unit?: string | null
}

/** Points by themselves, each a cell. */
export function pointMesh(points: Float64Array): NormalMesh {
  const n = points.length / 3
  const numbers = Uint32Array.from({ length: n + 1 }, (_, i) => i)
  const types = new Uint8Array(n).fill(CellType.vertex)
  return { points, types, offsets: numbers, connectivity: numbers.slice(0, n), cellNumbers: numbers.slice(0, n), mirrored: 0 }
}

/** A case of one part in memory, a region when nothing else is said. */
export function testCase(
  mesh: NormalMesh,
  fields: Record<string, TestField>,
  blockCells = 1024,
  { name: partName, dimension }: { name: string; dimension: 0 | 1 | 2 | 3 } = { name: 'Water', dimension: 3 },
): CaseData {
  const part = new MemoryPart(partName, dimension, mesh, blockCells)
  for (const [name, { values, components, place = 'point' }] of Object.entries(fields)) part.setField(name, { values, components, place })
  const catalogue: Catalogue = {
    format: 'test',
    lengthUnit: 'm',
    lengthUnitFrom: 'file',
    timeUnit: 's',
    parts: [
      { name: partName, dimension, cells: mesh.types.length, points: mesh.points.length / 3, cellTypes: {}, bounds: [0, 0, 0, 1, 1, 1] },
    ],
    sets: [],
    interfaces: [],
    fields: Object.entries(fields).map(([name, f]) => ({
      name,
      place: f.place ?? 'point',
      kind: f.components === 3 ? 'vector' : 'scalar',
      components: f.components,
      numberType: 'Float64',
      unit: f.unit === undefined ? 'm/s' : f.unit,
      parts: [partName],
      moments: [0],
    })),
    moments: [{ index: 0, kind: 'index', label: 'steady', value: null, unit: null, topology: 0, coordinates: 0 }],
    cautions: [],
  }
  return { catalogue, part: () => part }
}
