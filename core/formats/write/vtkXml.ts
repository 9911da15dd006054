/** Writes `.vtu`, `.vtp` and `.vtm`: little-endian, appended raw or zlib, UInt64 lengths. */
import type { FloatArray } from '../../mesh/MeshBlock'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { SourceType, streamOfPolyhedron } from '../../mesh/splitCells'

export interface WriteField {
  name: string
  place: 'point' | 'cell'
  components: number
  values: FloatArray
  unit?: string | null
}

export interface WriteOptions {
  /** `vtu` unless said otherwise. */
  kind?: 'vtu' | 'vtp'
  lengthUnit?: string
  /** Stored as TimeValue. */
  time?: number
  /** Makes one zlib stream of the bytes; arrays are stored plain without it. */
  deflate?: (bytes: Uint8Array) => Uint8Array
}

type Writable = FloatArray | Uint8Array | Uint32Array | Int32Array

/** Bytes of a `.vtu`, or of a `.vtp`, which holds only triangles, quads and polygons. */
export function writeVtk(mesh: SourceMesh, fields: readonly WriteField[], options: WriteOptions = {}): Uint8Array[] {
  const isSurface = options.kind === 'vtp'
  const appended = new Appended(options.deflate)
  const ends = mesh.offsets.subarray(1)
  const nCells = mesh.types.length
  const counts = isSurface ? `NumberOfPolys="${nCells}"` : `NumberOfCells="${nCells}"`
  const cells = [appended.array('connectivity', mesh.connectivity), appended.array('offsets', ends)]
  if (!isSurface) cells.push(appended.array('types', mesh.types))
  if (mesh.polyhedra && !isSurface) cells.push(...appended.polyhedra(mesh))
  const group = (tag: string, place: 'point' | 'cell'): string[] => [
    `<${tag}>`,
    ...fields.filter((f) => f.place === place).map((f) => appended.array(f.name, f.values, f.components, f.unit)),
    `</${tag}>`,
  ]
  const kind = isSurface ? 'PolyData' : 'UnstructuredGrid'
  const time =
    options.time === undefined
      ? []
      : ['<FieldData>', appended.array('TimeValue', Float64Array.of(options.time), 1, null, 1), '</FieldData>']
  const head = [
    '<?xml version="1.0"?>',
    `<VTKFile type="${kind}" version="1.0" byte_order="LittleEndian" ` +
      `header_type="UInt64"${options.deflate ? ' compressor="vtkZLibDataCompressor"' : ''}>`,
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
  const lines = [
    '<?xml version="1.0"?>',
    '<VTKFile type="vtkMultiBlockDataSet" version="1.0">',
    '<vtkMultiBlockDataSet>',
    ...rows,
    '</vtkMultiBlockDataSet>',
    '</VTKFile>',
    '',
  ]
  return text(lines.join('\n'))
}

class Appended {
  readonly bytes: Uint8Array[] = []
  private at = 0

  constructor(private readonly deflate?: (bytes: Uint8Array) => Uint8Array) {}

  /** Faces of polyhedra: of each cell where its list ends in the stream of all of them, -1 for other cells. */
  polyhedra(mesh: SourceMesh): string[] {
    const { types } = mesh
    const ends = new Int32Array(types.length).fill(-1)
    const lists: Uint32Array[] = []
    let length = 0
    for (let c = 0; c < types.length; c++) {
      if (types[c] !== SourceType.polyhedron) continue
      const list = streamOfPolyhedron(mesh, c)
      lists.push(list)
      ends[c] = length += list.length
    }
    const faces = new Uint32Array(length)
    lists.reduce((at, list) => (faces.set(list, at), at + list.length), 0)
    return [this.array('faces', faces), this.array('faceoffsets', ends)]
  }

  /** The tag of an array; its bytes go to the end. */
  array(name: string, values: Writable, components = 1, unit?: string | null, tuples?: number): string {
    const plain = new Uint8Array(values.buffer, values.byteOffset, values.byteLength)
    const pieces = this.deflate ? compressed(plain, this.deflate) : [words([plain.length]), plain]
    const offset = this.at
    for (const piece of pieces) {
      this.bytes.push(piece)
      this.at += piece.length
    }
    const type = values.constructor.name.replace('Array', '').replace('Uint', 'UInt')
    const unitKey = unit ? `<InformationKey name="UNITS_LABEL" location="vtkDataArray">${escape(unit)}</InformationKey>` : ''
    const n = tuples === undefined ? '' : ` NumberOfTuples="${tuples}"`
    return (
      `<DataArray type="${type}" Name="${escape(name)}" NumberOfComponents="${components}"${n} format="appended" ` +
      `offset="${offset}">${unitKey}</DataArray>`
    )
  }
}

/** Bytes of one compressed block. */
const BLOCK = 1 << 20

/** [number of blocks, block size, last block size, compressed sizes], then the blocks. */
function compressed(plain: Uint8Array, deflate: (bytes: Uint8Array) => Uint8Array): Uint8Array[] {
  const blocks: Uint8Array[] = []
  for (let at = 0; at < plain.length; at += BLOCK) blocks.push(deflate(plain.subarray(at, at + BLOCK)))
  return [words([blocks.length, BLOCK, plain.length % BLOCK, ...blocks.map((b) => b.length)]), ...blocks]
}

function words(values: readonly number[]): Uint8Array {
  const view = new DataView(new ArrayBuffer(8 * values.length))
  values.forEach((value, i) => view.setBigUint64(8 * i, BigInt(value), true))
  return new Uint8Array(view.buffer)
}

function text(value: string): Uint8Array {
  return new TextEncoder().encode(value)
}

function escape(value: string): string {
  return value.replace(/[&<>"]/g, (ch) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[ch]!)
}
