import { describe, expect, it } from 'vitest'
import { openNamed } from '../../../core/formats/series'
import { readCase } from '../../../core/store/memoryCase'
import { describeCase } from '../../../cli/info'
import { checkBox } from '../../support/checkBox'
import type { Expected } from '../../support/checkBox'
import { foamCase } from '../../support/writers/foam'
import { frdFile } from '../../support/writers/frd'
import { legacyFile, structuredLegacy } from '../../support/writers/legacy'
import { boxModel, COUNTS, SIZE } from '../../support/writers/model'
import { encodings, MemoryFolder, vtuFile } from '../../support/vtkFiles'

const model = boxModel()
const { points, cells } = model

async function opened(files: Record<string, Uint8Array>, name: string) {
  return openNamed([name], new MemoryFolder(files))
}

async function check(files: Record<string, Uint8Array>, name: string, expected: Expected): Promise<void> {
  await checkBox(new MemoryFolder(files), name, expected)
}

describe('the same case reads the same', () => {
  it.each((['3.0', '5.1'] as const).flatMap((version) => [true, false].map((isBinary) => [version, isBinary] as const)))(
    'as legacy %s, binary %s',
    async (version, isBinary) => {
      await check({ 'a.vtk': legacyFile(model, { version, isBinary }) }, 'a.vtk', { T: '`warm water`', U: 'U' })
      const { catalogue } = await opened({ 'a.vtk': legacyFile(model, { version, isBinary }) }, 'a.vtk')
      expect(catalogue.moments).toMatchObject([{ kind: 'time', value: 2.5 }])
      expect(catalogue.fields.map((f) => [f.name, f.place, f.kind])).toEqual([
        ['p', 'cell', 'scalar'],
        ['U', 'point', 'vector'],
        ['warm water', 'point', 'scalar'],
      ])
    },
  )

  it.each(['STRUCTURED_POINTS', 'RECTILINEAR_GRID', 'STRUCTURED_GRID'] as const)('as legacy %s', (kind) =>
    check({ 'a.vtk': structuredLegacy(model, kind, COUNTS, SIZE) }, 'a.vtk', { T: 'T' }),
  )

  it.each(['short', 'long', 'float', 'double'] as const)('as frd, %s', (form) =>
    check({ 'a.frd': frdFile(model, form) }, 'a.frd', { T: 'NDTEMP', U: 'DISP', digits: form === 'double' ? 10 : 5 }),
  )

  const folders = [
    { isBinary: false },
    { isBinary: true },
    { isBinary: true, label: 64 as const, scalar: 32 as const },
    { isZipped: true },
    { isBinary: true, isZipped: true },
    { processors: 3 },
    { processors: 2, isBinary: true, isZipped: true },
    { isBinary: true, isScattered: true },
    { isBinary: true, hasAllNeighbours: true },
    { hasAllNeighbours: true, isScattered: true },
  ]
  it.each(folders)('as a case folder, %o', (variant) =>
    check(foamCase(model, variant), '', {
      T: 'T',
      U: 'U',
      windowed: ['R', 'T', 'U', 'p'],
      surfaces: ['Inlet', 'Outlet', 'Walls'],
      digits: variant.scalar === 32 ? 5 : 10,
    }),
  )

  it.each(encodings)('as vtu, %s', (encoding) => {
    const content = {
      points: points.flat(),
      connectivity: cells.flat(),
      offsets: cells.map((_, i) => 8 * (i + 1)),
      types: cells.map(() => 12),
      pointData: [
        { name: 'T', type: 'Float64', values: model.temperature },
        { name: 'U', type: 'Float64', components: 3, values: model.velocity.flat() },
      ],
    }
    return check({ 'a.vtu': vtuFile(content, { encoding }) }, 'a.vtu', { T: 'T', U: 'U' })
  })
})

describe('case folders', () => {
  it('have the units of their dimensions, boundary values, and tensors in the core’s order', async () => {
    const opened1 = await opened(foamCase(model, { times: ['0', '0.5', '10'] }), '')
    const { fields, moments, lengthUnit } = opened1.catalogue
    expect(fields.map((f) => [f.name, f.kind, f.unit])).toEqual([
      ['R', 'symmetric tensor', 'm²/s²'],
      ['T', 'scalar', 'K'],
      ['U', 'vector', 'm/s'],
      ['p', 'scalar', 'm²/s²'],
    ])
    expect(moments.map((m) => [m.value, m.topology])).toEqual([
      [0, 0],
      [0.5, 0],
      [10, 0],
    ])
    expect(lengthUnit).toBe('m')
    const inlet = await opened1.values('Inlet', 'U', 1)
    // velocity at x = 0 is 1, in the first cells it is 1.5
    for (let f = 0; f < 6; f++) expect(inlet.values[3 * f]).toBe(1)
    expect((await opened1.values('region', 'U', 1)).values[0]).toBe(1.5)
    expect([...(await opened1.values('Inlet', 'p', 1)).values]).toEqual(Array(6).fill(100))
    const tensor = await opened1.values('region', 'R', 1)
    const [x, y, z] = [0.25, 1 / 6, 0.125]
    ;[x, y, z, x + y, y + z, x + z].forEach((value, c) => expect(tensor.values[c]).toBeCloseTo(value, 12))
  })

  it('whose points move have another mesh from then on', async () => {
    const files = foamCase(model, { times: ['0', '1', '2'] })
    files['1/polyMesh/points'] = Buffer.from(Buffer.from(files['constant/polyMesh/points']!).toString().replaceAll('(2 ', '(3 '))
    const moving = await opened(files, '')
    expect(moving.catalogue.moments.map((m) => m.coordinates)).toEqual([0, 1, 1])
    const volumes = await Promise.all([0, 1, 2].map(async (m) => describeCase(await readCase(moving, m)).regions[0]!.volume))
    expect(volumes.map((v) => v.toFixed(9))).toEqual(['1.000000000', '1.500000000', '1.500000000'])
  })

  it('name what is missing before anything is read', async () => {
    const files = foamCase(model, { processors: 3 })
    delete files['processor1/constant/polyMesh/faces']
    await expect(opened(files, '')).rejects.toThrow(/lacks the mesh of processor1; copy all parts/)
    const { 'constant/polyMesh/boundary': _, ...rest } = foamCase(model)
    await expect(opened(rest, '')).rejects.toThrow(/boundary is missing/)
    await expect(opened({ 'notes.txt': Buffer.from('x') }, '')).rejects.toThrow(/of no kind that is read/)
  })

  it.each<[string, string, (text: string) => string, RegExp]>([
    ['cut off', 'constant/polyMesh/faces', (t) => t.slice(0, 600), /cut off/],
    ['a point that is not there', 'constant/polyMesh/faces', (t) => t.replace(/4\(\d+/, '4(999'), /refers to point 999/],
    ['a neighbour that is not there', 'constant/polyMesh/neighbour', (t) => t.replace(/\n\(\n\d+/, '\n(\n777'), /neighbour 777/],
    ['a word for a number', 'constant/polyMesh/owner', (t) => t.replace(/\n\(\n0/, '\n(\nzero'), /“zero” at byte \d+ is no number/],
    ['a false count', '0.5/T', (t) => t.replace('24\n(', '99999\n('), /the list that ends at byte \d+ has fewer items than it states/],
    ['an open comment', '0.5/T', (t) => t.replace('*/', ''), /comment does not end/],
  ])('damaged: %s', async (_, file, change, message) => {
    const files = foamCase(model)
    files[file] = Buffer.from(change(Buffer.from(files[file]!).toString()))
    await expect(opened(files, '').then((o) => readCase(o, 0))).rejects.toThrow(message)
  })
})

describe('frd', () => {
  it('has steps, modes and load cases as moments, and tensors in the core’s order', async () => {
    const moments = [
      { kind: 1, value: 1, step: 1 },
      { kind: 1, value: 2, step: 1 },
      { kind: 2, value: 47.5, step: 1 },
      { kind: 3, value: 4, step: 2 },
    ]
    const file = await opened({ 'a.frd': frdFile(model, 'double', moments) }, 'a.frd')
    expect(file.catalogue.moments.map((m) => [m.kind, m.value, m.unit])).toEqual([
      ['time', 1, 's'],
      ['time', 2, 's'],
      ['mode', 47.5, 'Hz'],
      ['load case', 4, null],
    ])
    expect(file.catalogue.fields.map((f) => [f.name, f.kind, f.moments])).toEqual([
      ['DISP', 'vector', [0, 1, 2, 3]],
      ['STRESS', 'symmetric tensor', [0, 1, 2, 3]],
      ['NDTEMP', 'scalar', [0, 1, 2, 3]],
      ['node number', 'scalar', [0, 1, 2, 3]],
      ['cell number', 'scalar', [0, 1, 2, 3]],
    ])
    const [nodes, cells] = [await file.values('region', 'node number', 3), await file.values('region', 'cell number', 0)]
    expect([...nodes.values.subarray(0, 3)]).toEqual([11, 14, 17])
    expect([...cells.values.subarray(0, 2)]).toEqual([1, 2])
    expect((await file.values('region', 'NDTEMP', 2)).values[0]).toBe(290 + 46.5)
    expect([...(await file.values('region', 'STRESS', 0)).values.subarray(6, 12)]).toEqual(model.stress[1])
  })

  it('amplitudes and phases of a response are fields of their own, no tensor', async () => {
    const names = ['SXX', 'SYY', 'SZZ', 'SXY', 'SYZ', 'SZX']
    const phased = ['MAG1', 'MAG2', 'MAG3', 'PHA1', 'PHA2', 'PHA3'].reduce(
      (text, name, i) => text.replace(` -5  ${names[i]!.padEnd(8)}`, ` -5  ${name.padEnd(8)}`),
      frdFile(model, 'long').toString('latin1').replace(' -4  STRESS', ' -4  PDISP '),
    )
    const file = await opened({ 'a.frd': Buffer.from(phased, 'latin1') }, 'a.frd')
    expect(file.catalogue.fields.filter((f) => f.name.startsWith('P')).map((f) => [f.name, f.kind, f.components, f.unit])).toEqual([
      ['PDISP amplitude', 'other', 3, null],
      ['PDISP phase', 'other', 3, 'deg'],
    ])
    const [amplitude, phase] = [await file.values('region', 'PDISP amplitude', 0), await file.values('region', 'PDISP phase', 0)]
    model.stress[1]!.forEach((x, i) => expect((i < 3 ? amplitude : phase).values[3 + (i % 3)]).toBeCloseTo(x, 3))
  })

  it.each<[string, (text: string) => string, RegExp]>([
    ['cut off', (t) => t.slice(0, 1500), /cut off|should be/],
    ['a cell that is not known', (t) => t.replace(/ -1 {9}1 {4}1 {4}0/, ' -1         1   77    0'), /type 77/],
    ['a node that is not there', (t) => t.replace(/ -2 {8}11/, ' -2        12'), /node 12, which is not there/],
    ['letters in a value', (t) => t.replace('2.90000E+02', '2.9oooo+02 '), /should be a value/],
  ])('damaged: %s', async (_, change, message) => {
    const bytes = Buffer.from(change(frdFile(model, 'long').toString()))
    await expect(opened({ 'a.frd': bytes }, 'a.frd').then((o) => readCase(o, 0))).rejects.toThrow(message)
  })
})
