/** A part stored in windows is to the byte what is stored of the whole mesh. */
import { describe, expect, test } from 'vitest'
import { FormatError } from '../../../core/errors'
import type { FormatWindows } from '../../../core/formats/Format'
import { CellType } from '../../../core/mesh/cellTypes'
import type { NormalMesh } from '../../../core/mesh/normaliseCells'
import { Numbering } from '../../../core/mesh/numbering'
import { skinOf } from '../../../core/mesh/skin'
import { writeMesh } from '../../../core/store/blockStore'
import type { Sink } from '../../../core/store/blockStore'
import { LocalPlacer } from '../../../core/store/CellPlacer'
import type { PlacerTask } from '../../../core/store/CellPlacer'
import { CellSort } from '../../../core/store/cellSort'
import { storeLargePart } from '../../../core/store/largePart'
import type { LargePart, LargeSizes } from '../../../core/store/largePart'
import { partition } from '../../../core/store/partition'
import type { ScratchFile } from '../../../core/store/scratch'
import { boxKinds, boxMesh } from '../../support/meshes'

class MemoryScratch implements ScratchFile {
  private bytes = new Uint8Array(1 << 16)
  private end = 0

  append(bytes: Uint8Array): number {
    const at = this.end
    this.write(at, bytes)
    return at
  }

  write(at: number, bytes: Uint8Array): void {
    if (at + bytes.length > this.bytes.length) {
      const bigger = new Uint8Array(2 * (at + bytes.length))
      bigger.set(this.bytes)
      this.bytes = bigger
    }
    this.bytes.set(bytes, at)
    this.end = Math.max(this.end, at + bytes.length)
  }

  read(at: number, into: Uint8Array): void {
    into.set(this.bytes.subarray(at, at + into.length))
  }
}

function windowsOf({ points, types, offsets, connectivity }: NormalMesh): FormatWindows {
  return {
    name: 'box',
    nPoints: points.length / 3,
    nCells: types.length,
    points: async (from, to) => points.slice(3 * from, 3 * to),
    cells: async (from, to) => ({ types: types.slice(from, to), offsets: offsets.slice(from, to + 1).map((o) => o - offsets[from]!), connectivity: connectivity.slice(offsets[from]!, offsets[to]!) }),
  }
}

function collect(): { bytes: () => Buffer; sink: Sink } {
  const chunks: Uint8Array[] = []
  return { bytes: () => Buffer.concat(chunks), sink: { append: async (bytes) => void chunks.push(bytes.slice()) } }
}

function storeInWindows(mesh: NormalMesh, sink: Sink, sizes: LargeSizes = {}): Promise<LargePart> {
  const points = new MemoryScratch()
  const makePlacer = (task: PlacerTask): LocalPlacer => new LocalPlacer(task, { points, cells: new MemoryScratch() })
  return storeLargePart(windowsOf(mesh), points, makePlacer, sink, () => undefined, async () => undefined, sizes)
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
    const faces = ({ starts, nodes, numbers }: ReturnType<typeof skinOf>): string[] => Array.from({ length: starts.length - 1 }, (_, f) => Array.from(nodes.subarray(starts[f]!, starts[f + 1]!), (n) => numbers[n]!).join()).sort()
    expect(faces(stored.skin)).toEqual(faces(skinOf(mesh)))
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
  const sort = new CellSort(file, 10)
  const n = 1000
  // all keys in one bin of the first level
  const keys = Uint32Array.from({ length: n }, (_, i) => (i * 7919) % 4096)
  sort.add({ numbers: Uint32Array.from(keys.keys()), keys, types: new Uint8Array(n).fill(CellType.vertex), offsets: Uint32Array.from({ length: n + 1 }, (_, i) => i), nodes: Uint32Array.from(keys.keys()) })
  for (let run = 0; run < 2; run++) {
    const groups: number[][] = []
    for (const { keys } of sort.groups()) groups.push([...keys])
    expect(groups.flat()).toEqual([...keys].sort((a, b) => a - b))
    expect(Math.max(...groups.map((g) => g.length))).toBeLessThan(30)
  }
})

test.each([
  ['a point number out of range', (mesh: NormalMesh) => ({ ...mesh, connectivity: mesh.connectivity.map((p, i) => (i === 77 ? 1e6 : p)) }), 'refers to point 1000000'],
  ['a kind of cell that must be split', (mesh: NormalMesh) => ({ ...mesh, types: mesh.types.map((t, i) => (i === 5 ? 25 : t)) }), 'cells of type 25'],
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
