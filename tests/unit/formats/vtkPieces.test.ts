import { describe, expect, it } from 'vitest'
import { describeCase } from '../../../cli/info'
import { openNamed } from '../../../core/formats/series'
import { readCase } from '../../../core/store/memoryCase'
import { checkBox } from '../../support/checkBox'
import { evaluatorFor } from '../../support/evaluation'
import { MemoryFolder, vtuFile } from '../../support/vtkFiles'
import type { FileArray } from '../../support/vtkFiles'
import { facesOf } from '../../support/writers/hdf5'
import { boxModel, COUNTS, SIZE } from '../../support/writers/model'

const model = boxModel()
const { points, cells, temperature, velocity, pressure } = model

interface PieceOptions {
  ghosts?: (cell: number) => number
  ghostName?: string
}

/** A `.vtu` of some cells of the box with only the points they use. */
function pieceOf(own: readonly number[], { ghosts, ghostName = 'vtkGhostType' }: PieceOptions = {}): Buffer {
  const used = [...new Set(own.flatMap((c) => cells[c]!))].sort((a, b) => a - b)
  const local = new Map(used.map((p, i) => [p, i]))
  const cellData: FileArray[] = [{ name: 'p', type: 'Float64', values: own.map((c) => pressure[c]!) }]
  if (ghosts) cellData.push({ name: ghostName, type: 'UInt8', values: own.map(ghosts) })
  return vtuFile(
    {
      points: used.flatMap((p) => points[p]!),
      connectivity: own.flatMap((c) => cells[c]!.map((p) => local.get(p)!)),
      offsets: own.map((_, i) => 8 * (i + 1)),
      types: own.map(() => 12),
      pointData: [
        { name: 'T', type: 'Float64', values: used.map((p) => temperature[p]!) },
        { name: 'U', type: 'Float64', components: 3, values: used.flatMap((p) => velocity[p]!) },
      ],
      cellData,
      time: 4,
    },
    { encoding: 'appended raw' },
  )
}

function partitioned(files: readonly string[], kind = 'PUnstructuredGrid'): Buffer {
  const pieces = files.map((file) => `<Piece Source="${file}"/>`).join('')
  return Buffer.from(
    `<?xml version="1.0"?>\n<VTKFile type="${kind}" version="1.0"><${kind} GhostLevel="1"><PPoints/>${pieces}</${kind}></VTKFile>\n`,
  )
}

const all = cells.map((_, c) => c)
const halves = [all.filter((c) => c < 11), all.filter((c) => c >= 11)]

describe('partitioned files', () => {
  it('are joined where they touch, without doubles', async () => {
    const files = { 'a.pvtu': partitioned(['a/0.vtu', 'a/1.vtu']), 'a/0.vtu': pieceOf(halves[0]!), 'a/1.vtu': pieceOf(halves[1]!) }
    const { catalogue } = await checkBox(new MemoryFolder(files), 'a.pvtu', { T: 'T', U: 'U', p: 'p', windowed: ['T', 'U', 'p'] })
    expect(catalogue.moments).toMatchObject([{ kind: 'time', value: 4 }])
  })

  it.each(['vtkGhostType', 'vtkGhostLevels'])('ghost cells marked by %s are left out and counted', async (ghostName) => {
    // each half also has the first cells of the other
    const wide = [halves[0]!.concat([11, 12, 13]), [9, 10].concat(halves[1]!)]
    const files = {
      'a.pvtu': partitioned(['0.vtu', '1.vtu']),
      '0.vtu': pieceOf(wide[0]!, { ghosts: (c) => Number(c >= 11), ghostName }),
      '1.vtu': pieceOf(wide[1]!, { ghosts: (c) => Number(c < 11), ghostName }),
    }
    const { catalogue } = await checkBox(new MemoryFolder(files), 'a.pvtu', { T: 'T', p: 'p', windowed: ['T', 'U', 'p'] })
    expect(catalogue.cautions).toEqual(['5 ghost or hidden cells of region are left out.'])
    expect(catalogue.parts[0]).toMatchObject({ cells: 24, ghostCells: 5 })
    expect(catalogue.fields.map((f) => f.name)).toEqual(['T', 'U', 'p'])
  })

  it('one without cells may lack the arrays of the others', async () => {
    const empty = vtuFile({ points: [], connectivity: [], offsets: [], types: [] }, { encoding: 'appended raw' })
    const files = { 'a.pvtu': partitioned(['0.vtu', '1.vtu']), '0.vtu': empty, '1.vtu': pieceOf(all) }
    await checkBox(new MemoryFolder(files), 'a.pvtu', { T: 'T', U: 'U' })
  })

  it.each<[string, Record<string, Uint8Array>, RegExp]>([
    ['a piece that is missing', { '0.vtu': pieceOf(halves[0]!) }, /1\.vtu: there is no such file/],
    [
      'a piece of another kind',
      { '0.vtu': pieceOf(halves[0]!), '1.vtu': Buffer.from('<VTKFile type="PolyData"><PolyData/></VTKFile>') },
      /names 1\.vtu as a piece, but that holds “PolyData” instead of UnstructuredGrid/,
    ],
    ['a piece that is cut off', { '0.vtu': pieceOf(halves[0]!), '1.vtu': pieceOf(halves[1]!).subarray(0, 900) }, /cut off/],
  ])('%s is named before anything is read', async (_, files, message) => {
    const folder = new MemoryFolder({ 'a.pvtu': partitioned(['0.vtu', '1.vtu']), ...files })
    await expect(openNamed(['a.pvtu'], folder).then((o) => readCase(o, 0))).rejects.toThrow(message)
  })
})

describe('structured files', () => {
  const extent = COUNTS.map((n) => `0 ${n}`).join(' ')
  const array = (name: string, values: readonly number[], components = 1): string =>
    `<DataArray type="Float64" Name="${name}" NumberOfComponents="${components}" format="ascii">${values.join(' ')}</DataArray>`
  const data =
    `<PointData>${array('T', temperature)}${array('U', velocity.flat(), 3)}</PointData>` + `<CellData>${array('p', pressure)}</CellData>`
  const file = (kind: string, attributes: string, inside: string): Buffer =>
    Buffer.from(
      `<?xml version="1.0"?><VTKFile type="${kind}" byte_order="LittleEndian"><${kind} WholeExtent="${extent}" ${attributes}>` +
        `<Piece Extent="${extent}">${inside}${data}</Piece></${kind}></VTKFile>`,
    )
  const axis = (d: number): number[] => Array.from({ length: COUNTS[d]! + 1 }, (_, i) => (SIZE[d]! * i) / COUNTS[d]!)
  const spacing = COUNTS.map((n, d) => SIZE[d]! / n).join(' ')
  const files: Record<string, Buffer> = {
    'a.vti': file('ImageData', `Origin="0 0 0" Spacing="${spacing}"`, ''),
    'a.vtr': file('RectilinearGrid', '', `<Coordinates>${[0, 1, 2].map((d) => array(`c${d}`, axis(d))).join('')}</Coordinates>`),
    'a.vts': file('StructuredGrid', '', `<Points>${array('Points', points.flat(), 3)}</Points>`),
  }

  it.each(Object.keys(files))('%s', async (name) => {
    await checkBox(new MemoryFolder({ [name]: files[name]! }), name, { T: 'T', U: 'U', p: 'p' })
  })

  it.each(Object.keys(files))('%s has planes at indices', async (name) => {
    const read = await readCase(await openNamed([name], new MemoryFolder({ [name]: files[name]! })), 0)
    const steps = {
      plane: {
        kind: 'index-plane',
        inputs: { of: [{ part: 'region' }] },
        settings: { axis: 'j', index: 2, series: 'one', count: 1, spacing: 1 },
      },
    }
    const { points, cells } = evaluatorFor(read, steps).shape('plane')
    expect(cells).toHaveLength(2 * COUNTS[0]! * COUNTS[2]!)
    for (let p = 1; p < points.length; p += 3) expect(points[p]).toBeCloseTo(SIZE[1]! / COUNTS[1]!, 6)
  })

  it('an image that is turned and begins elsewhere', async () => {
    const text =
      `<VTKFile type="ImageData"><ImageData WholeExtent="2 4 0 1 0 0" Origin="10 0 0" Spacing="1 2 1" Direction="0 -1 0 ` +
      `1 0 0 0 0 1"><Piece Extent="2 4 0 1 0 0"></Piece></ImageData></VTKFile>`
    const info = describeCase(await readCase(await openNamed(['b.vti'], new MemoryFolder({ 'b.vti': Buffer.from(text) })), 0))
    // flat: two quads of 1 × 2, turned by a quarter about z
    expect(info.surfaces).toMatchObject([{ name: 'region', faces: 2, area: 4 }])
    const mesh = await (await openNamed(['b.vti'], new MemoryFolder({ 'b.vti': Buffer.from(text) }))).mesh('region', 0)
    expect([...mesh.points.subarray(0, 6)]).toEqual([10, 2, 0, 10, 3, 0])
  })

  it.each<[string, string, RegExp]>([
    ['an extent of five numbers', files['a.vti']!.toString().replaceAll(extent, '0 4 0 3 0'), /no usable extent/],
    ['an extent that ends before it begins', files['a.vti']!.toString().replaceAll(extent, '4 0 0 3 0 2'), /no usable extent/],
    ['a huge extent', files['a.vti']!.toString().replaceAll(extent, '0 99999 0 99999 0 99999'), /no usable extent/],
    [
      'letters for a spacing',
      files['a.vti']!.toString().replace(`Spacing="${spacing}"`, 'Spacing="a b c"'),
      /Spacing="a b c" is not usable/,
    ],
    ['too few coordinates', files['a.vtr']!.toString().replace(/<DataArray[^>]*Name="c2".*?<\/DataArray>/, ''), /lacks coordinates/],
    [
      'values that do not fit',
      files['a.vts']!.toString().replace('Name="p" NumberOfComponents="1"', 'Name="p" NumberOfComponents="2"'),
      /24 values instead of 48/,
    ],
  ])('%s', async (_, text, message) => {
    const name = text.includes('ImageData') ? 'a.vti' : text.includes('Rectilinear') ? 'a.vtr' : 'a.vts'
    await expect(openNamed([name], new MemoryFolder({ [name]: Buffer.from(text) })).then((o) => readCase(o, 0))).rejects.toThrow(message)
  })
})

describe.each(['ascii', 'inline', 'appended zlib'] as const)('polyhedra, %s', (encoding) => {
  const { faces, ofCell } = facesOf(model)
  const streamOf = (c: number, local = (p: number): number => p): number[] => [
    ofCell[c]!.length,
    ...ofCell[c]!.flatMap((f) => [4, ...faces[Math.abs(f) - 1]!.map(local)]),
  ]
  const streams = all.map((c) => streamOf(c))
  const int = (name: string, values: readonly number[]): FileArray => ({ name, type: 'Int64', values })
  const usedBy = (own: readonly number[]): number[] => [...new Set(own.flatMap((c) => cells[c]!))].sort((x, y) => x - y)
  const localIn = (own: readonly number[]): ((p: number) => number) => {
    const numbers = new Map(usedBy(own).map((p, i) => [p, i]))
    return (p) => numbers.get(p)!
  }
  const piece = (own: readonly number[], cellArrays: readonly FileArray[]): Buffer =>
    vtuFile(
      {
        ...{
          points: usedBy(own).flatMap((p) => points[p]!),
          connectivity: own.flatMap((c) => cells[c]!.map(localIn(own))),
          offsets: own.map((_, i) => 8 * (i + 1)),
          types: own.map(() => 42),
          cellArrays,
        },
        ...{
          pointData: [{ name: 'T', type: 'Float64', values: usedBy(own).map((p) => temperature[p]!) }],
          cellData: [{ name: 'p', type: 'Float64', values: own.map((c) => pressure[c]!) }],
        },
      },
      { encoding },
    )
  const older = (own: readonly number[]): FileArray[] => {
    let end = 0
    return [
      int(
        'faces',
        own.flatMap((c) => streamOf(c, localIn(own))),
      ),
      int(
        'faceoffsets',
        own.map((c) => (end += streams[c]!.length)),
      ),
    ]
  }
  const windowed = encoding === 'ascii' ? undefined : ['T', 'p']

  it('in the older form: one stream of faces', async () => {
    await checkBox(new MemoryFolder({ 'a.vtu': piece(all, older(all)) }), 'a.vtu', { T: 'T', p: 'p', windowed })
  })

  it('in the newer form: faces named by number', async () => {
    const newer = [
      int('face_connectivity', faces.flat()),
      int(
        'face_offsets',
        faces.map((_, f) => 4 * (f + 1)),
      ),
      int(
        'polyhedron_to_faces',
        ofCell.flat().map((f) => Math.abs(f) - 1),
      ),
      int(
        'polyhedron_offsets',
        ofCell.map((_, c) => 6 * (c + 1)),
      ),
    ]
    await checkBox(new MemoryFolder({ 'a.vtu': piece(all, newer) }), 'a.vtu', { T: 'T', p: 'p', windowed })
    const false_ = newer.map((array) =>
      array.name === 'polyhedron_to_faces' ? { ...array, values: array.values.map((f, i) => (i === 40 ? 777 : f)) } : array,
    )
    await expect(checkBox(new MemoryFolder({ 'a.vtu': piece(all, false_) }), 'a.vtu', {})).rejects.toThrow(
      /polyhedron \d+ .*names a face that is not there/,
    )
  })

  it('in several pieces, joined where they touch', async () => {
    const files = {
      'a.pvtu': partitioned(['0.vtu', '1.vtu']),
      ...Object.fromEntries(halves.map((half, k) => [`${k}.vtu`, piece(half, older(half))])),
    }
    await checkBox(new MemoryFolder(files), 'a.pvtu', { T: 'T', p: 'p', windowed })
  })

  it('among other cells, whose faces have no place in the list', async () => {
    const isOther = (c: number): boolean => c % 3 === 0 || (c > 8 && c < 15)
    let end = 0
    const list = [
      int(
        'faces',
        all.filter((c) => !isOther(c)).flatMap((c) => streams[c]!),
      ),
      int(
        'faceoffsets',
        all.map((c) => (isOther(c) ? -1 : (end += streams[c]!.length))),
      ),
    ]
    const mixed = vtuFile(
      {
        points: points.flat(),
        connectivity: cells.flat(),
        offsets: cells.map((_, i) => 8 * (i + 1)),
        types: all.map((c) => (isOther(c) ? 12 : 42)),
        cellArrays: list,
        pointData: [{ name: 'T', type: 'Float64', values: temperature }],
      },
      { encoding },
    )
    await checkBox(new MemoryFolder({ 'a.vtu': mixed }), 'a.vtu', { T: 'T', windowed: windowed && ['T'] })
    const short = piece(
      all,
      older(all).map((array) =>
        array.name === 'faceoffsets' ? { ...array, values: array.values.map((x, i) => (i === 5 ? 3 : x)) } : array,
      ),
    )
    await expect(checkBox(new MemoryFolder({ 'a.vtu': short }), 'a.vtu', {})).rejects.toThrow(
      /polyhedron 5 ends at number 3 of the list of faces/,
    )
  })

  it('whose faces are missing or false are refused', async () => {
    await expect(checkBox(new MemoryFolder({ 'a.vtu': piece(all, []) }), 'a.vtu', {})).rejects.toThrow(/no array “face/)
    const [list, ends] = older(all)
    const false_ = { ...list!, values: list!.values.map((n, i) => (i === 1 ? 999 : n)) }
    await expect(checkBox(new MemoryFolder({ 'a.vtu': piece(all, [false_, ends!]) }), 'a.vtu', {})).rejects.toThrow(
      /faces of polyhedron \d+ are inconsistent/,
    )
  })
})
