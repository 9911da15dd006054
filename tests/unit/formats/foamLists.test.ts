/**
 * Case folders are read by ranges of their files, or of raw copies of those that are text or zipped: what is held does not grow
 * with the case.
 */
import { gunzipSync, gzipSync } from 'node:zlib'
import { describe, expect, it } from 'vitest'
import type { ByteSource } from '../../../core/formats/ByteSource'
import { gatherItems } from '../../../core/formats/gatherItems'
import { FoamCells } from '../../../core/formats/openFoam/cells'
import { innerValues, openField, patchValues, valuesBehind } from '../../../core/formats/openFoam/fields'
import { heldList, openFaces, openLabels, openPoints, rawCopyLimits } from '../../../core/formats/openFoam/lists'
import { boundaryOf, openPiece } from '../../../core/formats/openFoam/mesh'
import { Recent } from '../../../core/formats/openFoam/Recent'
import { openNamed } from '../../../core/formats/series'
import { foamCase } from '../../support/writers/foam'
import type { FoamVariant } from '../../support/writers/foam'
import { boxModel } from '../../support/writers/model'
import type { Model } from '../../support/writers/model'
import { MemoryFolder } from '../../support/vtkFiles'

const MESH = 'constant/polyMesh/'
const model = boxModel()

function filesOf(variant: FoamVariant, of: Model = model, limits = rawCopyLimits) {
  const files = foamCase(of, variant)
  return { folder: new MemoryFolder(files), names: new Set(Object.keys(files)), rawCopies: new Recent(limits), files }
}

/** A row of n cells, as long as a case that would not fit. */
function row(n: number): Model {
  const points: Model['points'] = []
  for (let i = 0; i <= n; i++)
    for (const [y, z] of [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 1],
    ] as const)
      points.push([i, y, z])
  const cells = Array.from({ length: n }, (_, i) => [4 * i, 4 * i + 4, 4 * i + 5, 4 * i + 1, 4 * i + 3, 4 * i + 7, 4 * i + 6, 4 * i + 2])
  const walls = cells.flatMap((c) =>
    [
      [0, 1, 5, 4],
      [3, 7, 6, 2],
      [0, 3, 2, 1],
      [4, 5, 6, 7],
    ].map((face) => face.map((k) => c[k]!)),
  )
  const ends = [
    [0, 3, 2, 1],
    [4 * n, 4 * n + 1, 4 * n + 2, 4 * n + 3],
  ]
  return {
    points,
    cells,
    patches: [{ name: 'Walls', faces: [...walls, ...ends] }],
    temperature: [],
    velocity: [],
    pressure: [],
    stress: [],
  }
}

const ways: FoamVariant[] = [
  { isBinary: true },
  { isBinary: true, label: 64, scalar: 32 },
  {},
  { isZipped: true },
  { isBinary: true, isZipped: true, scalar: 32 },
]

describe('lists', () => {
  // every copy is dropped for the next one
  it.each(ways.flatMap((way) => [[way, rawCopyLimits] as const, [way, { ...rawCopyLimits, limit: 0, least: 1 }] as const]))(
    '%o give the ranges that are asked for, kept as %o',
    async (way, limits) => {
      const files = filesOf(way, model, limits)
      const numbers = model.points.flat()
      const points = await openPoints(files, `${MESH}points`)
      const owner = await openLabels(files, `${MESH}owner`)
      const faces = await openFaces(files, `${MESH}faces`)
      expect([points.length, owner.length, faces.offsets.length, faces.points.length]).toEqual([60, 98, 99, 4 * 98])
      ;[...(await points.read(3, 9))].forEach((value, i) => expect(value).toBeCloseTo(numbers[9 + i]!, 6))
      expect([...(await faces.offsets.read(40, 44))]).toEqual([160, 164, 168, 172])
      // each cell has six faces, its own or that of a neighbour
      const neighbour = await openLabels(files, `${MESH}neighbour`)
      const cells = [...(await owner.read(0, 98)), ...(await neighbour.read(0, 46))]
      for (let cell = 0; cell < 24; cell++) expect(cells.filter((c) => c === cell).length).toBe(6)
      const gathered = await gatherItems(points, Uint32Array.of(59, 0, 7), 3)
      ;[...gathered].forEach((value, i) => expect(value).toBeCloseTo(model.points[[59, 0, 7][Math.floor(i / 3)]!]![i % 3]!, 6))
    },
  )

  it.each(ways)('of fields are passed over to what stands at the boundary: %o', async (way) => {
    const files = filesOf(way)
    const boundary = await boundaryOf(await openPiece(files, MESH, undefined))
    const stress = await openField(files, '0.5/R')
    expect(stress).toMatchObject({ place: 'cell', components: 6, unit: 'm²/s²', internal: { list: { length: 24 } } })
    // xx xy xz yy yz zz in the file
    const [x, y, z] = [0.25, 1 / 6, 0.125]
    const first = await innerValues(stress, 0, 1)
    ;[...first].forEach((value, i) => expect(value).toBeCloseTo([x, y, z, x + y, y + z, x + z][i]!, 6))
    expect((await patchValues(stress, boundary, 'Inlet', () => valuesBehind(stress, boundary))).length).toBe(6 * 6)
    const pressure = await openField(files, '0.5/p')
    expect([...(await innerValues(pressure, 3, 5))]).toEqual([100, 100])
    expect([...(await patchValues(pressure, boundary, 'Inlet', () => valuesBehind(pressure, boundary)))]).toEqual(Array(6).fill(100))
  })

  it.each([
    ['text', '', '(1000000 -1.5e-7 0.5)', false],
    ['a zipped text', '.gz', '(7 -8 9)', false],
    ['zipped raw numbers', '.gz', '', true],
  ])('may be longer than the pieces that %s is read in', async (_, ending, item, isBinary) => {
    const n = 200_000
    const numbers = item ? item.slice(1, -1).split(' ').map(Number) : [0.25, -0.5, 3]
    const raw = Buffer.from(Float64Array.from({ length: 3 * n }, (_, i) => numbers[i % 3]! * (i < 3 * n - 3 ? 1 : 2)).buffer)
    const last = `(${numbers.map((x) => 2 * x).join(' ')})`
    const list = isBinary ? raw : Buffer.from(`\n${`${item}\n`.repeat(n - 1)}${last}\n`)
    const bytes = Buffer.concat([
      Buffer.from(`FoamFile { format ${isBinary ? 'binary' : 'ascii'}; class vectorField; }\n${n}(`),
      list,
      Buffer.from(')\n'),
    ])
    const folder = new MemoryFolder({ [`points${ending}`]: ending ? gzipSync(bytes) : bytes })
    const files = { folder, names: new Set(await folder.list()), rawCopies: new Recent(rawCopyLimits) }
    folder.passing = () => {
      throw new Error('cancelled on the way')
    }
    await expect(openPoints(files, 'points')).rejects.toThrow('cancelled on the way')
    expect(folder.scratchFiles.filter((file) => file.isOpen)).toEqual([])
    const told: (number | undefined)[] = []
    folder.passing = (name, share) => void (name === 'points' && told.push(share))
    const points = await openPoints(files, 'points')
    expect(told.length).toBeGreaterThan(2)
    if (ending) expect(new Set(told)).toEqual(new Set([undefined]))
    else for (const [i, share] of told.entries()) expect(share! > (told[i - 1] ?? 0) && share! <= 1).toBe(true)
    expect(points.length).toBe(n)
    expect([...(await points.read(n - 2, n))]).toEqual([...numbers, ...numbers.map((x) => 2 * x)])
    expect([...(await points.read(0, n - 1))].every((x, i) => x === numbers[i % 3])).toBe(true)
  })

  it.each<[string, FoamVariant, (bytes: Buffer) => Buffer, RegExp]>([
    [
      'raw',
      { isBinary: true },
      (bytes) => bytes.subarray(0, -12),
      /owner: 98 numbers should follow at byte \d+, but it ends at byte \d+: it is cut off/,
    ],
    ['text', {}, (bytes) => bytes.subarray(0, -12), /owner: it is cut off/],
    ['zipped', { isZipped: true }, (bytes) => bytes.subarray(0, -12), /owner.gz is damaged; copy it again/],
    [
      'zipped, raw',
      { isZipped: true, isBinary: true },
      (bytes) => gzipSync(gunzipSync(bytes).subarray(0, -12)),
      /owner: 98 numbers should follow at byte \d+, but it ends at byte \d+: it is cut off/,
    ],
    ['no number', {}, (bytes) => Buffer.from(bytes.toString().replace(/3\n\)/, 'x3\n)')), /owner: “2x3” at byte \d+ is no number/],
  ])('that are cut off say so when they are opened: %s', async (_, way, change, message) => {
    const files = filesOf(way)
    const name = `${MESH}owner${way.isZipped ? '.gz' : ''}`
    files.files[name] = change(Buffer.from(files.files[name]!))
    await expect(openLabels(files, `${MESH}owner`)).rejects.toThrow(message)
    await expect(openLabels(files, 'nowhere')).rejects.toThrow(/nowhere is missing/)
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
    const { folder, names, rawCopies } = filesOf({ isBinary: true }, row(n))
    let read = 0
    const counting = {
      ...{ names, rawCopies },
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
    expect(read).toBeLessThan(1.1 * lists + 2.5e5)
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
