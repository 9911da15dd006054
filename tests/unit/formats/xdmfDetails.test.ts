import { writeFile } from 'node:fs/promises'
import { describe, expect, it } from 'vitest'
import { ownFolder } from '../../support/ownFolder'

const { path, open, info } = ownFolder()

describe('XDMF', () => {
  const tetra = '<Topology TopologyType="Tetrahedron" NumberOfElements="1"><DataItem Dimensions="1 4">0 1 2 3</DataItem></Topology>'
  const xyz = '<Geometry GeometryType="XYZ"><DataItem Dimensions="4 3">0 0 0 1 0 0 0 1 0 0 0 1</DataItem></Geometry>'
  const file = (body: string): string => `<?xml version="1.0"?><Xdmf Version="2.0"><Domain>${body}</Domain></Xdmf>`
  const put = (body: string): Promise<void> => writeFile(path('a.xmf'), file(body))

  it('a spatial collection is a region for each grid', async () => {
    const far = xyz.replace('0 0 0 1 0 0 0 1 0 0 0 1', '5 0 0 7 0 0 5 2 0 5 0 2')
    await put(
      `<Grid GridType="Collection" CollectionType="Spatial"><Grid Name="near">${tetra}${xyz}</Grid><Grid Name="far">${tetra}${far}` +
        `</Grid></Grid>`,
    )
    expect((await info('a.xmf')).regions.map((r) => [r.name, Number(r.volume.toFixed(12))])).toEqual([
      ['near', Number((1 / 6).toFixed(12))],
      ['far', Number((8 / 6).toFixed(12))],
    ])
  })

  it('parts named elsewhere in the document, by number or by name', async () => {
    const shared = `<DataItem Name="nodes" Dimensions="4 3">0 0 0 1 0 0 0 1 0 0 0 1</DataItem>${tetra}`
    const grid =
      '<Grid Name="g"><Topology Reference="/Xdmf/Domain/Topology[1]"/><Geometry GeometryType="XYZ"><DataItem Reference="XML">' +
      '/Xdmf/Domain/DataItem[@Name="nodes"]</DataItem></Geometry></Grid>'
    await put(shared + grid)
    expect((await info('a.xmf')).regions[0]!.volume).toBeCloseTo(1 / 6, 12)
  })

  it('times listed for a whole collection, and a mesh that moves', async () => {
    const moved = xyz.replace('0 0 1</DataItem>', '0 0 2</DataItem>')
    const grids = [xyz, xyz, moved].map((geometry) => `<Grid>${tetra}${geometry}</Grid>`).join('')
    await put(
      `<Grid GridType="Collection" CollectionType="Temporal"><Time TimeType="HyperSlab"><DataItem Dimensions="3">10 5 3</DataItem>` +
        `</Time>${grids}</Grid>`,
    )
    const { catalogue } = await open('a.xmf')
    expect(catalogue.moments.map((m) => [m.value, m.coordinates])).toEqual([
      [10, 0],
      [15, 0],
      [20, 1],
    ])
    expect((await info('a.xmf', 2)).regions[0]!.volume).toBeCloseTo(2 / 6, 12)
  })

  it.each([
    ['Little', 0],
    ['Big', 16],
  ] as const)('binary files, %s-endian from byte %d', async (endian, seek) => {
    const bytes = Buffer.alloc(seek + 96)
    ;[0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1].forEach((x, i) =>
      endian === 'Big' ? bytes.writeDoubleBE(x, seek + 8 * i) : bytes.writeDoubleLE(x, seek + 8 * i),
    )
    await writeFile(path('nodes.bin'), bytes)
    const item =
      `<DataItem Dimensions="4 3" Format="Binary" Endian="${endian}" Seek="${seek}" NumberType="Float" Precision="8">` +
      `nodes.bin</DataItem>`
    await put(`<Grid>${tetra}<Geometry GeometryType="XYZ">${item}</Geometry></Grid>`)
    expect((await info('a.xmf')).regions[0]!.volume).toBeCloseTo(1 / 6, 12)
    await put(`<Grid>${tetra}<Geometry GeometryType="XYZ">${item.replace('4 3', '9 3')}</Geometry></Grid>`)
    await expect(info('a.xmf')).rejects.toThrow(/nodes\.bin should hold 216 bytes.*cut off/)
  })

  it('mixed cells, polyhedra and lines among them', async () => {
    const list = [6, 0, 1, 2, 3, 16, 4, 3, 0, 1, 2, 3, 0, 3, 1, 3, 1, 3, 2, 3, 2, 3, 0, 2, 2, 0, 1]
    await put(
      `<Grid><Topology TopologyType="Mixed" NumberOfElements="3"><DataItem Dimensions="${list.length}">${list.join(' ')}</DataItem>` +
        `</Topology>${xyz}</Grid>`,
    )
    const { catalogue } = await open('a.xmf')
    expect(catalogue.parts.map((p) => [p.name, p.cells])).toEqual([
      ['region', 2],
      ['region lines', 1],
    ])
    expect((await info('a.xmf')).regions[0]!.volume).toBeCloseTo(2 / 6, 12)
  })

  it('two dimensions, and coordinates axis by axis', async () => {
    const triangle = '<Topology TopologyType="Triangle" NumberOfElements="1"><DataItem Dimensions="1 3">0 1 2</DataItem></Topology>'
    await put(`<Grid>${triangle}<Geometry GeometryType="XY"><DataItem Dimensions="3 2">0 0 2 0 0 1</DataItem></Geometry></Grid>`)
    expect((await info('a.xmf')).surfaces[0]!.area).toBeCloseTo(1, 12)
    const axes = ['0 2 0', '0 0 1', '3 3 3'].map((list) => `<DataItem Dimensions="3">${list}</DataItem>`).join('')
    await put(`<Grid>${triangle}<Geometry GeometryType="X_Y_Z">${axes}</Geometry></Grid>`)
    expect((await open('a.xmf').then((o) => o.mesh('region', 0))).points[2]).toBe(3)
  })
})

describe('XDMF documents that include their mesh', () => {
  const tetra =
    '<Geometry GeometryType="XYZ"><DataItem DataType="Float" Dimensions="4 3" Format="XML" Precision="8">0 0 0 1 0 0 0 1 0 0 0 1' +
    '</DataItem></Geometry><Topology TopologyType="Tetrahedron" NumberOfElements="1">' +
    '<DataItem DataType="Int" Dimensions="1 4" Format="XML" Precision="8">0 1 2 3</DataItem></Topology>'
  const attribute = (t: number): string =>
    `<Attribute Name="T" AttributeType="Scalar" Center="Node">` +
    `<DataItem Dimensions="4" Format="XML">${[0, 1, 2, 3].map((x) => x + t).join(' ')}</DataItem></Attribute>`
  const grid = (t: number, mesh: string): string =>
    `<Grid Name="step ${t}" GridType="Uniform">${mesh}<Time Value="${t}"/>${attribute(t)}</Grid>`
  const document = (grids: string, before = '', after = ''): string =>
    `<?xml version="1.0"?><!-- <Grid> is left out --><Xdmf Version="3.0" xmlns:xi="http://www.w3.org/2001/XInclude">` +
    `<Domain>${before}<Grid Name="series" GridType="Collection" CollectionType="Temporal">${grids}</Grid>${after}</Domain></Xdmf>`
  const include = (pointer: string): string => `<xi:include xpointer="xpointer(${pointer})"/>`
  const both = '/*[self::Topology or self::Geometry]'

  it.each([
    [
      'a grid beside the series',
      document(
        [0, 2].map((t) => grid(t, include(`//Grid[@Name=&quot;mesh&quot;]${both}`))).join(''),
        '',
        `<Grid Name="mesh" GridType="Uniform">${tetra}</Grid>`,
      ),
    ],
    [
      'the first moment',
      document(grid(0, tetra) + grid(2, include(`//Grid[@Name="series"]/*[1]${both}`).replaceAll('@Name="series"', "@Name='series'"))),
    ],
    [
      'a path from the root',
      document(
        [0, 2]
          .map((t) => grid(t, include('/Xdmf/Domain/Grid/Topology') + include("/Xdmf/Domain/Grid[@GridType='Uniform'][1]/Geometry")))
          .join(''),
        `<Grid Name="mesh" GridType="Uniform">${tetra}</Grid>`,
      ),
    ],
  ])('from %s', async (_, text) => {
    await writeFile(path('included.xdmf'), text)
    const { regions, times, fields } = await info('included.xdmf', 1)
    expect(regions).toMatchObject([{ cells: 1, volume: expect.closeTo(1 / 6, 12) as number }])
    expect(times).toEqual([0, 2])
    expect(fields).toMatchObject([{ name: 'T', min: 2, max: 5 }])
    expect((await open('included.xdmf')).catalogue.moments.map((m) => m.topology)).toEqual([0, 0])
  })

  it.each([
    [
      'what is not there',
      include('//Grid[@Name="gone"]/Topology').replaceAll('"gone"', "'gone'"),
      /includes “xpointer\(\/\/Grid\[@Name='gone'\]\/Topology\)”, which is not there/,
    ],
    ['another document', '<xi:include href="mesh.xdmf"/>', /includes “mesh.xdmf”, another document/],
    ['itself', include('/Xdmf/Domain/Grid'), /includes “xpointer\(\/Xdmf\/Domain\/Grid\)” in itself/],
  ])('%s is answered with a sentence', async (_, mesh, message) => {
    await writeFile(path('wrong.xdmf'), document(grid(0, mesh)))
    await expect(info('wrong.xdmf')).rejects.toThrow(message)
  })
})
