import { describe, expect, it } from 'vitest'
import { UserError } from '../../../core/errors'
import { openFile } from '../../../core/formats'
import type { OpenCase } from '../../../core/formats/Format'
import { groupSeries, openSeries } from '../../../core/formats/series'
import { writeVtk, writeVtm } from '../../../core/formats/write/vtkXml'
import { readCase } from '../../../core/store/memoryCase'
import { encodings, MemoryFolder, vtuFile } from '../../support/vtkFiles'
import type { FileContent, Variant } from '../../support/vtkFiles'
import { measureExpression } from '../../../core/measure/reductions'
import { boxMesh } from '../../support/meshes'
import { evaluatorFor } from '../../support/evaluation'

/** Two tetrahedra and the cube beside them. */
const content: FileContent = {
  points: [0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 1, 1, 1, 2, 0, 0, 3, 0, 0, 3, 1, 0, 2, 1, 0, 2, 0, 1, 3, 0, 1, 3, 1, 1, 2, 1, 1],
  connectivity: [0, 1, 2, 3, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12],
  offsets: [4, 8, 16],
  types: [10, 10, 12],
  pointData: [{ name: 'T', type: 'Float32', values: Array.from({ length: 13 }, (_, i) => 280 + i / 4) }],
  cellData: [
    { name: 'U', type: 'Float64', components: 3, values: [1, 2, 3, 4, 5, 6, 7, 8, 9] },
    { name: 'id', type: 'Int16', values: [-1, 0, 300] },
  ],
}

async function open(bytes: Uint8Array, name = 'a.vtu', others: Record<string, Uint8Array> = {}): Promise<OpenCase> {
  const folder = new MemoryFolder({ [name]: bytes, ...others })
  return openFile(await folder.open(name), folder)
}

async function readAll(bytes: Uint8Array): Promise<unknown> {
  const opened = await open(bytes)
  const part = opened.catalogue.parts[0]!.name
  const mesh = await opened.mesh(part, 0)
  const values = await Promise.all(opened.catalogue.fields.map((f) => opened.values(part, f.name, 0)))
  return {
    points: [...mesh.points],
    types: [...mesh.types],
    connectivity: [...mesh.connectivity],
    fields: values.map((v) => [...v.values]),
  }
}

const variants: Variant[] = [
  ...encodings.map((encoding) => ({ encoding })),
  ...encodings.map((encoding) => ({
    encoding,
    header: 'UInt64' as const,
    isBigEndian: true,
    real: 'Float32' as const,
    integer: 'UInt32' as const,
  })),
  { encoding: 'inline', hasHeaderApart: true },
  { encoding: 'appended base64', hasHeaderApart: true, header: 'UInt64' },
  ...(['Int16', 'UInt8', 'UInt16', 'UInt64'] as const).map((integer) => ({ encoding: 'appended raw' as const, integer })),
]

describe('one file in every encoding', () => {
  it.each(variants)('$encoding, $header $integer $real', async (variant) => {
    expect(await readAll(vtuFile(content, variant))).toEqual({
      points: content.points,
      types: content.types,
      connectivity: content.connectivity,
      fields: [...content.pointData!, ...content.cellData!].map((a) => a.values),
    })
  })

  it.each(variants.filter(({ encoding }) => encoding !== 'ascii'))('by ranges: $encoding, $header $integer $real', async (variant) => {
    const opened = await open(vtuFile(content, variant))
    const windows = (await opened.windows!('region', 0))!
    const all = await windows.cells(0, 3)
    expect([[...all.types], [...all.offsets], [...all.connectivity]]).toEqual([
      content.types,
      [0, ...content.offsets],
      content.connectivity,
    ])
    const last = await windows.cells(2, 3)
    expect([[...last.types], [...last.offsets], [...last.connectivity]]).toEqual([[12], [0, 8], content.connectivity.slice(8)])
    expect([...(await windows.points(1, 12))]).toEqual(content.points.slice(3, 36))
    expect([...(await opened.valuesWindow!('region', 'U', 0, 1, 3))!]).toEqual([4, 5, 6, 7, 8, 9])
    expect([...(await opened.valuesWindow!('region', 'T', 0, 12, 13))!]).toEqual([283])
  })

  it.each(['Int64', 'Int32'] as const)('point numbers of %s that can be none are refused in windows, too', async (integer) => {
    const opened = await open(
      vtuFile({ ...content, connectivity: [-1, ...content.connectivity.slice(1)] }, { encoding: 'inline zlib', integer }),
    )
    const windows = (await opened.windows!('region', 0))!
    const nodes = windows.cells(0, 3).then(({ connectivity }) => connectivity[0])
    // 32 bits wrap round to a number larger than any mesh has points, which is refused with the mesh
    if (integer === 'Int32') expect(await nodes).toBe(2 ** 32 - 1)
    else await expect(nodes).rejects.toThrow('“connectivity” holds negative or far too large numbers')
  })

  it('a single cell, whose type is one byte behind its header', async () => {
    const one: FileContent = { points: content.points.slice(0, 12), connectivity: [0, 1, 2, 3], offsets: [4], types: [10] }
    expect(await readAll(vtuFile(one, { encoding: 'inline' }))).toMatchObject({ types: [10], connectivity: [0, 1, 2, 3] })
  })

  it.each(['inline', 'inline zlib'] as const)('%s: opening reads the heads of arrays, not the arrays', async (encoding) => {
    const many = Array.from({ length: 60_000 }, (_, i) => i % 1000)
    const nPoints = many.length
    const big: FileContent = {
      points: Array.from({ length: 3 * nPoints }, (_, i) => i),
      connectivity: [0, 1, 2, 3],
      offsets: [4],
      types: [10],
      pointData: [{ name: 'T', type: 'Float64', values: many }],
      time: 2,
    }
    const bytes = vtuFile(big, { encoding })
    let read = 0
    const folder = new MemoryFolder({ 'a.vtu': bytes })
    const source = await folder.open('a.vtu')
    const watched = {
      name: source.name,
      size: source.size,
      read: (start: number, end: number) => ((read += end - start), source.read(start, end)),
    }
    const { catalogue } = await openFile(watched, folder)
    expect(catalogue.fields.map((f) => f.name)).toEqual(['T'])
    expect(catalogue.moments).toMatchObject([{ value: 2 }])
    expect(read).toBeLessThan(0.5 * bytes.length)
  })

  it('a length that leads nowhere is told when the array is read, not taken for a place to go on', async () => {
    const text = vtuFile(content, { encoding: 'inline', header: 'UInt32' }).toString()
    const at = text.indexOf('format="binary">') + 19
    const opened = await open(Buffer.from(`${text.slice(0, at)}////${text.slice(at + 4)}`))
    await expect(opened.mesh('region', 0)).rejects.toThrow(/“Points” (needs|claims) \d+ bytes/)
  })

  it('says what is in it', async () => {
    const { catalogue } = await open(vtuFile({ ...content, time: 12.5 }, { encoding: 'appended raw' }))
    expect(catalogue.parts).toMatchObject([{ name: 'region', dimension: 3, cells: 3, points: 13, cellTypes: { tetra: 2, hexahedron: 1 } }])
    expect(catalogue.fields.map((f) => [f.name, f.place, f.kind, f.unit])).toEqual([
      ['T', 'point', 'scalar', null],
      ['U', 'cell', 'vector', null],
      ['id', 'cell', 'scalar', null],
    ])
    expect(catalogue.moments).toMatchObject([{ kind: 'time', value: 12.5 }])
  })

  it('keeps not-a-number and infinities of ASCII files', async () => {
    const text = vtuFile(content, { encoding: 'ascii' }).toString().replace('280 280.25 280.5', 'nan -inf Infinity')
    const opened = await open(Buffer.from(text))
    expect([...(await opened.values('region', 'T', 0)).values].slice(0, 3)).toEqual([NaN, -Infinity, Infinity])
  })

  it('cells of several dimensions become parts of their own', async () => {
    const mixed = {
      ...content,
      connectivity: [...content.connectivity, 0, 1, 2, 5, 6],
      offsets: [4, 8, 16, 19, 21],
      types: [10, 10, 12, 5, 3],
      cellData: [{ name: 'id', type: 'Int32', values: [1, 2, 3, 4, 5] }],
    }
    const opened = await open(vtuFile(mixed, { encoding: 'appended raw' }))
    expect(opened.catalogue.parts.map((p) => [p.name, p.dimension, p.cells])).toEqual([
      ['region', 3, 3],
      ['region faces', 2, 1],
      ['region lines', 1, 1],
    ])
    expect([...(await opened.mesh('region faces', 0)).cellNumbers]).toEqual([3])
  })
})

describe('files that are damaged or hostile get one clear sentence', () => {
  const good = vtuFile(content, { encoding: 'appended raw' })
  const ascii = vtuFile(content, { encoding: 'ascii' }).toString()
  const packed = vtuFile(content, { encoding: 'appended zlib' })
  const change = (from: string | RegExp, to: string): Buffer => Buffer.from(ascii.replace(from, to))
  const rawChange = (from: string, to: string): Buffer => Buffer.from(good.toString('latin1').replace(from, to), 'latin1')

  it.each<[string, Uint8Array, RegExp]>([
    ['empty', Buffer.alloc(0), /is empty/],
    ['not a result file', Buffer.from('hello there'), /of no kind that is read/],
    ['other XML', Buffer.from('<?xml version="1.0"?><html></html>'), /of no kind/],
    ['cut in the header', good.subarray(0, 300), /cut off/],
    ['cut in the data', good.subarray(0, good.length - 200), /cut off/],
    ['a document type', change('<VTKFile', '<!DOCTYPE a [<!ENTITY b "c">]><VTKFile'), /document type/],
    ['tags that do not nest', change('</Points>', '</Cells>'), /closes nothing/],
    ['an unknown grid', change(/UnstructuredGrid/g, 'HyperTreeGrid'), /“HyperTreeGrid”, which is not read/],
    ['no piece', change(/<Piece[\s\S]*<\/Piece>/, ''), /no <Piece>/],
    ['a negative count', change('NumberOfPoints="13"', 'NumberOfPoints="-3"'), /not a usable count/],
    ['a huge count', change('NumberOfCells="3"', 'NumberOfCells="99999999999999"'), /not a usable count/],
    ['a count that does not fit', change('NumberOfPoints="13"', 'NumberOfPoints="14"'), /39 values instead of 42/],
    ['a word among the numbers', change('280.25', 'warm'), /“warm”, which is not a number/],
    ['connectivity out of range', change('5 6 7 8 9', '5 6 7 8 99'), /refers to point 99/],
    ['negative connectivity', change('5 6 7 8 9', '5 6 7 8 -9'), /point number -9/],
    ['falling offsets', change('4 8 16', '8 4 16'), /does not follow/],
    ['an unknown cell type', change('10 10 12', '10 10 77'), /type 77 are not read/],
    ['a quadratic cell with too few nodes', change('10 10 12', '10 10 25'), /has 8 nodes instead of 20/],
    ['a wrong node count', change('4 8 16', '3 8 16'), /has 3 nodes instead of 4/],
    ['an unknown number type', change('type="Float32" Name="T"', 'type="Complex" Name="T"'), /“Complex”/],
    ['absurd components', change('Name="U" NumberOfComponents="3"', 'Name="U" NumberOfComponents="1e9"'), /claims 1e9 components/],
    ['a missing array', change('Name="offsets"', 'Name="other"'), /no array “offsets”/],
    ['an unknown format', rawChange('format="appended"', 'format="embossed"'), /unknown format/],
    [
      'an unknown compressor',
      rawChange('header_type', 'compressor="vtkRunLengthCompressor" header_type'),
      /vtkRunLengthCompressor, which is not read/,
    ],
    ['an offset behind the end', rawChange('offset="0"', 'offset="99999"'), /ends at byte/],
    ['a damaged zlib block', damaged(packed), /damaged|bytes/],
    ['a false byte count', falseCount(good), /claims|needs/],
    [
      'no underscore',
      Buffer.from(good.toString('latin1').replace('>\n  _', '>\n   '), 'latin1').subarray(0, 3000),
      /underscore|cut off|holds no/,
    ],
    [
      'bad base64',
      Buffer.from(
        vtuFile(content, { encoding: 'inline' })
          .toString()
          .replace(/\n {2}\w{8}/, '\n  !!!!!!!!'),
      ),
      /not valid base64/,
    ],
    [
      'no cells',
      vtuFile({ ...content, connectivity: [], offsets: [], types: [], cellData: [] }, { encoding: 'appended raw' }),
      /holds no cells/,
    ],
  ])('%s', async (_, bytes, message) => {
    await expect(readAll(bytes)).rejects.toThrow(message)
    await expect(readAll(bytes)).rejects.toBeInstanceOf(UserError)
  })

  function damaged(bytes: Buffer): Buffer {
    const copy = Buffer.from(bytes)
    copy.fill(0x55, copy.length - 120, copy.length - 90)
    return copy
  }

  function falseCount(bytes: Buffer): Buffer {
    const copy = Buffer.from(bytes)
    copy.writeUInt32LE(0xfffffff0, copy.indexOf('_', copy.indexOf('AppendedData')) + 1)
    return copy
  }

  it('cut at every 7th byte never ends in anything but a sentence', async () => {
    for (let end = 1; end < good.length - 40; end += 7) {
      await expect(readAll(good.subarray(0, end)), `cut at ${end}`).rejects.toBeInstanceOf(UserError)
    }
  })

  it('flipped bytes never end in anything but a result or a sentence', async () => {
    for (let i = 0; i < 300; i++) {
      const copy = Buffer.from(i % 2 ? good : packed)
      const at = (i * 2654435761) % copy.length
      copy[at] = copy[at]! ^ (1 << (i % 8))
      await readAll(copy).catch((error: unknown) => expect(error, `byte ${at}`).toBeInstanceOf(UserError))
    }
  })
})

describe('several files as one case', () => {
  const box = boxMesh({ n: 2, skew: 0 })
  const region = Buffer.concat(
    writeVtk(box, [{ name: 'T', place: 'point', components: 1, values: new Float64Array(27).fill(3), unit: 'K' }], { lengthUnit: 'm' }),
  )
  /** The side x = 1, wound inwards on purpose. */
  const side = Buffer.concat(
    writeVtk(
      {
        points: Float64Array.of(1, 0, 0, 1, 0.5, 0, 1, 0.5, 0.5, 1, 0, 0.5),
        types: Uint8Array.of(9),
        offsets: Uint32Array.of(0, 4),
        connectivity: Uint32Array.of(3, 2, 1, 0),
      },
      [],
      { kind: 'vtp' },
    ),
  )
  const blocks = { 'w.vtu': region, 's.vtp': side }
  const vtm = writeVtm([
    { name: 'Water', file: 'w.vtu' },
    { name: 'Outlet & more', file: 's.vtp' },
  ])

  it('blocks become regions and surfaces, with units, and surfaces turn out of the region they bound', async () => {
    const opened = await open(vtm, 'all.vtm', blocks)
    expect(opened.catalogue.parts.map((p) => [p.name, p.dimension])).toEqual([
      ['Water', 3],
      ['Outlet & more', 2],
    ])
    expect([opened.catalogue.lengthUnit, opened.catalogue.fields[0]!.unit]).toEqual(['m', 'K'])
    const data = await readCase(opened, 0)
    expect(data.catalogue.parts[1]!.owners).toEqual(['Water'])
    const { value } = measureExpression('integral(normal.x, on = "Outlet & more")', evaluatorFor(data, {}).data, ['Water'])
    expect(value).toBeCloseTo(0.25, 14)
  })

  it.each([
    ['a block that is missing', { 'w.vtu': region }, /s\.vtp: there is no such file/],
    ['a block of another kind', blocks, /are read from .vtu, .vtp, .vti, .vtr, .vts files only/],
  ])('%s is named', async (what, files, message) => {
    const file = what.includes('another') ? writeVtm([{ name: 'x', file: 'all.vtm' }]) : vtm
    await expect(open(file, 'all.vtm', files)).rejects.toThrow(message)
  })

  it('numbered files are a series, in the order of their numbers', async () => {
    expect(groupSeries(['a_10.vtu', 'b.vtu', 'a_9.vtu', 'c/a_1.vtu'])).toEqual([['a_9.vtu', 'a_10.vtu'], ['b.vtu'], ['c/a_1.vtu']])
    const at = (time: number, shift = 0): Buffer =>
      vtuFile({ ...content, time, points: content.points.map((x) => x + shift) }, { encoding: 'appended zlib' })
    const folder = new MemoryFolder({ '1.vtu': at(0.5), '2.vtu': at(1), '3.vtu': at(2, 0.25) })
    const opened = await openSeries(await Promise.all(['1.vtu', '2.vtu', '3.vtu'].map((n) => folder.open(n))), folder)
    expect(opened.catalogue.moments.map((m) => [m.value, m.topology])).toEqual([
      [0.5, 0],
      [1, 0],
      [2, 1],
    ])
    expect((await opened.mesh('region', 2)).points[0]).toBe(0.25)
  })
})
