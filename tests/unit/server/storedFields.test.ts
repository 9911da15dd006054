/** A field stored on the blocks of a mesh, read whole or in windows, is what its source has at their points and cells. */
import { mkdtemp, readFile, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { OpenCase } from '../../../core/formats/Format'
import { GROUP_CELLS } from '../../../core/mesh/MeshBlock'
import type { MeshBlock } from '../../../core/mesh/MeshBlock'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import type { NormalMesh } from '../../../core/mesh/normaliseCells'
import { decodeField, decodeMesh, writeMesh } from '../../../core/store/blockStore'
import { gatherBlock, partition } from '../../../core/store/partition'
import { importField } from '../../../server/cases/importField'
import { ImportJob } from '../../../server/cases/ImportJob'
import type { ImportTask, StoredMesh } from '../../../server/cases/messages'
import { StoredBlocks } from '../../../server/cases/storedBlocks'
import { boxMesh } from '../../support/meshes'

const BLOCK = 2 * GROUP_CELLS
let store: string
beforeAll(async () => {
  store = await mkdtemp(join(tmpdir(), 'stavik-fields-'))
})
afterAll(() => rm(store, { recursive: true, force: true }))

/** Hexahedra as polyhedra of seven faces, which are split about an added point. */
function asPolyhedra(mesh: NormalMesh): NormalMesh {
  const sides = [
    [0, 3, 2, 1],
    [4, 5, 6, 7],
    [0, 1, 5, 4],
    [1, 2, 6, 5],
    [2, 3, 7, 6],
    [3, 0, 4, 7],
  ]
  const n = mesh.types.length
  const stream: number[] = []
  const starts = new Float64Array(n)
  for (let c = 0; c < n; c++) {
    starts[c] = stream.length
    // the last side as two triangles: no hexahedron any more
    stream.push(7)
    const own = (local: readonly number[]): number[] => local.map((k) => mesh.connectivity[mesh.offsets[c]! + k]!)
    for (const side of sides.slice(0, 5)) stream.push(4, ...own(side))
    stream.push(3, ...own([3, 0, 4]), 3, ...own([3, 4, 7]))
  }
  return normaliseCells(
    {
      points: mesh.points,
      types: new Uint8Array(n).fill(42),
      offsets: new Uint32Array(n + 1),
      connectivity: new Uint32Array(0),
      polyhedra: { starts, stream: Uint32Array.from(stream) },
    },
    'box',
  )
}

async function stored(mesh: NormalMesh, name: string): Promise<{ job: ImportJob; mesh: StoredMesh; blocks: MeshBlock[] }> {
  const job = new ImportJob({ store, signal: new SharedArrayBuffer(8), port: { postMessage: () => undefined } } as unknown as ImportTask)
  const index = await job.writeIndexed(name, (sink) => writeMesh(partition(mesh, BLOCK), sink, () => undefined))
  const bytes = await readFile(join(store, name))
  return {
    job,
    mesh: { file: name, index },
    blocks: index.extents.map(([start, end]) => decodeMesh(new Uint8Array(bytes.subarray(start, end)).buffer)),
  }
}

const plain = boxMesh({ n: 18, kind: 'mixed' })
const meshes = { plain, polyhedra: asPolyhedra(boxMesh({ n: 13 })) }

describe.each(['plain', 'polyhedra'] as const)('on a mesh of %s cells', (kind) => {
  const mesh = meshes[kind]
  const nCells = 1 + mesh.cellNumbers.reduce((most, c) => Math.max(most, c), 0)
  const nPoints = mesh.points.length / 3 - (mesh.centres?.length ?? 0)

  it.each([
    { place: 'point' as const, components: 1, isWindowed: false },
    { place: 'point' as const, components: 3, isWindowed: true },
    { place: 'cell' as const, components: 6, isWindowed: false },
    { place: 'cell' as const, components: 1, isWindowed: true },
  ])('%o', async ({ place, components, isWindowed }) => {
    const n = place === 'point' ? nPoints : nCells
    const values = Float32Array.from({ length: n * components }, (_, i) => Math.sin(i))
    const { job, mesh: own, blocks } = await stored(mesh, `${kind}.blocks`)
    const windows: number[] = []
    const opened = {
      catalogue: { parts: [{ name: 'box', points: nPoints, cells: nCells }] },
      values: async () => ({ values, components, place }),
      valuesWindow: async (_: string, __: string, ___: number, from: number, to: number) => (
        windows.push(to - from),
        values.slice(from * components, to * components)
      ),
    } as unknown as OpenCase
    const field = { name: 'f', place, components, numberType: 'Float32', parts: ['box'], moments: [0] }
    // a quarter of the budget may be held
    const budget = isWindowed ? values.byteLength : 16 * values.byteLength
    const { file, index } = await importField(job, opened, {
      ...job.task,
      task: 'field',
      catalogue: { parts: [{ name: 'box' }], fields: [field], moments: [{ topology: 0, coordinates: 0 }] },
      generation: 'first',
      part: 'box',
      field: 'f',
      moment: 0,
      mesh: own,
      budget,
    } as never)
    expect(windows.length).toBe(isWindowed ? 4 + Number(n % 4 > 0) : 0)
    const bytes = await readFile(join(store, file))
    expect(index.extents.length).toBe(blocks.length)
    blocks.forEach((block, k) => {
      const found = decodeField(new Uint8Array(bytes.subarray(...index.extents[k]!)).buffer)
      expect([...found.values]).toEqual([...gatherBlock({ values, components, place }, block)])
      const sizes = (i: number): number =>
        components === 1
          ? found.values[i]!
          : Math.hypot(
              ...Array.from(
                found.values.subarray(components * i, components * (i + 1)),
                (x, c) => (components === 6 && c > 2 ? Math.SQRT2 : 1) * x,
              ),
            )
      const items =
        place === 'point'
          ? [...new Set(block.connectivity.subarray(0, block.offsets[Math.min(GROUP_CELLS, block.types.length)]))]
          : [...Array(Math.min(GROUP_CELLS, block.types.length)).keys()]
      expect(found.groups[0]).toBeCloseTo(Math.min(...items.map(sizes)), 6)
      expect(found.groups[1]).toBeCloseTo(Math.max(...items.map(sizes)), 6)
    })
  })

  it('the order of its blocks is read without the rest', async () => {
    const { job, mesh: own, blocks } = await stored(mesh, `${kind}-order.blocks`)
    const reader = await StoredBlocks.open(job, own)
    let k = 0
    for await (const order of reader.all()) {
      const { cellNumbers, pointNumbers, groupNodes } = blocks[k]!
      expect(order).toMatchObject({ cellNumbers, pointNumbers, groupNodes })
      expect(order).not.toHaveProperty('connectivity')
      expect([...(await reader.numbers(k++, 'cell'))]).toEqual([...cellNumbers])
    }
    expect(k).toBe(blocks.length)
    await reader.close()
  })
})
