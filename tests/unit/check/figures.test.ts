/** Figures of the data check against what is known of a box. */
import { describe, expect, test } from 'vitest'
import { fieldFigures } from '../../../core/check/fieldFigures'
import { cellSizes } from '../../../core/check/cellSizes'
import { partFigures } from '../../../core/check/partFigures'
import { CellType } from '../../../core/mesh/cellTypes'
import { nodePositions } from '../../../core/mesh/quadraticShape'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { atPoints, boxKinds, boxMesh } from '../../support/meshes'

const SIZE = [2, 3, 4] as const

describe.each(boxKinds)('a box of %s cells', (kind) => {
  const mesh = boxMesh({ kind, size: SIZE, n: 4 })
  const part = new MemoryPart('box', 3, mesh, 1024)
  part.setField('x', { values: atPoints(mesh, (x) => x), components: 1, place: 'point' })
  part.setField('u', { values: atPoints(mesh, (x, y) => [3 * x, 4 * x, 0 * y]), components: 3, place: 'point' })

  test('has its volume, its skin, and nothing wrong', () => {
    const figures = partFigures(part, mesh.points.length / 3)
    expect(figures.size).toBeCloseTo(24, 10)
    expect(figures.skinArea).toBeCloseTo(2 * (6 + 8 + 12), 10)
    expect(figures).toMatchObject({ negative: 0, empty: 0, doublePoints: 0, unusedPoints: 0, openEdges: 0 })
    expect(figures.smallest!.size).toBeGreaterThan(0)
  })

  test('the sizes of its cells add up to its volume', () => {
    let sum = 0
    for (let k = 0; k < part.nBlocks; k++) sum += cellSizes(part.block(k)).reduce((a, b) => a + b, 0)
    expect(sum).toBeCloseTo(24, 10)
  })

  test('a linear field has the mean of the box, and its extremes at the ends', () => {
    const figures = fieldFigures(part, 'x', 1)
    expect([figures.min, figures.max]).toEqual([0, 2])
    expect(figures.mean).toBeCloseTo(1, 10)
    expect(figures.minAt!.at[0]).toBe(0)
    expect(figures.maxAt!.at[0]).toBe(2)
    expect(figures.spread.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 12)
  })

  test('a vector counts by its magnitude, its components by themselves', () => {
    const figures = fieldFigures(part, 'u', 3)
    expect([figures.min, figures.max]).toEqual([0, 10])
    expect(figures.componentRanges).toEqual([
      [0, 6],
      [0, 8],
      [0, 0],
    ])
  })
})

test('values on cells are spread by volume: the larger cell counts more', () => {
  const points = Float64Array.from([
    0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 0, 0, 1, 1, 0, 1, 1, 1, 1, 0, 1, 1, 0, 0, 4, 1, 0, 4, 1, 1, 4, 0, 1, 4,
  ])
  const mesh = normaliseCells(
    {
      points,
      types: Uint8Array.of(CellType.hexahedron, CellType.hexahedron),
      offsets: Uint32Array.of(0, 8, 16),
      connectivity: Uint32Array.of(0, 1, 2, 3, 4, 5, 6, 7, 4, 5, 6, 7, 8, 9, 10, 11),
    },
    'two',
  )
  const part = new MemoryPart('two', 3, mesh)
  part.setField('s', { values: Float64Array.of(10, 20), components: 1, place: 'cell' })
  const figures = fieldFigures(part, 's', 1)
  expect(figures.mean).toBeCloseTo(17.5, 12)
  expect(figures.spread[0]).toBeCloseTo(0.25, 12)
  expect(figures.spread[11]).toBeCloseTo(0.75, 12)
  expect(figures.maxAt).toMatchObject({ number: 1, at: [0.5, 0.5, 2.5] })
  const { worstAspect, smallest } = partFigures(part, 12)
  expect(worstAspect).toMatchObject({ ratio: 3, where: { number: 1 } })
  expect(smallest).toMatchObject({ size: 1, where: { number: 0 } })
})

test('what is not finite is counted once a point and left out', () => {
  const mesh = boxMesh({ n: 12, kind: 'hexahedron' })
  const values = atPoints(mesh, (x) => x)
  values[100] = NaN
  values[200] = Infinity
  values[300] = -Infinity
  const part = new MemoryPart('box', 3, mesh, 1024)
  part.setField('s', { values, components: 1, place: 'point' })
  expect(part.nBlocks).toBeGreaterThan(1)
  const figures = fieldFigures(part, 's', 1)
  expect(figures).toMatchObject({ notANumber: 1, infinite: 2, max: 1 })
  expect(figures.min).toBeGreaterThanOrEqual(0)
  part.setField('none', { values: new Float64Array(values.length).fill(NaN), components: 1, place: 'point' })
  expect(fieldFigures(part, 'none', 1)).toMatchObject({ min: null, mean: null, max: null, spread: [], notANumber: values.length })
})

/** Faces of a unit cube as quads; each list leaves some out. */
function cube(faces: number[][], nPoints = 8): MemoryPart {
  const points = Float64Array.from([0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 0, 0, 1, 1, 0, 1, 1, 1, 1, 0, 1, 1, 0, 0, 1].slice(0, 3 * nPoints))
  const mesh = normaliseCells(
    {
      points,
      types: new Uint8Array(faces.length).fill(CellType.quad),
      offsets: Uint32Array.from({ length: faces.length + 1 }, (_, i) => 4 * i),
      connectivity: Uint32Array.from(faces.flat()),
    },
    'cube',
  )
  return new MemoryPart('cube', 2, mesh)
}
const sides = [
  [0, 3, 2, 1],
  [4, 5, 6, 7],
  [0, 1, 5, 4],
  [1, 2, 6, 5],
  [2, 3, 7, 6],
  [3, 0, 4, 7],
]

test.each([
  {
    name: 'a closed surface has no open edge',
    part: () => cube(sides),
    nPoints: 8,
    found: { openEdges: 0, doublePoints: 0, unusedPoints: 0, size: 6 },
  },
  { name: 'a cube without lid has four', part: () => cube(sides.filter((_, i) => i !== 1)), nPoints: 8, found: { openEdges: 4, size: 5 } },
  {
    name: 'a point that lies on another one is found',
    part: () => cube([...sides.slice(0, 5), [3, 0, 8, 7]], 9),
    nPoints: 9,
    found: { doublePoints: 1, openEdges: 4 },
  },
  { name: 'points that no face uses are counted', part: () => cube([sides[0]!]), nPoints: 8, found: { unusedPoints: 4, openEdges: 4 } },
])('$name', ({ part, nPoints, found }) => {
  expect(partFigures(part(), nPoints)).toMatchObject(found)
})

test('a cell without volume and one inside out are counted', () => {
  const points = Float64Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 2, 0, 0])
  const mesh = normaliseCells(
    {
      points,
      types: Uint8Array.of(CellType.tetra, CellType.tetra),
      offsets: Uint32Array.of(0, 4, 8),
      connectivity: Uint32Array.of(0, 1, 2, 3, 0, 1, 4, 3),
    },
    'flat',
  )
  expect(partFigures(new MemoryPart('flat', 3, mesh), 5)).toMatchObject({ empty: 1, negative: 0 })
  // a cell turned after normalising, as a warped one may come out
  mesh.connectivity.set([1, 0, 2, 3], 0)
  expect(partFigures(new MemoryPart('flat', 3, mesh), 5)).toMatchObject({ negative: 1 })
})

test('a part of a larger mesh has no unused points because its numbers are those of the file', () => {
  const mesh = boxMesh({ n: 3 })
  const n = mesh.points.length / 3
  const part = new MemoryPart('p', 3, { ...mesh, pointSources: Uint32Array.from({ length: n }, (_, p) => 5000 + 2 * p) })
  expect(partFigures(part, n).unusedPoints).toBe(0)
  expect(partFigures(part, n + 4).unusedPoints).toBe(4)
})

test('quadratic cells and polyhedra are looked at whole, not by their pieces', () => {
  const positions = nodePositions(25).map(([r, s, t]) => [4 * r, s, t])
  // a prism over a hexagon beside a hexahedron of twenty nodes
  const ring = Array.from({ length: 6 }, (_, i) => [10 + Math.cos((i * Math.PI) / 3), Math.sin((i * Math.PI) / 3)])
  const points = Float64Array.from([...positions, ...ring.map((p) => [...p, 0]), ...ring.map((p) => [...p, 2])].flat())
  const faces = [[5, 4, 3, 2, 1, 0], [6, 7, 8, 9, 10, 11], ...ring.map((_, i) => [i, (i + 1) % 6, 6 + ((i + 1) % 6), 6 + i])].map((face) =>
    face.map((p) => 20 + p),
  )
  const mesh = normaliseCells(
    {
      ...{
        points,
        types: Uint8Array.of(25, 42),
        offsets: Uint32Array.of(0, 20, 20),
        connectivity: Uint32Array.from({ length: 20 }, (_, i) => i),
      },
      polyhedra: { starts: [-1, 0], stream: Uint32Array.from([faces.length, ...faces.flatMap((f) => [f.length, ...f])]) },
    },
    'test',
  )
  const figures = partFigures(new MemoryPart('p', 3, mesh), 32)
  expect(figures.size).toBeCloseTo(4 + 3 * Math.sqrt(3), 12)
  expect(figures.smallest).toMatchObject({ where: { number: 0 } })
  expect(figures.smallest!.size).toBeCloseTo(4, 12)
  expect(figures.worstAspect).toMatchObject({ ratio: 4, where: { number: 0 } })
  expect([figures.negative, figures.empty, figures.unusedPoints]).toEqual([0, 0, 0])
})
