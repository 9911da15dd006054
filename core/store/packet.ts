/**
 * Packets: a small JSON header and typed arrays in one run of bytes. The form of blocks on disk, of results over HTTP.
 *
 *     bytes 0–3    "STV1"
 *     bytes 4–7    length of the header, Uint32 little-endian
 *     header       JSON: { meta, arrays: { name: [type, length, offset] } }, padded with spaces to 8 bytes
 *     arrays       each starting at a multiple of 8 bytes after the header
 *
 * Decoding makes views, no copies; the buffer may be shared.
 */
import { FormatError } from '../errors'

export type PacketArray = Float32Array | Float64Array | Uint8Array | Uint32Array | Int32Array

/** Input of a packet: an array, or several of one type that are joined. */
export type PacketSource = PacketArray | readonly PacketArray[]

export interface Packet<Meta = unknown> {
  meta: Meta
  arrays: Record<string, PacketArray>
}

const MAGIC = 0x31565453
const constructors = { Float32Array, Float64Array, Uint8Array, Uint32Array, Int32Array } as const
type TypeName = keyof typeof constructors

/** Two buffers in turns: one is written while the other is filled. */
export class SpareBuffers {
  private readonly buffers = [new Uint8Array(0), new Uint8Array(0)]

  /** Cleared bytes; good until the next but one is taken. */
  take(size: number): Uint8Array<ArrayBuffer> {
    const last = this.buffers.shift()!
    const buffer = last.length < size ? new Uint8Array(size + (size >> 3)) : last.fill(0, 0, size)
    this.buffers.push(buffer)
    return buffer.subarray(0, size)
  }
}

type Take = (bytes: number) => Uint8Array<ArrayBuffer>

/** @param take  gives the place to put it, at a multiple of 8 bytes in its buffer; a new buffer when absent */
export function encodePacket(
  { meta, arrays }: { meta: unknown; arrays: Record<string, PacketSource> },
  take?: Take,
): Uint8Array<ArrayBuffer> {
  const index: Record<string, [string, number, number]> = {}
  let size = 0
  for (const [name, source] of Object.entries(arrays)) {
    const chunks = chunksOf(source)
    const length = chunks.reduce((n, chunk) => n + chunk.length, 0)
    index[name] = [chunks[0]!.constructor.name, length, size]
    size += padded(length * chunks[0]!.BYTES_PER_ELEMENT)
  }
  const header = new TextEncoder().encode(JSON.stringify({ meta, arrays: index }))
  const start = 8 + padded(header.length)
  const bytes = take?.(start + size) ?? new Uint8Array(start + size)
  const view = new DataView(bytes.buffer, bytes.byteOffset)
  view.setUint32(0, MAGIC, true)
  view.setUint32(4, padded(header.length), true)
  bytes.fill(0x20, 8, start)
  bytes.set(header, 8)
  for (const [name, source] of Object.entries(arrays)) {
    let at = start + index[name]![2]
    for (const chunk of chunksOf(source)) {
      bytes.set(new Uint8Array(chunk.buffer, chunk.byteOffset, chunk.byteLength), at)
      at += chunk.byteLength
    }
  }
  return bytes
}

function chunksOf(source: PacketSource): readonly PacketArray[] {
  return Array.isArray(source) ? (source as readonly PacketArray[]) : [source as PacketArray]
}

/** Offsets of the arrays of a packet, from its first bytes. */
export interface PacketIndex<Meta = unknown> {
  meta: Meta
  /** Type, length and first byte in the packet. */
  arrays: Record<string, [TypeName, number, number]>
}

/** Bytes that hold the header of any packet this program writes. */
export const PACKET_HEAD = 1 << 14

/** @param size  bytes of the packet; `buffer` may hold only its beginning. @throws FormatError when it is no complete packet */
export function readPacketIndex<Meta>(buffer: ArrayBufferLike, from = 0, size = buffer.byteLength - from): PacketIndex<Meta> {
  const view = new DataView(buffer)
  const broken = (): FormatError => new FormatError('bad-packet', 'A stored block is damaged; bring the case in again.')
  if (size < 8 || buffer.byteLength - from < 8 || view.getUint32(from, true) !== MAGIC) throw broken()
  const start = 8 + view.getUint32(from + 4, true)
  if (start > size || from + start > buffer.byteLength) throw broken()
  // a copy, since text is not decoded from shared memory
  const text = new TextDecoder().decode(new Uint8Array(buffer, from + 8, start - 8).slice())
  const { meta, arrays } = JSON.parse(text) as PacketIndex<Meta>
  for (const entry of Object.values(arrays)) {
    const [type, length] = entry
    entry[2] += start
    if (!constructors[type] || entry[2] + length * constructors[type].BYTES_PER_ELEMENT > size) throw broken()
  }
  return { meta, arrays }
}

/** @throws FormatError when the bytes are no whole packet */
export function decodePacket<Meta>(buffer: ArrayBufferLike, from = 0, to = buffer.byteLength): Packet<Meta> {
  const index = readPacketIndex<Meta>(buffer, from, to - from)
  const arrays: Record<string, PacketArray> = {}
  for (const [name, array] of Object.entries(index.arrays)) arrays[name] = viewArray(array, buffer, from)
  return { meta: index.meta, arrays }
}

/** @param from  byte of the buffer at which the packet begins */
export function viewArray([type, length, start]: PacketIndex['arrays'][string], buffer: ArrayBufferLike, from: number): PacketArray {
  return new constructors[type](buffer as ArrayBuffer, from + start, length)
}

/** Bytes of a packet from the first to the last of some of its arrays. */
export function rangeOf(arrays: readonly PacketIndex['arrays'][string][]): [number, number] {
  const ends = arrays.map(([type, length, start]) => start + length * constructors[type].BYTES_PER_ELEMENT)
  return [Math.min(...arrays.map(([, , start]) => start)), Math.max(...ends)]
}

function padded(n: number): number {
  return 8 * Math.ceil(n / 8)
}
