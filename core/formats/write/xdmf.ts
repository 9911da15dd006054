/** Light data of an XDMF file whose heavy data stand in HDF5 beside it. */

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
    const kind = values instanceof Int32Array ? 'NumberType="Int" Precision="4"' : `NumberType="Float" Precision="${values.BYTES_PER_ELEMENT}"`
    return `<DataItem Dimensions="${shape.join(' ')}" ${kind} Format="HDF">${escape(`${heavyFile}:/${path}`)}</DataItem>`
  }
  const kinds: Record<number, string> = { 1: 'Scalar', 3: 'Vector', 6: 'Tensor6', 9: 'Tensor' }
  const grid = ({ name, time, topology, points, fields }: XdmfGrid): string => [
    `<Grid Name="${escape(name)}" GridType="Uniform">`,
    time === null ? '' : `<Time Value="${time}"/>`,
    `<Topology TopologyType="Mixed" NumberOfElements="${topology.nCells}">${item(topology.array)}</Topology>`,
    `<Geometry GeometryType="XYZ">${item(points)}</Geometry>`,
    ...fields.map((f) => `<Attribute Name="${escape(f.name)}" AttributeType="${kinds[f.components] ?? 'Matrix'}" Center="${f.place === 'point' ? 'Node' : 'Cell'}">${item(f.array)}</Attribute>`),
    '</Grid>',
  ].join('\n')
  const moment = (grids: readonly XdmfGrid[]): string =>
    grids.length === 1 ? grid(grids[0]!) : `<Grid Name="parts" GridType="Collection" CollectionType="Spatial">\n${grids[0]!.time === null ? '' : `<Time Value="${grids[0]!.time}"/>`}\n${grids.map(grid).join('\n')}\n</Grid>`
  const body = moments.length === 1 ? moment(moments[0]!) : `<Grid Name="times" GridType="Collection" CollectionType="Temporal">\n${moments.map(moment).join('\n')}\n</Grid>`
  return `<?xml version="1.0"?>\n<Xdmf Version="3.0">\n<Domain>\n${body}\n</Domain>\n</Xdmf>\n`
}

/** Codes of mixed topologies by the core's cell types; lines and vertices state their number of nodes. */
const mixedCodes: Record<number, number> = { 5: 4, 9: 5, 10: 6, 14: 7, 13: 8, 12: 9 }

export function mixedTopology(types: Uint8Array, offsets: Uint32Array, connectivity: Uint32Array): Int32Array {
  const list: number[] = []
  for (let c = 0; c < types.length; c++) {
    const n = offsets[c + 1]! - offsets[c]!
    const code = mixedCodes[types[c]!]
    if (code) list.push(code)
    else list.push(types[c] === 1 ? 1 : types[c] === 3 ? 2 : 3, n)
    for (let i = offsets[c]!; i < offsets[c + 1]!; i++) list.push(connectivity[i]!)
  }
  return Int32Array.from(list)
}

function escape(value: string): string {
  return value.replace(/[&<>"]/g, (ch) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[ch]!)
}
