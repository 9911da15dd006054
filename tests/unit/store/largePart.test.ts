/** A part stored in windows is to the byte what is stored of the whole mesh. */
import { describe, expect, test } from 'vitest'
import { FormatError } from '../../../core/errors'
import type { FormatWindows } from '../../../core/formats/Format'
import { Kernels } from '../../../core/kernels/Kernels'
import { cellFaces, CellType } from '../../../core/mesh/cellTypes'
import { putCells } from '../../../core/mesh/cornerLots'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import type { NormalMesh, SourceMesh } from '../../../core/mesh/normaliseCells'
import { Numbering } from '../../../core/mesh/numbering'
import { QuadraticType } from '../../../core/mesh/quadraticCells'
import { skinOf } from '../../../core/mesh/skin'
import { SourceType } from '../../../core/mesh/splitCells'
import { writeMesh } from '../../../core/store/blockStore'
import type { Sink } from '../../../core/store/blockStore'
import { LocalPlacer } from '../../../core/store/CellPlacer'
import type { PlacerTask } from '../../../core/store/CellPlacer'
import { CellSort } from '../../../core/store/cellSort'
import { storeLargePart } from '../../../core/store/largePart'
import type { LargePart, LargeSizes } from '../../../core/store/largePart'
import { partition } from '../../../core/store/partition'
import { MemoryScratch } from '../../support/MemoryScratch'
import { boxKinds, boxMesh } from '../../support/meshes'

function windowsOf({ points, types, offsets, connectivity, polyhedra }: SourceMesh): FormatWindows {
  return {
    name: 'box',
    nPoints: points.length / 3,
    nCells: types.length,
    points: async (from, to) => points.slice(3 * from, 3 * to),
    cells: async (from, to) => ({
      ...{
        types: types.slice(from, to),
        offsets: offsets.slice(from, to + 1).map((o) => o - offsets[from]!),
        connectivity: connectivity.slice(offsets[from]!, offsets[to]!),
      },
      ...(polyhedra && { polyhedra: { starts: Array.from(polyhedra.starts).slice(from, to), stream: polyhedra.stream } }),
    }),
  }
}

function collect(): { bytes: () => Buffer; sink: Sink } {
  const chunks: Uint8Array[] = []
  return { bytes: () => Buffer.concat(chunks), sink: { append: async (bytes) => void chunks.push(bytes.slice()) } }
}

function storeInWindows(mesh: SourceMesh & { hasOwnCorners?: boolean }, sink: Sink, sizes: LargeSizes = {}): Promise<LargePart> {
  const points = new MemoryScratch()
  const isSplit = mesh.types.some((type) => type > 14)
  const split = isSplit ? { pieces: new MemoryScratch(), wholes: new MemoryScratch(), added: new MemoryScratch() } : undefined
  const makePlacer = (task: PlacerTask): LocalPlacer => new LocalPlacer(task, { points, cells: new MemoryScratch() })
  return storeLargePart(
    { ...windowsOf(mesh), ...(mesh.hasOwnCorners && { hasOwnCorners: true }) },
    { points, ...(split && { split }) },
    makePlacer,
    sink,
    () => undefined,
    async () => undefined,
    sizes,
  )
}

describe.each(boxKinds)('a box of %s cells', (kind) => {
  test.each([
    { group: 2048, block: 1024, single: false },
    { group: 300, block: 1024, single: true },
    // faces may not wait: they are matched once the cells are in order
    { group: 300, block: 1024, single: true, waiting: 0 },
  ])('in groups of $group gives the same blocks and the same skin', async ({ group, block, single, waiting }) => {
    const mesh = boxMesh({ n: 11, kind, single })
    const whole = collect()
    const index = await writeMesh(partition(mesh, block), whole.sink, () => undefined)
    const parts = collect()
    const stored = await storeInWindows(mesh, parts.sink, { group, block, pages: 1, ...(waiting !== undefined && { waiting }) })
    expect(stored.index).toEqual(index)
    expect(parts.bytes().equals(whole.bytes())).toBe(true)
    const faces = ({ starts, nodes, numbers }: ReturnType<typeof skinOf>): string[] =>
      Array.from({ length: starts.length - 1 }, (_, f) =>
        Array.from(nodes.subarray(starts[f]!, starts[f + 1]!), (n) => numbers[n]!).join(),
      ).sort()
    expect(faces(stored.skin)).toEqual(faces(skinOf(mesh)))
  })
})

/** Hexahedra with a node in the middle of each edge; every fifth is left linear. */
function quadraticBox(n: number): SourceMesh {
  const box = boxMesh({ n })
  const edges = [
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
  ] as const
  const points = [...box.points]
  const middles = new Map<string, number>()
  const middle = (a: number, b: number): number => {
    const key = [a, b].sort((p, q) => p - q).join()
    if (!middles.has(key))
      middles.set(key, points.push(...[0, 1, 2].map((d) => (box.points[3 * a + d]! + box.points[3 * b + d]!) / 2)) / 3 - 1)
    return middles.get(key)!
  }
  const cells = Array.from(box.types, (_, c) => {
    const corners = Array.from(box.connectivity.subarray(8 * c, 8 * c + 8))
    return c % 5 ? [...corners, ...edges.map(([a, b]) => middle(corners[a]!, corners[b]!))] : corners
  })
  return {
    points: Float64Array.from(points),
    ...listed(
      cells,
      cells.map((nodes) => (nodes.length === 20 ? QuadraticType.hexahedron20 : CellType.hexahedron)),
    ),
  }
}

/** Wedges given by their faces, every second pair of them as one cell of eight faces. */
function polyhedralBox(n: number): SourceMesh {
  const box = boxMesh({ n, kind: 'wedge' })
  const facesOf = (c: number): number[][] => cellFaces[CellType.wedge]!.map((face) => face.map((local) => box.connectivity[6 * c + local]!))
  const key = (face: number[]): string => [...face].sort((a, b) => a - b).join()
  const cells: number[][][] = []
  for (let c = 0; c < box.types.length; c += 2) {
    const [a, b] = [facesOf(c), facesOf(c + 1)]
    const shared = new Set(a.map(key).filter((face) => b.some((other) => key(other) === face)))
    if (c % 4) cells.push([...a, ...b].filter((face) => !shared.has(key(face))))
    else cells.push(a, b)
  }
  const stream: number[] = []
  const starts = cells.map(
    (faces) =>
      stream.push(faces.length, ...faces.flatMap((face) => [face.length, ...face])) -
      1 -
      faces.reduce((sum, face) => sum + 1 + face.length, 0),
  )
  return {
    points: box.points,
    ...listed(
      cells.map(() => []),
      cells.map(() => SourceType.polyhedron),
    ),
    polyhedra: { starts, stream: Uint32Array.from(stream) },
  }
}

function listed(cells: readonly (readonly number[])[], types: readonly number[]): Omit<SourceMesh, 'points'> {
  const offsets = new Uint32Array(cells.length + 1)
  cells.forEach((nodes, c) => (offsets[c + 1] = offsets[c]! + nodes.length))
  return { types: Uint8Array.from(types), offsets, connectivity: Uint32Array.from(cells.flat()) }
}

describe.each([
  ['quadratic', quadraticBox(7)],
  ['polyhedral', polyhedralBox(9)],
])('a box of %s cells', (_, source) => {
  test.each([false, true])('is split in windows as it is whole, with corners of its own: %s', async (hasOwnCorners) => {
    const mesh = { ...normaliseCells(source, 'box'), hasOwnCorners }
    expect(mesh.centres!.length).toBeGreaterThan(100)
    const [whole, parts] = [collect(), collect()]
    const index = await writeMesh(partition(mesh, 1024), whole.sink, () => undefined)
    const stored = await storeInWindows({ ...source, hasOwnCorners }, parts.sink, { group: 700, block: 1024, pages: 1 })
    expect(stored.index).toEqual(index)
    expect(parts.bytes().equals(whole.bytes())).toBe(true)
    expect(stored.nPoints).toBe(source.points.length / 3)
    expect(stored.sourceTypes).toEqual(mesh.sourceTypes)
    expect(stored.mirrored).toBe(mesh.mirrored)
    // faces are told by the cells of the source
    expect(stored.skin.cells.toSorted()).toEqual(skinOf(mesh).cells.toSorted())
  })
})

test('cells that are inside out are turned in windows, too', async () => {
  const mesh = boxMesh({ n: 8 })
  const flipped = { ...mesh, connectivity: mesh.connectivity.slice() }
  // every third cell upside down
  for (let c = 0; c < mesh.types.length; c += 3) {
    const cell = flipped.connectivity.subarray(8 * c, 8 * c + 8)
    cell.set([...cell.subarray(4), ...cell.subarray(0, 4)])
  }
  const [a, b] = [collect(), collect()]
  const straight = await storeInWindows(mesh, a.sink, { group: 100, block: 1024 })
  const turned = await storeInWindows(flipped, b.sink, { group: 100, block: 1024 })
  expect([straight.mirrored, turned.mirrored]).toEqual([0, Math.ceil(512 / 3)])
  expect(b.bytes().equals(a.bytes())).toBe(true)
})

test('a mesh in one corner of its box is divided finer', () => {
  const file = new MemoryScratch()
  const kernels: Kernels = new Kernels({ flush: (k) => sort.flush(k) })
  const sort = new CellSort(file, 10, kernels)
  const n = 1000
  // all keys in one bin of the first level
  const keys = Uint32Array.from({ length: n }, (_, i) => (i * 7919) % 4096)
  const cells = {
    types: new Uint8Array(n).fill(CellType.vertex),
    offsets: Uint32Array.from({ length: n + 1 }, (_, i) => i),
    connectivity: Uint32Array.from(keys.keys()),
  }
  kernels.within(() => sort.add({ ...putCells(kernels, cells, 0, n), keys: kernels.put(keys), numbers: { first: 0 } }))
  for (let run = 0; run < 2; run++) {
    const groups: number[][] = []
    for (const { keys } of sort.groups()) groups.push([...keys])
    expect(groups.flat()).toEqual([...keys].sort((a, b) => a - b))
    expect(Math.max(...groups.map((g) => g.length))).toBeLessThan(30)
  }
})

test.each([
  [
    'a point number out of range',
    (mesh: NormalMesh) => ({ ...mesh, connectivity: mesh.connectivity.map((p, i) => (i === 77 ? 1e6 : p)) }),
    'refers to point 1000000',
  ],
  ['a cell that is no volume', (mesh: NormalMesh) => ({ ...mesh, types: mesh.types.map((t, i) => (i === 5 ? 7 : t)) }), 'a cell of type 7'],
  [
    'a quadratic cell of too few nodes',
    (mesh: NormalMesh) => ({ ...mesh, types: mesh.types.map((t, i) => (i === 5 ? 25 : t)) }),
    '8 nodes instead of 20',
  ],
])('%s is refused', async (_, spoil, message) => {
  const run = storeInWindows(spoil(boxMesh({ n: 4 })), collect().sink)
  await expect(run).rejects.toThrow(FormatError)
  await expect(run).rejects.toThrow(message)
})

test('numbers keep their places, however many there are', () => {
  const numbering = new Numbering(4)
  const numbers = Array.from({ length: 5000 }, (_, i) => (i * 2654435761) >>> 0)
  expect(numbers.map((n) => numbering.place(n))).toEqual([...numbers.keys()])
  expect(numbers.map((n) => numbering.place(n))).toEqual([...numbers.keys()])
  expect([...numbering.numbers()]).toEqual(numbers)
  numbering.clear()
  expect(numbering.place(42)).toBe(0)
})
