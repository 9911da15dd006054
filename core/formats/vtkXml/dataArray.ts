/**
 * Reads one DataArray: ASCII, inline base64, appended base64 or raw; plain, zlib, lz4 or xz; both byte orders; all number types.
 *
 * Layout of binary data: one header word with the byte count, or, compressed, the words
 * [nBlocks, blockSize, lastBlockSize, compressedSize × nBlocks] and then the blocks. Base64 encodes header and data
 * one after the other, each padded on its own. Every length is checked against the remaining bytes before it is used.
 */
import { FormatError } from '../../errors'
import { Growing } from '../../mesh/growing'
import type { ByteSource, Compression, SourceFolder } from '../ByteSource'
import { startsOf } from '../pieces'
import { TextScanner } from '../TextScanner'
import type { XmlElement } from '../xmlTree'
import { Base64Stream, cutOff, RawStream } from './streams'
import type { ByteStream } from './streams'

export type NumberArray = Float32Array | Float64Array | Int8Array | Uint8Array | Int16Array | Uint16Array | Int32Array | Uint32Array

/** How binary arrays of a file are laid out. */
export interface Layout {
  isLittleEndian: boolean
  /** 4 or 8: size of a header word. */
  headerSize: number
  compressor: string | undefined
}

export interface FileContext extends Layout {
  source: ByteSource
  folder: SourceFolder
  appended: XmlElement | undefined
  /** Offsets of all appended arrays, ascending. */
  appendedStarts: number[]
}

type Constructor = new (buffer: ArrayBuffer, start: number, length: number) => NumberArray
interface NumberType {
  size: number
  array?: Constructor
  isInteger64?: 'signed' | 'unsigned'
}

/** 64-bit integers are read apart and come back as float64: exact to 2^53, more than any count in a mesh. */
const numberTypes: Record<string, NumberType> = {
  Float32: { size: 4, array: Float32Array },
  Float64: { size: 8, array: Float64Array },
  Int8: { size: 1, array: Int8Array },
  UInt8: { size: 1, array: Uint8Array },
  Int16: { size: 2, array: Int16Array },
  UInt16: { size: 2, array: Uint16Array },
  Int32: { size: 4, array: Int32Array },
  UInt32: { size: 4, array: Uint32Array },
  Int64: { size: 8, isInteger64: 'signed' },
  UInt64: { size: 8, isInteger64: 'unsigned' },
}

/** Bytes of text read at a time. */
const TEXT_AT_ONCE = 1 << 20
/** No single array may claim more than this many bytes: beyond it typed arrays end. */
const MAX_BYTES = 2 ** 33

/**
 * @param expected  number of values the array must have; undefined when any number will do
 * @throws FormatError naming the file and the array
 */
export async function readDataArray(file: FileContext, element: XmlElement, expected?: number): Promise<NumberArray> {
  const typeName = element.attributes['type'] ?? ''
  const type = numberTypes[typeName]
  const where = describe(file, element)
  if (!type) throw new FormatError('bad-type', `${where} is of type “${typeName}”, which holds no numbers that can be read.`)
  const values = isText(element)
    ? await readAscii(file, element, type.array, where)
    : toNumbers(await decodeStream(file, binaryStream(file, element, where), where), type, file.isLittleEndian, where)
  if (expected !== undefined && values.length !== expected) {
    throw new FormatError(
      'wrong-length',
      `${where} has ${values.length} values instead of ${expected}; the file is inconsistent, write it again.`,
    )
  }
  return values
}

function isText({ attributes }: XmlElement): boolean {
  return attributes['format'] === 'ascii' || !attributes['format']
}

/** Where the array is stored, encoded as it is: [start, end). Appended arrays end where the next one begins. */
export function storedRange(file: FileContext, element: XmlElement): [number, number] {
  if (element.attributes['format'] !== 'appended') return element.content
  const start = appendedStart(file, element, describe(file, element))
  const next = file.appendedStarts.find((offset) => file.appended!.content[0] + offset > start)
  return [start, next === undefined ? file.appended!.content[1] : file.appended!.content[0] + next]
}

export function describe(file: FileContext, element: XmlElement): string {
  return `${file.source.name}: array “${element.attributes['Name'] ?? 'without a name'}”`
}

async function readAscii(file: FileContext, element: XmlElement, array: Constructor | undefined, where: string): Promise<NumberArray> {
  const [start, end] = element.content
  const out = new Growing(Float64Array)
  for (let from = start; from < end;) {
    const bytes = await file.source.read(from, Math.min(from + TEXT_AT_ONCE, end))
    // a word that goes on behind these bytes is read with the next ones
    let cut = bytes.length
    if (from + cut < end) while (cut > 0 && bytes[cut - 1]! > 32) cut--
    if (cut === 0) throw new FormatError('bad-number', `${where} holds a word of more than ${TEXT_AT_ONCE} letters, which is not a number.`)
    const scanner = new TextScanner(bytes.subarray(0, cut), where)
    for (let word = scanner.numberOrWord(); word !== ''; word = scanner.numberOrWord()) {
      if (typeof word === 'string') throw new FormatError('bad-number', `${where} holds “${word.slice(0, 30)}”, which is not a number.`)
      out.push(word)
    }
    from += cut
  }
  const values = out.finish()
  if (!array || array === (Float64Array as unknown as Constructor)) return values
  const typed = new array(new ArrayBuffer(values.length * numberSize(array)), 0, values.length)
  typed.set(values as never)
  return typed
}

function numberSize(array: Constructor): number {
  return (array as unknown as { BYTES_PER_ELEMENT: number }).BYTES_PER_ELEMENT
}

/** The bytes of an array that is not written as text. */
function binaryStream(file: FileContext, element: XmlElement, where: string): ByteStream {
  const format = element.attributes['format']
  if (format === 'binary') return new Base64Stream(file.source, ...element.content, where)
  if (format !== 'appended') throw new FormatError('bad-format', `${where} has the unknown format “${format}”.`)
  const start = appendedStart(file, element, where)
  const encoding = file.appended!.attributes['encoding'] ?? 'base64'
  const end = file.appended!.content[1]
  if (encoding === 'raw') return new RawStream(file.source, start, end, where)
  if (encoding === 'base64') return new Base64Stream(file.source, start, end, where)
  throw new FormatError('bad-encoding', `${where}: appended data in the unknown encoding “${encoding}”.`)
}

function appendedStart(file: FileContext, element: XmlElement, where: string): number {
  if (!file.appended) throw new FormatError('cut-off', `${where} is in appended data, but the file has none: it is cut off; copy it again.`)
  const offset = Number(element.attributes['offset'] ?? NaN)
  const start = file.appended.content[0] + offset
  if (!Number.isInteger(offset) || offset < 0 || start >= file.appended.content[1]) {
    throw new FormatError(
      'cut-off',
      `${where} should begin at byte ${start}, but the file ends at byte ${file.source.size}: it is cut off; copy it again.`,
    )
  }
  return start
}

async function decodeStream(file: FileContext, stream: ByteStream, where: string): Promise<Uint8Array> {
  const { headerSize } = file
  if (!file.compressor) {
    const size = checkedSize(await peekCount(file, stream), where)
    if (!(await stream.endsPiece(headerSize))) return (await stream.take(headerSize + size)).subarray(headerSize)
    await stream.take(headerSize)
    return stream.take(size)
  }
  const method = compressors[file.compressor]
  if (!method)
    throw new FormatError(
      'compressor',
      `${where} is compressed with ${file.compressor}, which is not read; write it uncompressed or with zlib.`,
    )
  return decodeCompressed(file, method, stream, where)
}

const compressors: Record<string, Compression> = { vtkZLibDataCompressor: 'zlib', vtkLZ4DataCompressor: 'lz4', vtkLZMADataCompressor: 'xz' }
/** The best each method can pack: larger claims are false. Xz packs runs without bound, its blocks are bounded instead. */
const BEST_RATIO: Record<Compression, number> = { zlib: 1100, gzip: 1100, 'gzip-start': 1100, lz4: 260, xz: 1e6 }

async function decodeCompressed(file: FileContext, method: Compression, stream: ByteStream, where: string): Promise<Uint8Array> {
  const table = await readBlockTable(file, method, stream, where)
  if (!table) return new Uint8Array(0)
  const { sizes, starts, blockSize, total } = table
  checkedSize(total, where)
  const all = await stream.take(starts[sizes.length]!)
  const out = new Uint8Array(total)
  for (let first = 0; first < sizes.length; first += INFLATED_TOGETHER) {
    const last = Math.min(first + INFLATED_TOGETHER, sizes.length)
    const blocks = await inflateBlocks(file, method, table, first, last, all.subarray(starts[first], starts[last]), where)
    blocks.forEach((block, i) => out.set(block, (first + i) * blockSize))
  }
  return out
}

/** Compressed blocks in the hands of other threads at a time. */
export const INFLATED_TOGETHER = 32

interface BlockTable {
  /** Compressed bytes of each block. */
  sizes: number[]
  /** Where each begins among the compressed bytes, and the end. */
  starts: number[]
  blockSize: number
  total: number
}

/** The header of a compressed array; undefined when it has no blocks. */
async function readBlockTable(file: Layout, method: Compression, stream: ByteStream, where: string): Promise<BlockTable | undefined> {
  // base64 pads the whole header at its end, so its length must be known before it is taken: peek through the count
  const { headerSize } = file
  const nBlocks = checkedSize(await peekCount(file, stream), where)
  if (nBlocks === 0) return undefined
  if (nBlocks > 1 << 24) throw new FormatError('bad-header', `${where} claims ${nBlocks} compressed blocks; the file is damaged.`)
  const words = readWords(await stream.take((3 + nBlocks) * headerSize), file)
  const [, blockSize, lastSize] = words as [number, number, number]
  const total = lastSize ? (nBlocks - 1) * blockSize + lastSize : nBlocks * blockSize
  const sizes = words.slice(3)
  const starts = startsOf(sizes)
  const packed = starts[nBlocks]!
  if (total > BEST_RATIO[method] * packed + 64 || !(blockSize > 0 && blockSize <= MAX_BYTES) || lastSize > blockSize) {
    throw new FormatError('bad-header', `${where} claims ${total} bytes from ${packed} compressed ones; the file is damaged.`)
  }
  return { sizes, starts, blockSize, total }
}

/** @param bytes  of blocks [first, last), one after the other */
async function inflateBlocks(
  file: FileContext,
  method: Compression,
  { sizes, starts, blockSize, total }: BlockTable,
  first: number,
  last: number,
  bytes: Uint8Array,
  where: string,
): Promise<Uint8Array[]> {
  const inflate = async (k: number): Promise<Uint8Array> => {
    const own = bytes.subarray(starts[k]! - starts[first]!, starts[k + 1]! - starts[first]!)
    return inflateBlock(
      file,
      method,
      own,
      Math.min(blockSize, total - k * blockSize),
      `${where}: compressed block ${k + 1} of ${sizes.length}`,
    )
  }
  return Promise.all(Array.from({ length: last - first }, (_, i) => inflate(first + i)))
}

async function inflateBlock(file: FileContext, method: Compression, bytes: Uint8Array, size: number, where: string): Promise<Uint8Array> {
  let block: Uint8Array
  try {
    block = await file.folder.decompress(method, bytes, size)
  } catch {
    throw new FormatError('bad-block', `${where} is damaged; copy the file again.`)
  }
  if (block.length !== size)
    throw new FormatError('bad-block', `${where} has ${block.length} bytes instead of ${size}; the file is damaged.`)
  return block
}

/** Location of the values of an array, for reading parts of it. */
export interface RawArray {
  source: ByteSource
  /** Byte of the first value in the source, when it is not compressed. */
  start: number
  bytes: number
  /** Bytes of a value. */
  size: number
  toNumbers(bytes: Uint8Array): NumberArray
  /** As numbers of points. @throws FormatError for what can be none */
  toWhole(bytes: Uint8Array): Uint32Array
  /** Blocks [first, last), inflated. */
  blocks?: { size: number; read(first: number, last: number): Promise<Uint8Array[]> }
}

/** undefined when the array is text. @throws FormatError when it is damaged */
export async function openRaw(file: FileContext, element: XmlElement): Promise<RawArray | undefined> {
  const where = describe(file, element)
  const type = numberTypes[element.attributes['type'] ?? '']
  const method = file.compressor ? compressors[file.compressor] : undefined
  if (isText(element) || !type || (file.compressor && !method)) return undefined
  const stream = binaryStream(file, element, where)
  const numbers = (bytes: Uint8Array): NumberArray => toNumbers(bytes, type, file.isLittleEndian, where)
  const toWhole = (bytes: Uint8Array): Uint32Array =>
    type.isInteger64 ? lowWords(alignedBytes(bytes, type, file.isLittleEndian, where), where) : wholeNumbers(numbers(bytes), where)
  const common = { size: type.size, toNumbers: numbers, toWhole }
  if (!method) {
    const bytes = checkedSize(await peekCount(file, stream), where)
    const isApart = await stream.endsPiece(file.headerSize)
    if (isApart) await stream.take(file.headerSize)
    const source = await stream.rest()
    const start = isApart ? 0 : file.headerSize
    if (start + bytes > source.size) throw cutOff(where, bytes, source.size - start)
    return { ...common, source, start, bytes }
  }
  const table = await readBlockTable(file, method, stream, where)
  const source = await stream.rest()
  if (!table) return { ...common, source, start: 0, bytes: 0 }
  const { sizes, starts, blockSize, total } = table
  if (starts[sizes.length]! > source.size) throw cutOff(where, starts[sizes.length]!, source.size)
  const read = async (first: number, last: number): Promise<Uint8Array[]> =>
    inflateBlocks(file, method, table, first, last, await source.read(starts[first]!, starts[last]!), where)
  return { ...common, source, start: 0, bytes: total, blocks: { size: blockSize, read } }
}

/** Bytes from the start of an inline array to the end of its data, as its header tells; 0 where it tells nothing sensible. */
export async function inlineLength(source: ByteSource, element: XmlElement, layout: Layout): Promise<number> {
  if (element.attributes['format'] !== 'binary') return 0
  const [start] = element.content
  const stream = new Base64Stream(source, start, source.size, element.name)
  const method = layout.compressor ? compressors[layout.compressor] : undefined
  try {
    if (method) {
      const table = await readBlockTable(layout, method, stream, element.name)
      return stream.after(table?.starts[table.sizes.length] ?? 0) - start
    }
    const size = await peekCount(layout, stream)
    const isApart = await stream.endsPiece(layout.headerSize)
    if (isApart) await stream.take(layout.headerSize)
    return stream.after(isApart ? size : layout.headerSize + size) - start
  } catch {
    // errors are reported when the array is read
    return 0
  }
}

/** The first header word, without moving the stream on. */
async function peekCount(file: Layout, stream: ByteStream): Promise<number> {
  return readWords(await stream.copy().take(file.headerSize), file)[0]!
}

function readWords(bytes: Uint8Array, { headerSize, isLittleEndian }: Layout): number[] {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const words: number[] = []
  for (let at = 0; at + headerSize <= bytes.length; at += headerSize) {
    words.push(headerSize === 4 ? view.getUint32(at, isLittleEndian) : Number(view.getBigUint64(at, isLittleEndian)))
  }
  return words
}

function checkedSize(size: number, where: string): number {
  if (size >= 0 && size <= MAX_BYTES) return size
  throw new FormatError('bad-header', `${where} claims ${size} bytes; the file is damaged.`)
}

function toNumbers(bytes: Uint8Array, type: NumberType, isLittleEndian: boolean, where: string): NumberArray {
  const aligned = alignedBytes(bytes, type, isLittleEndian, where)
  const n = aligned.length / type.size
  if (type.array) return new type.array(aligned.buffer, 0, n)
  const out = new Float64Array(n)
  const low = new Uint32Array(aligned.buffer, 0, 2 * n)
  const high = type.isInteger64 === 'signed' ? new Int32Array(aligned.buffer, 0, 2 * n) : low
  for (let i = 0; i < n; i++) out[i] = high[2 * i + 1]! * 4294967296 + low[2 * i]!
  return out
}

/** A buffer of their own, in the byte order of this machine. */
function alignedBytes(bytes: Uint8Array, { size }: NumberType, isLittleEndian: boolean, where: string): Uint8Array<ArrayBuffer> {
  if (bytes.length % size)
    throw new FormatError('wrong-length', `${where} has ${bytes.length} bytes, which is no whole number of values; the file is damaged.`)
  const mustSwap = !isLittleEndian && size > 1
  // a part of a larger buffer may not be aligned, and is not its own
  const aligned = bytes.byteLength < bytes.buffer.byteLength || mustSwap ? new Uint8Array(bytes) : (bytes as Uint8Array<ArrayBuffer>)
  if (mustSwap) swapBytes(aligned, size)
  return aligned
}

/** 64-bit integers that must be numbers of points. */
function lowWords(bytes: Uint8Array<ArrayBuffer>, where: string): Uint32Array {
  const words = new Uint32Array(bytes.buffer, 0, bytes.length / 4)
  const out = new Uint32Array(words.length / 2)
  let beyond = 0
  for (let i = 0; i < out.length; i++) {
    out[i] = words[2 * i]!
    beyond |= words[2 * i + 1]!
  }
  if (beyond) throw new FormatError('bad-connectivity', `${where} holds negative or far too large numbers; the file is damaged.`)
  return out
}

/** Numbers of points, or places in a list of them. @throws FormatError for what can be none */
function wholeNumbers(values: NumberArray, where: string): Uint32Array {
  if (values instanceof Uint32Array) return values
  // negative ones become larger than any number of points, which is looked at when the points are
  if (values instanceof Int32Array) return new Uint32Array(values.buffer, values.byteOffset, values.length)
  for (let i = 0; i < values.length; i++) {
    if (!(values[i]! >= 0 && values[i]! < 2 ** 32))
      throw new FormatError('bad-connectivity', `${where} holds the point number ${values[i]}; the file is damaged.`)
  }
  return Uint32Array.from(values)
}

function swapBytes(bytes: Uint8Array, size: number): void {
  for (let at = 0; at < bytes.length; at += size) {
    for (let i = 0, j = size - 1; i < j; i++, j--) {
      const kept = bytes[at + i]!
      bytes[at + i] = bytes[at + j]!
      bytes[at + j] = kept
    }
  }
}
