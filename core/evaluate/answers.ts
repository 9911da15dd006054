/**
 * The stream that answers a request: one frame for each target, as soon as it is done, in no order.
 *
 *     bytes 0–3   length of the head, a multiple of 8 less 8, Uint32 little-endian
 *     bytes 4–7   length of the body
 *     head        JSON (`Answer`), padded with spaces
 *     body        packets (`packet.ts`) or a file, each padded to 8 bytes, with the lengths that the head states
 */
import type { Key } from '../digest'
import type { ErrorData } from '../errors'
import { decodePacket } from '../store/packet'
import type { Packet } from '../store/packet'
import type { ShapeMeta, ValuesMeta } from './pictures'

export interface ValuesAnswer {
  /** As in the target. */
  variable: string
  key: Key
  /** Equal for the same values on another shape. */
  of: Key
  name: string
  unit: string | null
  bytes: number
}

/** Why values of a variable are not there; the shape is. */
export interface ValuesFailure {
  variable: string
  error: ErrorData
}

export interface Answer {
  /** Place in the list of targets. */
  target: number
  error?: ErrorData
  /** Share that is done: another answer to the target will follow. */
  progress?: number
  /** Of a picture; `bytes: 0` when the asker has it. */
  shape?: { key: Key; bytes: number }
  values?: (ValuesAnswer | ValuesFailure)[]
  /** Of a picture with vectors. */
  vectors?: ValuesAnswer | ValuesFailure
  /** Of an outcome, a range or a probe. */
  json?: unknown
  /** Of a file. */
  file?: { bytes: number }
}

const HEAD = 8

/** @param bodies  lengths of what follows, as the answer states them */
export function answerHead(answer: Answer, bodies: readonly number[]): Uint8Array<ArrayBuffer> {
  const text = new TextEncoder().encode(JSON.stringify(answer))
  const head = new Uint8Array(HEAD + padded(text.length)).fill(0x20)
  const view = new DataView(head.buffer)
  view.setUint32(0, padded(text.length), true)
  view.setUint32(
    4,
    bodies.reduce((sum, bytes) => sum + padded(bytes), 0),
    true,
  )
  head.set(text, HEAD)
  return head
}

export function padded(bytes: number): number {
  return 8 * Math.ceil(bytes / 8)
}

export interface ReadAnswer {
  answer: Answer
  shape?: Packet<ShapeMeta>
  /** By variable. */
  values: Map<string, Packet<ValuesMeta>>
  vectors?: Packet<ValuesMeta>
  file?: Uint8Array<ArrayBuffer>
}

/** Puts frames together from chunks as they arrive. */
export class AnswerReader {
  private chunks: Uint8Array[] = []
  private length = 0

  /** @returns the answers that are whole now */
  add(chunk: Uint8Array): ReadAnswer[] {
    this.chunks.push(chunk)
    this.length += chunk.length
    const found: ReadAnswer[] = []
    for (let size = this.nextSize(); size !== undefined && this.length >= size; size = this.nextSize())
      found.push(readFrame(this.take(size)))
    return found
  }

  private nextSize(): number | undefined {
    if (this.length < HEAD) return undefined
    if (this.chunks[0]!.length < HEAD) this.chunks = [this.joined()]
    const view = new DataView(this.chunks[0]!.buffer, this.chunks[0]!.byteOffset)
    return HEAD + view.getUint32(0, true) + view.getUint32(4, true)
  }

  private joined(): Uint8Array {
    const all = new Uint8Array(this.length)
    let at = 0
    for (const chunk of this.chunks) {
      all.set(chunk, at)
      at += chunk.length
    }
    return all
  }

  /** The first bytes, in a buffer of their own. */
  private take(size: number): Uint8Array<ArrayBuffer> {
    const out = new Uint8Array(size)
    let at = 0
    while (at < size) {
      const chunk = this.chunks[0]!
      const n = Math.min(chunk.length, size - at)
      out.set(chunk.subarray(0, n), at)
      at += n
      if (n === chunk.length) this.chunks.shift()
      else this.chunks[0] = chunk.subarray(n)
    }
    this.length -= size
    return out
  }
}

function readFrame(frame: Uint8Array<ArrayBuffer>): ReadAnswer {
  const headLength = new DataView(frame.buffer).getUint32(0, true)
  const answer = JSON.parse(new TextDecoder().decode(frame.subarray(HEAD, HEAD + headLength))) as Answer
  let at = HEAD + headLength
  const next = (bytes: number): [number, number] => {
    const from = at
    at += padded(bytes)
    return [from, from + bytes]
  }
  const read: ReadAnswer = { answer, values: new Map() }
  if (answer.shape?.bytes) read.shape = decodePacket<ShapeMeta>(frame.buffer, ...next(answer.shape.bytes))
  for (const values of answer.values ?? []) {
    if ('bytes' in values) read.values.set(values.variable, decodePacket<ValuesMeta>(frame.buffer, ...next(values.bytes)))
  }
  if (answer.vectors && 'bytes' in answer.vectors) read.vectors = decodePacket<ValuesMeta>(frame.buffer, ...next(answer.vectors.bytes))
  if (answer.file) read.file = frame.slice(...next(answer.file.bytes))
  return read
}
