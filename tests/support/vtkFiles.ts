/** Writes VTK XML files in every encoding the format allows, for readers to be tried on. */
import { Readable } from 'node:stream'
import { crc32, deflateSync } from 'node:zlib'
import { compressBlock } from 'lz4js'
import { MemorySource } from '../../core/formats/ByteSource'
import type { ByteSource, Compression, SourceFolder } from '../../core/formats/ByteSource'
import { FormatError } from '../../core/errors'
import { decompress, inflateStream } from '../../server/cases/decompress'
import { MemoryScratch } from './MemoryScratch'

export const encodings = [
  'ascii',
  'inline',
  'inline zlib',
  'appended base64',
  'appended raw',
  'appended zlib',
  'inline lz4',
  'appended lz4',
  'appended xz',
] as const
export type Encoding = (typeof encodings)[number]

export interface Variant {
  encoding: Encoding
  header?: 'UInt32' | 'UInt64'
  isBigEndian?: boolean
  real?: 'Float32' | 'Float64'
  integer?: 'Int32' | 'Int64' | 'UInt8' | 'UInt16' | 'UInt32' | 'UInt64' | 'Int16'
  /** Some writers encode the header of uncompressed base64 apart from the data. */
  hasHeaderApart?: boolean
}

const sizes: Record<string, number> = {
  Float32: 4,
  Float64: 8,
  Int8: 1,
  UInt8: 1,
  Int16: 2,
  UInt16: 2,
  Int32: 4,
  UInt32: 4,
  Int64: 8,
  UInt64: 8,
}

function bytesOf(type: string, values: readonly number[], isBigEndian: boolean): Buffer {
  const size = sizes[type]!
  const view = new DataView(new ArrayBuffer(size * values.length))
  const little = !isBigEndian
  values.forEach((value, i) => {
    const at = i * size
    if (type === 'Float32') view.setFloat32(at, value, little)
    else if (type === 'Float64') view.setFloat64(at, value, little)
    else if (size === 8) view.setBigInt64(at, BigInt(value), little)
    else if (size === 4) view.setInt32(at, value, little)
    else if (size === 2) view.setInt16(at, value, little)
    else view.setInt8(at, value)
  })
  return Buffer.from(view.buffer)
}

function lz4(data: Buffer): Buffer {
  const out = Buffer.alloc(2 * data.length + 64)
  const n = compressBlock(data, out, 0, data.length, new Uint32Array(1 << 16))
  // what does not shrink becomes one run of literals
  if (n) return out.subarray(0, n)
  const head =
    data.length < 15
      ? [data.length << 4]
      : [0xf0, ...Array<number>(Math.floor((data.length - 15) / 255)).fill(255), (data.length - 15) % 255]
  return Buffer.concat([Buffer.from(head), data])
}

/** An xz stream of one block that holds the data uncompressed, without a check. */
function xz(data: Buffer): Buffer {
  const sum = (bytes: Buffer): Buffer => {
    const out = Buffer.alloc(4)
    out.writeUInt32LE(crc32(bytes))
    return out
  }
  const padded = (bytes: Buffer): Buffer => Buffer.concat([bytes, Buffer.alloc((4 - (bytes.length % 4)) % 4)])
  const varint = (n: number): number[] => (n < 128 ? [n] : [(n & 127) | 128, ...varint(n >> 7)])
  const flags = Buffer.from([0, 0])
  const blockHead = Buffer.from([2, 0, 0x21, 1, 0x16, 0, 0, 0])
  const body = Buffer.concat([Buffer.from([1, (data.length - 1) >> 8, (data.length - 1) & 255]), data, Buffer.from([0])])
  const index = padded(Buffer.from([0, 1, ...varint(12 + body.length), ...varint(data.length)]))
  const back = Buffer.alloc(6)
  back.writeUInt32LE((index.length + 4) / 4 - 1)
  const head = [Buffer.from([0xfd, 0x37, 0x7a, 0x58, 0x5a, 0]), flags, sum(flags), blockHead, sum(blockHead)]
  return Buffer.concat([...head, padded(body), index, sum(index), sum(back), back, Buffer.from('YZ')])
}

const packers: Record<string, { name: string; pack(data: Buffer): Buffer }> = {
  zlib: { name: 'vtkZLibDataCompressor', pack: (data) => deflateSync(data) },
  lz4: { name: 'vtkLZ4DataCompressor', pack: lz4 },
  xz: { name: 'vtkLZMADataCompressor', pack: xz },
}

/** Small blocks, so that compressed arrays have several. */
const BLOCK = 64

function encoded(data: Buffer, { encoding, header = 'UInt32', isBigEndian = false, hasHeaderApart }: Variant): Buffer {
  const words = (list: number[]): Buffer => bytesOf(header, list, isBigEndian)
  const isText = encoding.startsWith('inline') || encoding === 'appended base64'
  const text = (bytes: Buffer): Buffer => Buffer.from(bytes.toString('base64'))
  const packer = packers[encoding.split(' ')[1] ?? '']
  if (packer) {
    const blocks: Buffer[] = []
    for (let at = 0; at < data.length; at += BLOCK) blocks.push(packer.pack(data.subarray(at, at + BLOCK)))
    const head = words([blocks.length, BLOCK, data.length % BLOCK, ...blocks.map((b) => b.length)])
    const body = Buffer.concat(blocks)
    return isText ? Buffer.concat([text(head), text(body)]) : Buffer.concat([head, body])
  }
  const head = words([data.length])
  if (!isText) return Buffer.concat([head, data])
  return hasHeaderApart ? Buffer.concat([text(head), text(data)]) : text(Buffer.concat([head, data]))
}

export interface FileArray {
  name: string
  type: string
  components?: number
  values: readonly number[]
}

export interface FileContent {
  points: readonly number[]
  connectivity: readonly number[]
  offsets: readonly number[]
  types: readonly number[]
  /** Beside those of all cells: what polyhedra need. */
  cellArrays?: readonly FileArray[]
  pointData?: FileArray[]
  cellData?: FileArray[]
  time?: number
}

/** Bytes of a `.vtu`. */
export function vtuFile(content: FileContent, variant: Variant): Buffer {
  const { encoding, header = 'UInt32', isBigEndian = false, real = 'Float64', integer = 'Int64' } = variant
  const appended: Buffer[] = []
  let at = 0
  const array = ({ name, type, components = 1, values }: FileArray): string => {
    const tag = `<DataArray type="${type}" Name="${name}" NumberOfComponents="${components}"`
    if (encoding === 'ascii') return `${tag} format="ascii">\n${values.join(' ')}\n</DataArray>`
    const bytes = encoded(bytesOf(type, values, isBigEndian), variant)
    if (encoding.startsWith('inline')) return `${tag} format="binary">\n  ${bytes.toString()}\n</DataArray>`
    appended.push(bytes)
    const offset = at
    at += bytes.length
    return `${tag} format="appended" offset="${offset}"/>`
  }
  const data = (tag: string, arrays: FileArray[] = []): string => `<${tag}>${arrays.map(array).join('')}</${tag}>`
  const body = [
    content.time === undefined ? '' : `<FieldData>${array({ name: 'TimeValue', type: real, values: [content.time] })}</FieldData>`,
    `<Piece NumberOfPoints="${content.points.length / 3}" NumberOfCells="${content.types.length}">`,
    `<Points>${array({ name: 'Points', type: real, components: 3, values: content.points })}</Points>`,
    `<Cells>${array({ name: 'connectivity', type: integer, values: content.connectivity })}`,
    array({ name: 'offsets', type: integer, values: content.offsets }),
    `${array({ name: 'types', type: 'UInt8', values: content.types })}${(content.cellArrays ?? []).map(array).join('\n')}</Cells>`,
    data('PointData', content.pointData),
    data('CellData', content.cellData),
    '</Piece>',
  ].join('\n')
  const packer = packers[encoding.split(' ')[1] ?? '']
  const compressor = packer ? ` compressor="${packer.name}"` : ''
  const order = isBigEndian ? 'BigEndian' : 'LittleEndian'
  const head =
    `<?xml version="1.0"?>\n<VTKFile type="UnstructuredGrid" version="1.0" byte_order="${order}" ` +
    `header_type="${header}"${compressor}>\n<UnstructuredGrid>${body}</UnstructuredGrid>\n`
  if (!appended.length) return Buffer.from(`${head}</VTKFile>\n`)
  const kind = encoding === 'appended base64' ? 'base64' : 'raw'
  return Buffer.concat([
    Buffer.from(`${head}<AppendedData encoding="${kind}">\n  _`),
    ...appended,
    Buffer.from('\n</AppendedData>\n</VTKFile>\n'),
  ])
}

/** A folder of files in memory. */
export class MemoryFolder implements SourceFolder {
  readonly scratchFiles: MemoryScratch[] = []
  passing?: SourceFolder['passing']

  constructor(private readonly files: Record<string, Uint8Array>) {}

  async open(name: string): Promise<ByteSource> {
    const bytes = this.files[name]
    if (!bytes) throw new FormatError('no-file', `${name}: there is no such file; check the name.`)
    return new MemorySource(name, bytes)
  }

  async list(below = ''): Promise<string[]> {
    return Object.keys(this.files).filter((name) => name.startsWith(below))
  }

  decompress(method: Compression, bytes: Uint8Array, size: number): Promise<Uint8Array> {
    return decompress(method, bytes, size)
  }

  openHdf5(name: string): Promise<never> {
    return Promise.reject(new FormatError('no-hdf5', `${name} is not on a disk.`))
  }

  async *inflated(name: string): AsyncGenerator<Uint8Array> {
    yield* inflateStream(Readable.from([this.files[name]!]))
  }

  scratch(): MemoryScratch {
    const file = new MemoryScratch()
    this.scratchFiles.push(file)
    return file
  }
}
