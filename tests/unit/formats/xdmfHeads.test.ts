/** What XDMF documents say of their grids without reading them must be what reading them finds. */
import { expect, it } from 'vitest'
import { describeCase } from '../../../cli/info'
import { openNamed } from '../../../core/formats/series'
import { readCase } from '../../../core/store/memoryCase'
import { MemoryFolder } from '../../support/vtkFiles'

const item = (shape: string, text: string): string => `<DataItem Dimensions="${shape}" Format="XML">${text}</DataItem>`
const document = (topology: string, geometry: string): string =>
  `<?xml version="1.0"?><Xdmf Version="3.0"><Domain><Grid Name="g" GridType="Uniform">${topology}${geometry}</Grid></Domain></Xdmf>`
const cube = '0 0 0 1 0 0 1 1 0 0 1 0 0 0 1 1 0 1 1 1 1 0 1 1'

it.each([
  [
    'a uniform grid',
    '<Topology TopologyType="3DCoRectMesh" Dimensions="3 4 5"/>',
    `<Geometry GeometryType="ORIGIN_DXDYDZ">${item('3', '0 0 0')}${item('3', '1 1 1')}</Geometry>`,
    { hexahedron: 24 },
    60,
    24,
  ],
  [
    'a flat grid',
    '<Topology TopologyType="2DCoRectMesh" Dimensions="4 5"/>',
    `<Geometry GeometryType="ORIGIN_DXDY">${item('2', '0 0')}${item('2', '1 1')}</Geometry>`,
    { quad: 12 },
    20,
    12,
  ],
  [
    'a rectilinear grid',
    '<Topology TopologyType="3DRectMesh" Dimensions="2 2 3"/>',
    `<Geometry GeometryType="VXVYVZ">${item('3', '0 1 4')}${item('2', '0 1')}${item('2', '0 2')}</Geometry>`,
    { hexahedron: 2 },
    12,
    8,
  ],
  [
    'hexahedra',
    `<Topology TopologyType="Hexahedron" NumberOfElements="1">${item('1 8', '0 1 2 3 4 5 6 7')}</Topology>`,
    `<Geometry GeometryType="XYZ">${item('8 3', cube)}</Geometry>`,
    { hexahedron: 1 },
    8,
    1,
  ],
  [
    'triangles in a plane',
    `<Topology TopologyType="Triangle" NumberOfElements="1">${item('3', '0 1 2')}</Topology>`,
    `<Geometry GeometryType="XY">${item('3 2', '0 0 2 0 0 1')}</Geometry>`,
    { triangle: 1 },
    3,
    1,
  ],
  [
    'points by axes',
    `<Topology TopologyType="Tetrahedron" NumberOfElements="1">${item('1 4', '0 1 2 3')}</Topology>`,
    `<Geometry GeometryType="X_Y_Z">${item('4', '0 3 0 0')}${item('4', '0 0 1 0')}${item('4', '0 0 0 2')}</Geometry>`,
    { tetra: 1 },
    4,
    1,
  ],
  [
    'mixed cells, which are read',
    `<Topology TopologyType="Mixed" NumberOfElements="1">${item('9', '9 0 1 2 3 4 5 6 7')}</Topology>`,
    `<Geometry GeometryType="XYZ">${item('8 3', cube)}</Geometry>`,
    { hexahedron: 1 },
    8,
    1,
  ],
])('%s', async (_, topology, geometry, cellTypes, points, size) => {
  const folder = new MemoryFolder({ 'a.xdmf': Buffer.from(document(topology, geometry)) })
  const [part] = (await openNamed(['a.xdmf'], folder)).catalogue.parts
  expect(part).toMatchObject({ cellTypes, points, cells: Object.values(cellTypes)[0] })
  const { regions, surfaces } = describeCase(await readCase(await openNamed(['a.xdmf'], folder), 0))
  expect(regions[0]?.volume ?? surfaces[0]!.area).toBeCloseTo(size, 12)
  expect(regions[0]?.points ?? points).toBe(points)
})
