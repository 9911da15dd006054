import { describe, expect, it } from 'vitest'
import { describeCase } from '../../../cli/info'
import { openNamed } from '../../../core/formats/series'
import { likelyPlaces, placedTable } from '../../../core/formats/placedTable'
import { caseOfTable, readTable, tablePositions } from '../../../core/formats/table'
import { writePly, writeStl } from '../../../core/formats/write/surfaces'
import { readCase } from '../../../core/store/memoryCase'
import { evaluatorFor } from '../../support/evaluation'
import { MemoryFolder } from '../../support/vtkFiles'

const open = (name: string, bytes: string | Uint8Array) => openNamed([name], new MemoryFolder({ [name]: Buffer.from(bytes as string) }))
const info = async (name: string, bytes: string | Uint8Array) => describeCase(await readCase(await open(name, bytes), 0))

describe('rows of a table are put into space', () => {
  const rows = readTable('s   px py  pz  x T[K]\n0 -3 -1 0.5 7 280\n1 2.5 -1.5 0.9 8 281', 'c.txt')

  it('as a line in the order of the rows, with all else as fields', async () => {
    const text = placedTable(rows, { places: ['px', 'py', 'pz'], unit: 'cm', isLine: true })
    const data = await readCase(await open('c.csv', text), 0)
    expect(data.catalogue).toMatchObject({ lengthUnit: 'cm', parts: [{ name: 'lines', dimension: 1, points: 2 }] })
    expect(data.catalogue.parts[0]!.bounds).toEqual([-3, -1.5, 0.5, 2.5, -1, 0.9])
    expect(data.catalogue.fields.map(({ name, unit }) => [name, unit])).toEqual([
      ['s', null],
      ['x column', null],
      ['T', 'K'],
    ])
  })

  it('as points, with 0 where no column is', async () => {
    const data = await readCase(await open('c.csv', placedTable(rows, { places: ['s', null, 'pz'], unit: 'm', isLine: false })), 0)
    expect(data.catalogue.parts[0]).toMatchObject({ name: 'points', bounds: [0, 0, 0.5, 1, 0, 0.9] })
  })

  it('or refused', () => {
    const settings = { unit: 'm', isLine: true }
    expect(() => placedTable(rows, { ...settings, places: ['px', 'px', null] })).toThrow('One column stands for two coordinates')
    expect(() => placedTable(rows, { ...settings, places: [null, null, null] })).toThrow('No column says where the rows are')
  })

  it('by the columns that are likely meant', () => {
    expect(likelyPlaces(['s', 'px', 'py', 'pz', 'T'])).toEqual(['px', 'py', 'pz'])
    expect(likelyPlaces(['id', 'X_mm', 'Y_mm', 'p'])).toEqual(['X_mm', 'Y_mm', null])
    expect(likelyPlaces(['east', 'north', 'up', 'T'])).toEqual(['east', 'north', 'up'])
    expect(likelyPlaces(['t', 'T'])).toEqual(['t', 'T', null])
  })
})

describe('positions of a table', () => {
  it('are its columns x, y and z in whatever order, with their unit, or all of three columns', () => {
    expect(tablePositions('sensor;z [mm];x [mm];y [mm]\n1;3,5;1;2\n2;6;4;5', 't.csv')).toEqual({
      positions: [
        [1, 2, 3.5],
        [4, 5, 6],
      ],
      unit: 'mm',
    })
    expect(tablePositions('1 2 3\n4 5 6', 't.csv').positions).toEqual([
      [1, 2, 3],
      [4, 5, 6],
    ])
  })

  it('are missed with a sentence', () => {
    expect(() => tablePositions('r,speed\n1,2', 't.csv')).toThrow('t.csv has no positions; name three columns x, y and z.')
    expect(() => tablePositions('x,y,z\n1,2,3\n1,,3', 't.csv')).toThrow(
      'Row 2 of t.csv has no position; each needs numbers for x, y and z.',
    )
  })
})

describe('tables are told by their looks', () => {
  it.each<[string, string, string[], number[]]>([
    ['commas', 'x,y,T\n1,2,3.5\n4,5,6', ['x', 'y', 'T'], [3.5, 6]],
    ['semicolons', 'x;y;T\n1;2;3.5\n4;5;6', ['x', 'y', 'T'], [3.5, 6]],
    ['semicolons and decimal commas', 'x;y;T\n1,0;2,0;3,5\n4;5;6', ['x', 'y', 'T'], [3.5, 6]],
    ['tabs', 'x\ty\tT\n1\t2\t3.5\n4\t5\t6', ['x', 'y', 'T'], [3.5, 6]],
    ['spaces', 'x   y  T\n1 2 3.5\n 4   5 6', ['x', 'y', 'T'], [3.5, 6]],
    ['spaces and decimal commas', 'x y T\n1,5 2,5 3,5\n4,0 5,0 6,0', ['x', 'y', 'T'], [3.5, 6]],
    ['comments and empty lines', '# made by hand\n\nx,y,T\n# here it begins\n1,2,3.5\n\n4,5,6\n', ['x', 'y', 'T'], [3.5, 6]],
    ['ends of lines of another system', 'x,y,T\r\n1,2,3.5\r\n4,5,6\r\n', ['x', 'y', 'T'], [3.5, 6]],
    ['quoted names', '"x","y","T"\n1,2,3.5\n4,5,6', ['x', 'y', 'T'], [3.5, 6]],
    ['no names', '1 2 3.5\n4 5 6', ['column 1', 'column 2', 'column 3'], [3.5, 6]],
    ['exponents, also of Fortran', 'x,y,T\n1,2,0.35D+01\n4,5,6e0', ['x', 'y', 'T'], [3.5, 6]],
  ])('%s', (_, text, names, last) => {
    const { columns, nRows } = readTable(text, 't.csv')
    expect(columns.map((c) => c.name)).toEqual(names)
    expect([...columns[2]!.values]).toEqual(last)
    expect(nRows).toBe(2)
  })

  it('units stand behind names, in brackets or parentheses; what is no unit stays in the name', () => {
    const { columns } = readTable('x [mm],speed (m/s),T [°C],note (first)\n1,2,3,4', 't.csv')
    expect(columns.map((c) => [c.name, c.unit])).toEqual([
      ['x', 'mm'],
      ['speed', 'm/s'],
      ['T', '°C'],
      ['note (first)', null],
    ])
  })

  it('a column of nothing but texts names the points', async () => {
    const file = 'x,sensor,y,z,T\n0,T1,0,0,280\n1,"T2, lee",0,0,n/a\n2,,0,0,282'
    expect(readTable(file, 't.csv')).toMatchObject({ labels: ['T1', 'T2, lee', ''], nTexts: 1, nRows: 3 })
    const { catalogue } = caseOfTable(readTable(file, 't.csv'), 't.csv')
    expect(catalogue.parts).toMatchObject([{ name: 'points', labels: { by: 'row', texts: ['T1', 'T2, lee', ''] } }])
    expect(catalogue.fields.map(({ name }) => name)).toEqual(['T', 'row'])
    expect(catalogue.cautions).toEqual(['1 cell of the table holds no number: “n/a” in T, line 3.'])
  })

  it('texts and gaps are not-a-number, and texts are counted', () => {
    const { columns, nTexts } = readTable('x,T\n1,warm\n2,\n3,nan\n4,-inf', 't.csv')
    expect([...columns[1]!.values]).toEqual([NaN, NaN, NaN, -Infinity])
    expect(nTexts).toBe(1)
  })

  it.each([
    ['nothing but a header', 'x,y,z\n', /no rows of numbers/],
    ['only texts', 'a,b\nc,d\ne,f', /no rows of numbers/],
    ['only comments', '# x\n# y\n', /no rows of numbers/],
  ])('%s is refused', (_, text, message) => expect(() => readTable(text, 't.csv')).toThrow(message))
})

describe('points from tables', () => {
  it('carry fields with units, and vectors of their components', async () => {
    const text = 'x [mm],y [mm],z [mm],T [K],U.x [m/s],U.y [m/s],U.z [m/s],v_x,v_y\n0,0,0,290,1,2,2,5,6\n1,0,0,291,0,3,4,5,6\n'
    const opened = await open('p.csv', text)
    expect(opened.catalogue).toMatchObject({ lengthUnit: 'mm', parts: [{ name: 'points', dimension: 0, cells: 2 }] })
    expect(opened.catalogue.fields.map((f) => [f.name, f.components, f.unit])).toEqual([
      ['T', 1, 'K'],
      ['U', 3, 'm/s'],
      ['v_x', 1, null],
      ['v_y', 1, null],
    ])
    const { fields } = await info('p.csv', text)
    expect(fields.find((f) => f.name === 'U')).toMatchObject({ min: 3, max: 5 })
    expect(fields.find((f) => f.name === 'T')).toMatchObject({ min: 290, mean: 290.5, max: 291 })
  })

  it('of equal numbers in a column “line” make polylines', async () => {
    const opened = await open('l.csv', 'line,x,y,s\n1,0,0,0\n1,3,4,5\n2,9,9,0\n1,3,5,6\n')
    expect(opened.catalogue.parts).toMatchObject([{ name: 'lines', dimension: 1, cells: 1 }])
    const named = await open('n.csv', 'line,x,y,name\n1,0,0,a\n1,3,4,b\n')
    expect(named.catalogue.cautions).toEqual([expect.stringContaining('the column of texts is left out')])
    expect([...(await opened.mesh('lines', 0)).connectivity]).toEqual([0, 1, 1, 3])
  })

  it('lines and points are named with their size, as regions and surfaces are', async () => {
    const lines = await info('l.csv', 'line,x,y,s\n1,0,0,0\n1,3,4,5\n2,9,9,0\n1,3,5,6\n')
    expect([lines.lines, lines.clouds]).toEqual([[{ name: 'lines', lines: 1, points: 4, length: 6 }], []])
    const points = await info('p.csv', 'x,y,T\n0,0,1\n1,0,3\n2,0,5\n')
    expect([points.lines, points.clouds]).toEqual([[], [{ name: 'points', points: 3 }]])
    expect(points.fields[0]).toMatchObject({ name: 'T', region: 'points', min: 1, mean: 3, max: 5 })
  })

  it('without columns for a place are XY data along the first one', async () => {
    const text = 'time [s];T [°C];v_x;v_y;v_z\n2;20,5;0;3;4\n;1;0;0;0\n1;21,5;0;0;1\n1;22;0;0;2\n'
    const opened = await open('q.csv', text)
    expect(opened.catalogue.parts).toMatchObject([{ name: 'table', dimension: 0, points: 3, abscissa: { name: 'time', unit: 's' } }])
    expect(opened.catalogue.fields.map((f) => [f.name, f.components, f.unit])).toEqual([
      ['T', 1, '°C'],
      ['v', 3, null],
    ])
    expect(opened.catalogue.cautions).toEqual(['1 rows without a number in time are left out.'])
    // every row counts the same, wherever it stands
    expect((await info('q.csv', text)).fields.find((f) => f.name === 'T')).toMatchObject({ min: 20.5, max: 22, mean: 64 / 3 })
    const evaluator = evaluatorFor(await readCase(opened, 0), {
      p: { kind: 'plot', inputs: { along: [{ part: 'table' }], in: [] }, settings: { variable: 'v', samples: 10 } },
    })
    const { x, y, series } = evaluator.curve('p')
    expect([x, y.name]).toEqual([{ name: 'time', unit: 's' }, 'mag(v)'])
    expect([[...series[0]!.x], [...series[0]!.y]]).toEqual([
      [2, 1, 1],
      [5, 1, 2],
    ])
  })

  it.each([
    ['one column alone', 'T\n1\n2\n', /has one column alone, T: there is nothing/],
    ['a first column of texts', 'who,T\nAnna,1\nBert,2\n', /no numbers in its first column, who/],
  ])('with %s are refused', async (_, text, message) => expect(open('q.csv', text)).rejects.toThrow(message))

  it('with texts carry a caution', async () => {
    expect((await open('c.csv', 'x,y,T\n0,0,hot\n1,0,280\n')).catalogue.cautions).toEqual([
      '1 cell of the table holds no number: “hot” in T, line 2.',
    ])
  })
})

/** A tetrahedron's surface. */
const corners = [
  [0, 0, 0],
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
] as const
const faces = [
  [0, 2, 1],
  [0, 1, 3],
  [1, 2, 3],
  [2, 0, 3],
] as const
const AREA = 1.5 + Math.sqrt(3) / 2
const triangles = { points: Float64Array.from(corners.flat()), elements: Uint32Array.from(faces.flat()) }

function asciiStl(name: string, list: readonly (readonly number[])[] = faces): string {
  const facets = list.map(
    (face) => `facet normal 0 0 0\n outer loop\n${face.map((p) => `  vertex ${corners[p]!.join(' ')}`).join('\n')}\n endloop\nendfacet`,
  )
  return `solid ${name}\n${facets.join('\n')}\nendsolid ${name}\n`
}

describe('STL', () => {
  it.each<[string, string | Uint8Array]>([
    ['ASCII', asciiStl('tetra')],
    ['binary', writeStl(triangles)],
  ])('%s closes: corners become points once', async (_, bytes) => {
    const { surfaces } = await info('t.stl', bytes)
    expect(surfaces).toMatchObject([{ faces: 4 }])
    expect(surfaces[0]!.area).toBeCloseTo(AREA, 6)
    const opened = await open('t.stl', bytes)
    expect(opened.catalogue.parts[0]).toMatchObject({ points: 4, cells: 4, cellTypes: { triangle: 4 } })
  })

  it('several solids are several surfaces', async () => {
    const opened = await open(
      't.stl',
      asciiStl('wall', faces.slice(0, 2)) + asciiStl('lid', faces.slice(2)) + asciiStl('wall', faces.slice(3)),
    )
    expect(opened.catalogue.parts.map((p) => [p.name, p.cells])).toEqual([
      ['wall', 2],
      ['lid', 2],
      ['wall 2', 1],
    ])
  })

  it('a binary file that begins with “solid” is known by its length', async () => {
    const bytes = Buffer.from(writeStl(triangles))
    bytes.write('solid but binary')
    expect((await info('t.stl', bytes)).surfaces[0]!.faces).toBe(4)
  })

  it.each<[string, string | Uint8Array, RegExp]>([
    ['cut in the data', writeStl(triangles).subarray(0, 200), /claims 4 triangles, but ends at byte 200 after 2: it is cut off/],
    ['cut in the header', writeStl(triangles).subarray(0, 40), /within its header: it is cut off/],
    ['cut ASCII', asciiStl('t').slice(0, 150), /cut off|not three vertices/],
    ['a word too much', asciiStl('t').replace('outer', 'other'), /“other” at byte \d+ is no word/],
    ['two vertices', asciiStl('t').replace(/ {2}vertex.*\n/, ''), /not three vertices/],
    ['a word for a number', asciiStl('t').replace('vertex 0 0 0', 'vertex 0 zero 0'), /“zero” at byte \d+ should be a number/],
  ])('%s', async (_, bytes, message) => {
    await expect(open('t.stl', bytes).then((o) => readCase(o, 0))).rejects.toThrow(message)
  })
})

describe('PLY', () => {
  const header = (format: string, extra = ''): string =>
    `ply\nformat ${format} 1.0\ncomment by hand\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\n` +
    `property uchar heat\nelement face 4\nproperty list uchar int vertex_indices\nproperty short zone\n${extra}end_header\n`
  const ascii =
    `${header('ascii')}${corners.map((c, i) => `${c.join(' ')} ${10 * i}`).join('\n')}\n` +
    `${faces.map((f, i) => `3 ${f.join(' ')} ${i - 2}`).join('\n')}\n`
  const big = Buffer.concat([
    Buffer.from(header('binary_big_endian')),
    ...corners.map((c, i) => {
      const out = Buffer.alloc(13)
      c.forEach((x, d) => out.writeFloatBE(x, 4 * d))
      out.writeUInt8(10 * i, 12)
      return out
    }),
    ...faces.map((f, i) => {
      const out = Buffer.alloc(15)
      out.writeUInt8(3)
      f.forEach((p, k) => out.writeInt32BE(p, 1 + 4 * k))
      out.writeInt16BE(i - 2, 13)
      return out
    }),
  ])

  it.each<[string, string | Uint8Array]>([
    ['ASCII', ascii],
    ['big-endian', big],
  ])('%s with attributes of points and faces', async (_, bytes) => {
    const { surfaces, fields } = await info('t.ply', bytes)
    expect(surfaces[0]).toMatchObject({ faces: 4 })
    expect(surfaces[0]!.area).toBeCloseTo(AREA, 12)
    expect(fields.map((f) => [f.name, f.on, f.min, f.max])).toEqual([
      ['heat', 'points', 0, 30],
      ['zone', 'cells', -2, 1],
    ])
  })

  it('little-endian, as it is written', async () => {
    const { fields } = await info('t.ply', writePly({ ...triangles, fields: [{ name: 'a b', values: [1, 2, 3, 4] }] }))
    expect(fields).toMatchObject([{ name: 'a_b', min: 1, max: 4 }])
  })

  it('without faces is a cloud of points', async () => {
    const text =
      'ply\nformat ascii 1.0\nelement vertex 2\nproperty double x\nproperty double y\nproperty double z\nproperty double q\n' +
      'end_header\n0 0 0 5\n1 1 1 7\n'
    const opened = await open('c.ply', text)
    expect(opened.catalogue.parts).toMatchObject([{ name: 'points', dimension: 0, cells: 2 }])
    expect([...(await opened.values('points', 'q', 0)).values]).toEqual([5, 7])
  })

  it.each<[string, string | Uint8Array, RegExp]>([
    ['an unknown encoding', ascii.replace('ascii', 'morse'), /unknown kind “morse”/],
    ['an unknown type', ascii.replace('property uchar heat', 'property quad heat'), /“property quad heat” is not known/],
    ['a false count', ascii.replace('vertex 4', 'vertex 400000'), /400000 elements/],
    ['no coordinates', ascii.replace('float x', 'float a'), /no vertices with x, y and z/],
    ['a face beyond the points', ascii.replace('3 0 2 1', '3 0 2 9'), /refers to point 9/],
    ['a negative point', ascii.replace('3 0 2 1', '3 0 2 -1'), /refers to point -1,/],
    ['cut off', big.subarray(0, big.length - 9), /cut off/],
    ['a header without end', ascii.slice(0, 60), /end_header/],
  ])('%s', async (_, bytes, message) => {
    await expect(open('t.ply', bytes).then((o) => readCase(o, 0))).rejects.toThrow(message)
  })
})

describe('workbooks', () => {
  const workbook = async (sheets: Record<string, (string | number | Date | null)[][]>): Promise<Uint8Array> => {
    const { default: excel } = await import('exceljs')
    const book = new excel.Workbook()
    for (const [name, rows] of Object.entries(sheets)) book.addWorksheet(name).addRows(rows)
    return new Uint8Array(await book.xlsx.writeBuffer())
  }
  const measured = [['Measured on Monday'], ['s', 'T', 'off by'], ['mm', 'K', 'K'], [0, 285.25, 0.5], [250, null, 0.5], [1000, 290, 1]]

  it('are read from the first sheet with numbers, with units below names and what stands above them left out', async () => {
    const data = await readCase(await open('m.xlsx', await workbook({ Notes: [['by hand']], Rows: measured, Old: [[1, 2]] })), 0)
    const [part] = data.catalogue.parts
    expect(part).toMatchObject({ points: 3, abscissa: { name: 's', unit: 'mm' } })
    expect(data.catalogue.fields.map(({ name, unit }) => [name, unit])).toEqual([
      ['T', 'K'],
      ['off by', 'K'],
    ])
    expect(data.catalogue.cautions).toContain('Only the sheet “Rows” is read; others with numbers are “Old”.')
  })

  it('that hold no numbers, or are damaged, are refused with a sentence', async () => {
    await expect(open('m.xlsx', await workbook({ Notes: [['by hand']] }))).rejects.toThrow('m.xlsx has no sheet with rows of numbers')
    const bytes = await workbook({ Rows: measured })
    await expect(open('m.xlsx', bytes.slice(0, bytes.length >> 1))).rejects.toThrow('m.xlsx is damaged or is no workbook')
  })

  it('give error bars in the unit of the values', async () => {
    const data = await readCase(
      await open('m.xlsx', await workbook({ Rows: [...measured.slice(0, 2), ['mm', 'K', 'mK'], ...measured.slice(3)] })),
      0,
    )
    const [part] = data.catalogue.parts
    const along = [{ part: part!.name, isOuter: false }]
    const settings = { variable: 'T', against: 'length', abscissa: '', samples: 2, spacing: 'even', errors: 'column', error: 'off by' }
    const { series } = evaluatorFor(data, { plot: { kind: 'plot', inputs: { along, in: [] }, settings } }).curve('plot')
    expect([...series[0]!.x]).toEqual([0, 250, 1000])
    expect([...series[0]!.y]).toEqual([285.25, NaN, 290])
    expect([...series[0]!.errors!]).toEqual([0.5, 0.5, 1].map((off) => expect.closeTo(off / 1000, 12) as number))
  })
})
