/** Arrays and grids read in windows are those read whole; steps written to files come back as they were. */
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { deflateSync } from 'node:zlib'
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest'
import { integrateShape } from '../../../core/measure/integrateShape'
import { measureExpression } from '../../../core/measure/reductions'
import type { OpenCase } from '../../../core/formats/Format'
import { openNamed } from '../../../core/formats/series'
import { formatsOf, writeCurve, writeReading, writeShape } from '../../../core/formats/write/shape'
import type { NamedValues } from '../../../core/formats/write/shape'
import { writeVtk } from '../../../core/formats/write/vtkXml'
import { memoryOfPart } from '../../../core/store/blockStore'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { skinOfBlock } from '../../../core/shapes/blockShapes'
import { joinPieces, mapPiece } from '../../../core/shapes/Shape'
import type { Shape } from '../../../core/shapes/Shape'
import { readCase } from '../../../core/store/memoryCase'
import { DiskFolder } from '../../../server/cases/files'
import { storeOpened } from '../../../server/cases/storeOpened'
import { atPoints, boxMesh } from '../../support/meshes'
import { evaluatorFor } from '../../support/evaluation'

const mesh = boxMesh({ n: 14, kind: 'mixed' })
const T = atPoints(mesh, (x, y, z) => 300 + x - 2 * y + 3 * z)
const U = atPoints(mesh, (x, y, z) => [y, -x, z])
const q = Float64Array.from(mesh.types, (_, c) => c)
const fields = [
  { name: 'T', place: 'point' as const, components: 1, values: T, unit: 'K' },
  { name: 'U', place: 'point' as const, components: 3, values: U, unit: 'm/s' },
  { name: 'q', place: 'cell' as const, components: 1, values: q },
]
let root: string
let folder: DiskFolder

beforeAll(async () => {
  root = await mkdtemp(join(tmpdir(), 'stavik-windows-'))
  for (const [name, deflate] of [
    ['plain.vtu', undefined],
    ['packed.vtu', (bytes: Uint8Array) => deflateSync(bytes)],
  ] as const) {
    await writeFile(join(root, name), Buffer.concat(writeVtk(mesh, fields, { lengthUnit: 'm', ...(deflate && { deflate }) })))
  }
  folder = new DiskFolder(root)
})
afterAll(async () => {
  await folder.close()
  await rm(root, { recursive: true, force: true })
})

describe.each(['plain.vtu', 'packed.vtu'])('%s', (name) => {
  const open = (): Promise<OpenCase> => openNamed([name], folder)

  it('gives the same points, cells and values in windows as whole', async () => {
    const opened = await open()
    const windows = (await opened.windows!('region', 0))!
    expect([windows.nPoints, windows.nCells]).toEqual([mesh.points.length / 3, mesh.types.length])
    const middle = await windows.cells(1000, 1777)
    expect([...middle.types]).toEqual([...mesh.types.subarray(1000, 1777)])
    expect([...middle.connectivity]).toEqual([...mesh.connectivity.subarray(mesh.offsets[1000]!, mesh.offsets[1777]!)])
    expect(middle.offsets[777]).toBe(mesh.offsets[1777]! - mesh.offsets[1000]!)
    expect([...(await windows.points(5, 9))]).toEqual([...mesh.points.subarray(15, 27)])
    expect([...(await opened.valuesWindow!('region', 'U', 0, 100, 2000))!]).toEqual([...U.subarray(300, 6000)])
    expect([...(await opened.valuesWindow!('region', 'q', 0, 0, 10))!]).toEqual([...q.subarray(0, 10)])
  })

  it('stored in pieces measures the same as in memory', async () => {
    const opened = await open()
    const store = await mkdtemp(join(root, 'store-'))
    // just too little to hold the mesh
    const budget = 1.05 * memoryOfPart({ points: mesh.points.length / 3, cells: mesh.types.length, cellTypes: {} })
    const { data, close } = await storeOpened(opened, store, 0, undefined, budget)
    const whole = await readCase(opened, 0)
    const [a, b] = [data.part('region'), whole.part('region')]
    expect(a.nBlocks).toBe(b.nBlocks)
    for (let k = 0; k < a.nBlocks; k++) {
      expect(a.block(k)).toEqual(b.block(k))
      for (const { name: field } of fields) expect([...a.field(field, k).values]).toEqual([...b.field(field, k).values])
    }
    expect(data.catalogue.parts[0]!.bounds).toEqual([0, 0, 0, 1, 1, 1])
    expect(() => data.part('Milk')).toThrow('no part “Milk”')
    expect(() => a.field('none', 0)).toThrow('no field')
    close()
  })
})

describe('volumes among lines and surfaces, some of them copies', () => {
  const nPoints = mesh.points.length / 3
  // a line far away, and faces in front of the volumes
  const points = Float64Array.of(...mesh.points, 9, 9, 9, 8, 8, 8)
  const others = [
    [nPoints, nPoints + 1],
    ...Array.from({ length: 300 }, (_, i) => Array.from(mesh.connectivity.subarray(mesh.offsets[i]!, mesh.offsets[i]! + 3))),
  ]
  const volumes = Array.from(mesh.types, (_, c) => Array.from(mesh.connectivity.subarray(mesh.offsets[c], mesh.offsets[c + 1])))
  const cells = [...others, ...volumes]
  const offsets = new Uint32Array(cells.length + 1)
  cells.forEach((cell, c) => (offsets[c + 1] = offsets[c]! + cell.length))
  const all = {
    points,
    types: Uint8Array.of(3, ...others.slice(1).map(() => 5), ...mesh.types),
    offsets,
    connectivity: Uint32Array.from(cells.flat()),
    cellNumbers: Uint32Array.from(cells.keys()),
    mirrored: 0,
  }
  const onCells = { name: 'q', place: 'cell' as const, components: 1, values: Float64Array.from(cells, (_, c) => c) }
  const isCopy = (cell: number[]): boolean => cell.length > 3 && cell.every((p) => mesh.points[3 * p]! > 0.6)
  const ghosts = {
    name: 'vtkGhostType',
    place: 'cell' as const,
    components: 1,
    values: Float32Array.from(cells, (cell) => Number(isCopy(cell))),
  }

  it.each([
    ['as they are', [onCells]],
    ['with copies of others', [onCells, ghosts]],
  ] as const)('%s, stored in pieces are what they are in memory', async (name, cellFields) => {
    const onPoints = { ...fields[0]!, values: Float64Array.of(...T, 1e6, 1e6) }
    await writeFile(join(root, `${name}.vtu`), Buffer.concat(writeVtk(all, [onPoints, ...cellFields])))
    const opened = await openNamed([`${name}.vtu`], folder)
    const [region, faces, lines] = opened.catalogue.parts
    expect([region!.cells, faces!.cells, lines!.cells]).toEqual([
      volumes.length - (cellFields.length > 1 ? volumes.filter(isCopy).length : 0),
      300,
      1,
    ])
    const store = await mkdtemp(join(root, 'store-'))
    const budget = 1.05 * memoryOfPart({ points: nPoints, cells: region!.cells, cellTypes: {} })
    const { data, close } = await storeOpened(opened, store, 0, undefined, budget)
    const whole = await readCase(opened, 0)
    expect(data.catalogue.parts).toEqual(whole.catalogue.parts)
    expect(data.catalogue.parts[0]!.bounds[5]).toBe(1)
    const [stored, held] = [data, whole].map(
      (own) => (text: string) => measureExpression(text, evaluatorFor(own, {}).data, [region!.name]).value,
    ) as [(text: string) => number, (text: string) => number]
    for (const text of ['integral(T)', 'integral(1)', 'mean(q)', 'min(q)', 'max(q)', 'max(T)', `integral(T, on = "${faces!.name}")`])
      expect(stored(text)).toBeCloseTo(held(text), 9)
    close()
  })
})

test('an array of a wrong length is refused before it is read', async () => {
  const bytes = await readFile(join(root, 'plain.vtu'))
  await writeFile(join(root, 'wrong.vtu'), bytes.toString('latin1').replace(/NumberOfPoints="\d+"/, 'NumberOfPoints="77"'), 'latin1')
  const opened = await openNamed(['wrong.vtu'], folder)
  await expect(opened.windows!('region', 0)).rejects.toThrow(/values instead of 231/)
})

describe('steps as files', () => {
  const part = new MemoryPart('box', 3, mesh)
  part.setField('T', { values: T, components: 1, place: 'point' })
  const piece = joinPieces(Array.from({ length: part.nBlocks }, (_, k) => skinOfBlock(part.block(k), 'box', k)))
  const shape: Shape = { kind: 'surface', pieces: [piece] }
  const onSkin: NamedValues = { pieces: [mapPiece(piece, (_, k, use) => use(part.field('T', k)))], components: 1, name: 'T', unit: 'K' }
  const deflate = (bytes: Uint8Array): Uint8Array => deflateSync(bytes)

  it.each(['vtp', 'ply', 'stl', 'csv'] as const)('a surface as %s has its area and its values', async (format) => {
    await writeFile(join(root, `skin.${format}`), Buffer.concat(writeShape({ shape, fields: [onSkin], lengthUnit: 'm', deflate }, format)))
    const back = await readCase(await openNamed([`skin.${format}`], folder), 0)
    const [own] = back.catalogue.parts
    const values = back.catalogue.fields.find((f) => f.name === 'T')
    if (format !== 'stl') expect(values).toMatchObject({ components: 1, place: 'point' })
    if (format === 'csv') {
      expect(values!.unit).toBe('K')
      expect(own!.cells).toBe(piece.points.length / 3)
    } else expect(own!.cells).toBe(piece.cells.length)
  })

  it('what jumps between elements is averaged over each', () => {
    const values = Float64Array.from(piece.elements, (p) => piece.points[3 * p]!)
    const corners: NamedValues = { pieces: [{ values, components: 1, place: 'corner' }], components: 1, name: 'x', unit: 'm' }
    const means = Float64Array.from(piece.cells, (_, e) =>
      [0, 1, 2].reduce((sum, i) => sum + piece.points[3 * piece.elements[3 * e + i]!]! / 3, 0),
    )
    const [head] = writeShape({ shape, fields: [corners], lengthUnit: 'm', deflate: (bytes) => bytes }, 'vtp')
    expect(new TextDecoder().decode(head)).toMatch(/<CellData>\s*<DataArray type="Float64" Name="x"/)
    const totals = integrateShape(shape, { components: 1, pieces: [{ values: means, components: 1, place: 'element' }] })
    expect(totals.integral[0]).toBeCloseTo(3, 10)
  })

  it('lines are no surface', () => {
    expect(formatsOf('lines')).toEqual(['vtu', 'csv'])
    expect(() => writeShape({ shape: { ...shape, kind: 'lines' }, fields: [], lengthUnit: null, deflate }, 'stl')).toThrow(
      'lines cannot be written as stl; choose vtu or csv',
    )
  })

  it('curves of different lengths stand side by side, readings alone', () => {
    const curve = {
      x: { name: 's', unit: 'm' },
      y: { name: 'T', unit: 'K' },
      notes: [],
      series: [
        { name: 'line 1', x: Float64Array.of(0, 1), y: Float64Array.of(5, NaN) },
        { name: 'line 2', x: Float64Array.of(0), y: Float64Array.of(7) },
      ],
    }
    expect(writeCurve(curve)).toBe('"s, line 1 [m]","T, line 1 [K]","s, line 2 [m]","T, line 2 [K]"\n0,5,0,7\n1,,,\n')
    expect(writeReading('Flow', { value: 0.25, unit: 'm³/s', madeOf: [], cautions: [] })).toBe('Flow [m³/s]\n0.25\n')
  })
})
