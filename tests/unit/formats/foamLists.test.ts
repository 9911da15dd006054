/** Case folders whose lists stand raw in their files are read by ranges: what is held does not grow with the case. */
import { describe, expect, it } from 'vitest'
import type { ByteSource } from '../../../core/formats/ByteSource'
import { FoamCells } from '../../../core/formats/openFoam/cells'
import { heldList, openFaces, openInnerValues, openLabels, openPoints } from '../../../core/formats/openFoam/lists'
import { boundaryOf, openPiece } from '../../../core/formats/openFoam/mesh'
import { openNamed } from '../../../core/formats/series'
import { foamCase } from '../../support/writers/foam'
import type { FoamVariant } from '../../support/writers/foam'
import { boxModel } from '../../support/writers/model'
import type { Model } from '../../support/writers/model'
import { MemoryFolder } from '../../support/vtkFiles'

const MESH = 'constant/polyMesh/'
const model = boxModel()

function filesOf(variant: FoamVariant, of: Model = model) {
  const files = foamCase(of, variant)
  return { folder: new MemoryFolder(files), names: new Set(Object.keys(files)), files }
}

/** A row of n cells, as long as a case that would not fit. */
function row(n: number): Model {
  const points: Model['points'] = []
  for (let i = 0; i <= n; i++) for (const [y, z] of [[0, 0], [1, 0], [1, 1], [0, 1]] as const) points.push([i, y, z])
  const cells = Array.from({ length: n }, (_, i) => [4 * i, 4 * i + 4, 4 * i + 5, 4 * i + 1, 4 * i + 3, 4 * i + 7, 4 * i + 6, 4 * i + 2])
  const walls = cells.flatMap((c) => [[0, 1, 5, 4], [3, 7, 6, 2], [0, 3, 2, 1], [4, 5, 6, 7]].map((face) => face.map((k) => c[k]!)))
  const ends = [[0, 3, 2, 1], [4 * n, 4 * n + 1, 4 * n + 2, 4 * n + 3]]
  return { points, cells, patches: [{ name: 'Walls', faces: [...walls, ...ends] }], temperature: [], velocity: [], pressure: [], stress: [] }
}

describe('lists', () => {
  it.each([{}, { label: 64 as const, scalar: 32 as const }])('raw ones hold nothing and give the ranges that are asked for: %o', async (sizes) => {
    const raw = filesOf({ isBinary: true, ...sizes })
    const text = filesOf({})
    for (const [name, open] of [['owner', openLabels], ['neighbour', openLabels], ['points', openPoints]] as const) {
      const [list, held] = [await open(raw, MESH + name), await open(text, MESH + name)]
      expect(list.bytes).toBe(0)
      expect(held.bytes).toBeGreaterThan(0)
      expect(list.length).toBe(held.length)
      const expected = [...(await held.read(3, 9))]
      ;[...(await list.read(3, 9))].forEach((value, i) => expect(value).toBeCloseTo(expected[i]!, 6))
    }
    const [faces, heldFaces] = [await openFaces(raw, `${MESH}faces`), await openFaces(text, `${MESH}faces`)]
    expect(faces.points.bytes + faces.offsets.bytes).toBe(0)
    expect([...(await faces.points.read(0, faces.points.length))]).toEqual([...(await heldFaces.points.read(0, heldFaces.points.length))])
  })

  it('of fields are found in front of what stands at the boundary; other ones are read whole', async () => {
    const raw = filesOf({ isBinary: true })
    const values = await openInnerValues(raw, '0.5/R', 6)
    expect(values?.length).toBe(model.cells.length)
    // as they stand in the file: xx xy xz yy yz zz
    const [x, y, z] = [0.25, 1 / 6, 0.125]
    ;[...(await values!.read(0, 1))].forEach((value, i) => expect(value).toBeCloseTo([x, x + y, x + z, y, y + z, z][i]!, 12))
    expect(await openInnerValues(raw, '0.5/p', 1)).toBeUndefined()
    expect(await openInnerValues(raw, '0.5/R', 3)).toBeUndefined()
    expect(await openInnerValues(filesOf({}), '0.5/T', 1)).toBeUndefined()
    expect(await openInnerValues(filesOf({ isBinary: true, isZipped: true }), '0.5/T', 1)).toBeUndefined()
  })

  it('that are cut off say so when they are opened', async () => {
    const { files, names } = filesOf({ isBinary: true })
    files[`${MESH}owner`] = files[`${MESH}owner`]!.subarray(0, files[`${MESH}owner`]!.length - 12)
    await expect(openLabels({ folder: new MemoryFolder(files), names }, `${MESH}owner`)).rejects.toThrow(/owner: 98 numbers should follow at byte \d+, but it ends at byte \d+: it is cut off/)
    await expect(openLabels({ folder: new MemoryFolder(files), names }, 'nowhere')).rejects.toThrow(/nowhere is missing/)
  })
})

describe('cells', () => {
  it.each([{}, { isScattered: true }, { hasAllNeighbours: true }])('are the same whatever the window: %o', async (variant) => {
    const piece = await openPiece(filesOf({ isBinary: true, ...variant }), MESH, undefined)
    expect([piece.nCells, piece.neighbour.length]).toEqual([24, 46])
    const whole = await new FoamCells(piece).read(0, 24)
    const cells = new FoamCells(piece)
    for (const size of [1, 5, 24]) {
      const streams: number[] = []
      for (let from = 0; from < 24; from += size) streams.push(...(await cells.read(from, Math.min(from + size, 24))).polyhedra!.stream)
      expect(streams).toEqual([...whole.polyhedra!.stream])
    }
    const together = await Promise.all([0, 8, 16].map((from) => cells.read(from, from + 8)))
    expect(together.flatMap((window) => [...window.polyhedra!.stream])).toEqual([...whole.polyhedra!.stream])
    // six faces of four points each
    expect(whole.polyhedra!.stream.length).toBe(24 * (1 + 6 * 5))
    const boundary = await boundaryOf(piece)
    expect(boundary.firstFace).toBe(46)
    expect(boundary.numbers.length).toBe(4 * 5 * 3 - 3 * 2)
  })

  it('of a long row are read from a small part of its files', async () => {
    const n = 8000
    const { folder, names } = filesOf({ isBinary: true }, row(n))
    let read = 0
    const counting = {
      names,
      folder: Object.assign(Object.create(folder) as MemoryFolder, {
        open: async (name: string): Promise<ByteSource> => {
          const source = await folder.open(name)
          return { name, size: source.size, read: (start, end) => ((read += end - start), source.read(start, end)) }
        },
      }),
    }
    const piece = await openPiece(counting, MESH, undefined)
    // its cells' numbers are looked through, its points and faces are not
    const lists = 4 * (piece.owner.length + piece.neighbour.length)
    expect(read).toBeLessThan(1.1 * lists + 1e5)
    read = 0
    const cells = await new FoamCells(piece).read(n - 100, n)
    expect(cells.types.length).toBe(100)
    // owners at the boundary are looked through whole
    expect(read).toBeLessThan(4 * (piece.owner.length - piece.neighbour.length) + 5e5)
  })

  it.each<[string, string, Partial<Record<number, number>>, RegExp]>([
    ['more cells than its header states', 'owner', { 5: 24 }, /it has 25 cells, but its header states 24/],
    ['a face without owner', 'owner', { 3: -1 }, /the face 3 has no owner/],
    ['a neighbour that is not there', 'neighbour', { 7: 4000 }, /neighbour 4000, but there are only 24 cells/],
    ['faces that overlap', 'faces', { 60: 3 }, /its faces are not in order/],
    ['a point that is not there', 'faces', { 130: 777 }, /refers to point 777, but there are only 60/],
  ])('damaged: %s', async (_, name, changes, message) => {
    const { files } = filesOf({ isBinary: true })
    const bytes = Buffer.from(files[MESH + name]!)
    const first = bytes.indexOf('(', bytes.indexOf('* * *')) + 1
    // behind the 99 offsets of the faces stands another count
    const second = name === 'faces' ? bytes.indexOf('(', first + 4 * 99) + 1 - 4 * 99 : first
    for (const [i, value] of Object.entries(changes)) bytes.writeInt32LE(value!, (Number(i) < 99 ? first : second) + 4 * Number(i))
    const folder = new MemoryFolder({ ...files, [MESH + name]: bytes })
    await expect(openNamed([''], folder).then((opened) => opened.mesh('region', 0))).rejects.toThrow(message)
  })
})

it('a list in memory gives its tuples', async () => {
  expect([...(await heldList(Float64Array.of(1, 2, 3, 4, 5, 6), 3).read(1, 2))]).toEqual([4, 5, 6])
})
