/** Light data of an XDMF file whose heavy data are in an HDF5 file next to it. */

import { CellType } from '../../mesh/cellTypes'
import { Growing } from '../../mesh/growing'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { SourceType, streamOfPolyhedron } from '../../mesh/splitCells'
import { mixedCodes, POLYHEDRON } from '../xdmf/mixedCells'

export interface XdmfArray {
  /** Path in the HDF5 file. */
  path: string
  values: Float32Array | Float64Array | Int32Array
  shape: number[]
}

export interface XdmfGrid {
  name: string
  time: number | null
  topology: { nCells: number; array: XdmfArray }
  points: XdmfArray
  fields: { name: string; place: 'point' | 'cell'; components: number; array: XdmfArray }[]
}

/** @param moments  the grids of each moment; several moments become a temporal collection */
export function writeXdmf(moments: readonly (readonly XdmfGrid[])[], heavyFile: string): string {
  const item = ({ path, values, shape }: XdmfArray): string => {
    const kind =
      values instanceof Int32Array ? 'NumberType="Int" Precision="4"' : `NumberType="Float" Precision="${values.BYTES_PER_ELEMENT}"`
    return `<DataItem Dimensions="${shape.join(' ')}" ${kind} Format="HDF">${escape(`${heavyFile}:/${path}`)}</DataItem>`
  }
  const kinds: Record<number, string> = { 1: 'Scalar', 3: 'Vector', 6: 'Tensor6', 9: 'Tensor' }
  const grid = ({ name, time, topology, points, fields }: XdmfGrid): string =>
    [
      `<Grid Name="${escape(name)}" GridType="Uniform">`,
      time === null ? '' : `<Time Value="${time}"/>`,
      `<Topology TopologyType="Mixed" NumberOfElements="${topology.nCells}">${item(topology.array)}</Topology>`,
      `<Geometry GeometryType="XYZ">${item(points)}</Geometry>`,
      ...fields.map(
        (f) =>
          `<Attribute Name="${escape(f.name)}" AttributeType="${kinds[f.components] ?? 'Matrix'}" ` +
          `Center="${f.place === 'point' ? 'Node' : 'Cell'}">${item(f.array)}</Attribute>`,
      ),
      '</Grid>',
    ].join('\n')
  const moment = (grids: readonly XdmfGrid[]): string =>
    grids.length === 1
      ? grid(grids[0]!)
      : `<Grid Name="parts" GridType="Collection" CollectionType="Spatial">\n` +
        `${grids[0]!.time === null ? '' : `<Time Value="${grids[0]!.time}"/>`}\n${grids.map(grid).join('\n')}\n</Grid>`
  const body =
    moments.length === 1
      ? moment(moments[0]!)
      : `<Grid Name="times" GridType="Collection" CollectionType="Temporal">\n${moments.map(moment).join('\n')}\n</Grid>`
  return `<?xml version="1.0"?>\n<Xdmf Version="3.0">\n<Domain>\n${body}\n</Domain>\n</Xdmf>\n`
}

export function isMixedType(type: number): boolean {
  return (
    mixedCodes[type] !== undefined || ([CellType.vertex, CellType.line, CellType.polygon, SourceType.polyhedron] as number[]).includes(type)
  )
}

/** The list of a mixed topology: of each cell its code, then its nodes; lines, vertices and polygons state how many. */
export function mixedTopology(mesh: SourceMesh): Int32Array {
  const { types, offsets, connectivity } = mesh
  const list = new Growing(Int32Array)
  for (let c = 0; c < types.length; c++) {
    const type = types[c]!
    if (type === SourceType.polyhedron) {
      list.push(POLYHEDRON)
      list.pushAll(streamOfPolyhedron(mesh, c))
      continue
    }
    const n = offsets[c + 1]! - offsets[c]!
    const code = mixedCodes[type]
    if (code) list.push(code)
    else list.pushAll([type === CellType.vertex ? 1 : type === CellType.line ? 2 : 3, n])
    list.pushAll(connectivity.subarray(offsets[c]!, offsets[c + 1]!))
  }
  return list.finish()
}

function escape(value: string): string {
  return value.replace(/[&<>"]/g, (ch) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[ch]!)
}
