/** Writes `.vtu`, `.vtp` and `.vtm`: little-endian, appended raw, UInt64 lengths. */
import { cellDimension, CellType } from '../../mesh/cellTypes'
import type { FloatArray } from '../../mesh/MeshBlock'
import type { SourceMesh } from '../../mesh/normaliseCells'

export interface WriteField {
  name: string
  place: 'point' | 'cell'
  components: number
  values: FloatArray
  unit?: string | null
}

export interface WriteOptions {
  lengthUnit?: string
  /** Stored as TimeValue. */
  time?: number
}

type Writable = FloatArray | Uint8Array | Uint32Array

/** Bytes of a `.vtu` (volumes) or `.vtp` (surfaces), by the dimension of the first cell. */
export function writeVtk(mesh: SourceMesh, fields: readonly WriteField[], options: WriteOptions = {}): Uint8Array[] {
  const isSurface = cellDimension(mesh.types[0] ?? CellType.tetra) === 2
  const appended = new Appended()
  const ends = mesh.offsets.subarray(1)
  const nCells = mesh.types.length
  const counts = isSurface ? `NumberOfPolys="${nCells}"` : `NumberOfCells="${nCells}"`
  const cells = [appended.array('connectivity', mesh.connectivity), appended.array('offsets', ends)]
  if (!isSurface) cells.push(appended.array('types', mesh.types))
  const group = (tag: string, place: 'point' | 'cell'): string[] => [
    `<${tag}>`,
    ...fields.filter((f) => f.place === place).map((f) => appended.array(f.name, f.values, f.components, f.unit)),
    `</${tag}>`,
  ]
  const kind = isSurface ? 'PolyData' : 'UnstructuredGrid'
  const time = options.time === undefined ? [] : ['<FieldData>', appended.array('TimeValue', Float64Array.of(options.time), 1, null, 1), '</FieldData>']
  const head = [
    '<?xml version="1.0"?>',
    `<VTKFile type="${kind}" version="1.0" byte_order="LittleEndian" header_type="UInt64">`,
    `<${kind}>`,
    ...time,
    `<Piece NumberOfPoints="${mesh.points.length / 3}" ${counts}>`,
    '<Points>',
    appended.array('Points', mesh.points, 3, options.lengthUnit),
    '</Points>',
    isSurface ? '<Polys>' : '<Cells>',
    ...cells,
    isSurface ? '</Polys>' : '</Cells>',
    ...group('PointData', 'point'),
    ...group('CellData', 'cell'),
    '</Piece>',
    `</${kind}>`,
    '<AppendedData encoding="raw">',
    '_',
  ].join('\n')
  return [text(head), ...appended.bytes, text('\n</AppendedData>\n</VTKFile>\n')]
}

/** A `.vtm` that names one file per block. */
export function writeVtm(blocks: readonly { name: string; file: string }[]): Uint8Array {
  const rows = blocks.map(({ name, file }, i) => `<DataSet index="${i}" name="${escape(name)}" file="${escape(file)}"/>`)
  const lines = ['<?xml version="1.0"?>', '<VTKFile type="vtkMultiBlockDataSet" version="1.0">', '<vtkMultiBlockDataSet>', ...rows, '</vtkMultiBlockDataSet>', '</VTKFile>', '']
  return text(lines.join('\n'))
}

class Appended {
  readonly bytes: Uint8Array[] = []
  private at = 0

  /** The tag of an array; its bytes go to the end. */
  array(name: string, values: Writable, components = 1, unit?: string | null, tuples?: number): string {
    const header = new Uint8Array(8)
    new DataView(header.buffer).setBigUint64(0, BigInt(values.byteLength), true)
    this.bytes.push(header, new Uint8Array(values.buffer, values.byteOffset, values.byteLength))
    const offset = this.at
    this.at += 8 + values.byteLength
    const type = values.constructor.name.replace('Array', '').replace('Uint', 'UInt')
    const unitKey = unit ? `<InformationKey name="UNITS_LABEL" location="vtkDataArray">${escape(unit)}</InformationKey>` : ''
    const n = tuples === undefined ? '' : ` NumberOfTuples="${tuples}"`
    return `<DataArray type="${type}" Name="${escape(name)}" NumberOfComponents="${components}"${n} format="appended" offset="${offset}">${unitKey}</DataArray>`
  }
}

function text(value: string): Uint8Array {
  return new TextEncoder().encode(value)
}

function escape(value: string): string {
  return value.replace(/[&<>"]/g, (ch) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[ch]!)
}
