/**
 * Pictures of the outside of a volume in chunks, one for each of its pieces. While a cut is dragged many blocks of the volume stay as they
 * are: of these only their places in the picture that the asker has are sent, and the asker puts the new picture together.
 */
import type { Shape, ShapeRange } from '../shapes/Shape'
import type { Packet } from '../store/packet'
import type { ReadAnswer } from './answers'
import type { ShapeMeta, ValuesMeta } from './pictures'
import type { TargetOf } from './plan'

/** How much of a picture belongs to a piece of its shape. Points in elements, and cells in their block, count from 0 in what is sent. */
export interface Chunk {
  points: number
  elements: number
  /** The keys of its cells count from 2^17 times this. */
  block: number
  /** Equal for equal chunks; a chunk without one is like no other. */
  name?: string
  /** Not sent: it is this one of the chunks that the asker has. */
  was?: number
}

/** Names of the chunks that an asker has, in their order; empty for those without. */
export type Had = readonly string[]

/** What an asker has: a shape, and values on it by the names that their answers gave them (`of`). */
export interface HadPicture {
  shape: Packet<ShapeMeta>
  values: ReadonlyMap<string, Packet<ValuesMeta>>
}

/** Numbers that keys of cells of one block can take: blocks hold fewer cells. */
export const CELLS_OF_BLOCK = 2 ** 17

/** Chunks that a request may name. */
export const MOST_CHUNKS = 5000

/** Numbers blocks in the order in which they come. */
export function blockNumbers(): (of: Pick<ShapeRange, 'part' | 'block'>) => number {
  const numbers = new Map<string, number>()
  return ({ part, block }) => {
    const name = `${part} ${block}`
    if (!numbers.has(name)) numbers.set(name, numbers.size)
    return numbers.get(name)!
  }
}

/** The chunks of a shape, one for each piece. */
export function chunksOf({ pieces }: Pick<Shape, 'pieces'>, had: Had): Chunk[] {
  const places = new Map(had.map((name, i) => [name, i]))
  const numberOf = blockNumbers()
  return pieces.map(({ points, cells, ranges, uncut }): Chunk => {
    const was = uncut && places.get(uncut.name)
    return {
      // a piece of the outside of a volume lies in one block
      ...{ points: points.length / 3, elements: cells.length, block: numberOf(ranges[0]!) },
      ...(uncut && { name: uncut.name }),
      ...(was !== undefined && { was }),
    }
  })
}

/** What a target says of what the asker has. */
export function wordsOf({ shape, values }: HadPicture): Pick<TargetOf<'picture'>, 'haveChunks' | 'haveValues'> {
  const chunks = shape.meta.chunks!
  if (chunks.length > MOST_CHUNKS) return {}
  return { haveChunks: chunks.map(({ name = '' }) => name), haveValues: [...values.keys()] }
}

/** What an asker has when it has taken an answer. @param before  what it had */
export function hadAfter({ answer, shape, values, vectors }: ReadAnswer, before: HadPicture | null | undefined): HadPicture | null {
  const on = shape ?? before?.shape
  if (!on?.meta.chunks) return null
  const own = new Map<string, Packet<ValuesMeta>>()
  for (const entry of [...(answer.values ?? []), ...(answer.vectors ? [answer.vectors] : [])]) {
    const packet = entry === answer.vectors ? vectors : values.get(entry.variable)
    // others are sent whole
    if (packet && 'of' in entry && !packet.meta.reference && packet.meta.place !== 'corner') own.set(entry.of, packet)
  }
  return { shape: on, values: own }
}

/** An answer with its chunks put together. @param had  what the asker said that it has when it asked */
export function completed(read: ReadAnswer, had?: HadPicture): ReadAnswer {
  const { answer, shape } = read
  if (!shape?.meta.chunks) return read
  const all = (packet: Packet<ValuesMeta>, of: string): Packet<ValuesMeta> =>
    packet.meta.was ? completeValues(packet, had!.values.get(of)!, { now: shape.meta.chunks!, had: had!.shape.meta.chunks! }) : packet
  const { vectors } = answer
  const values = new Map(read.values)
  for (const entry of answer.values ?? []) {
    const packet = read.values.get(entry.variable)
    if (packet && 'of' in entry) values.set(entry.variable, all(packet, entry.of))
  }
  return {
    ...{ ...read, shape: completeShape(shape, had?.shape), values },
    ...(read.vectors && vectors && 'of' in vectors && { vectors: all(read.vectors, vectors.of) }),
  }
}

/** A shape with all chunks one after the other. */
function completeShape({ meta, arrays }: Packet<ShapeMeta>, had?: Packet<ShapeMeta>): Packet<ShapeMeta> {
  const chunks = meta.chunks!
  const own = startsOf(chunks)
  const old = had && startsOf(had.meta.chunks!)
  const ends = own.at(-1)!
  const [points, elements, cells] = [new Float32Array(3 * ends.points), new Uint32Array(3 * ends.elements), new Uint32Array(ends.elements)]
  let sent = { points: 0, elements: 0 }
  chunks.forEach((chunk, i) => {
    const to = own[i]!
    const from = chunk.was === undefined ? sent : old![chunk.was]!
    const source = chunk.was === undefined ? arrays : had!.arrays
    const last = { points: from.points + chunk.points, elements: from.elements + chunk.elements }
    points.set(source['points']!.subarray(3 * from.points, 3 * last.points), 3 * to.points)
    elements.set(source['elements']!.subarray(3 * from.elements, 3 * last.elements), 3 * to.elements)
    cells.set(source['cells']!.subarray(from.elements, last.elements), to.elements)
    // what is sent counts from 0
    const [before, block] = chunk.was === undefined ? [0, 0] : [from.points, had!.meta.chunks![chunk.was]!.block]
    shift(elements, 3 * to.elements, 3 * chunk.elements, to.points - before)
    shift(cells, to.elements, chunk.elements, CELLS_OF_BLOCK * (chunk.block - block))
    if (chunk.was === undefined) sent = last
  })
  return { meta: { ...meta, chunks: chunks.map(({ was: _, ...chunk }) => chunk) }, arrays: { points, elements, cells } }
}

/** Values with the chunks that were not sent. @param shape  what they lie on, and what those that the asker has lie on */
function completeValues(
  { meta, arrays }: Packet<ValuesMeta>,
  had: Packet<ValuesMeta>,
  shape: { now: readonly Chunk[]; had: readonly Chunk[] },
): Packet<ValuesMeta> {
  const size = (chunk: Chunk): number => meta.components * (meta.place === 'point' ? chunk.points : chunk.elements)
  const starts = [0]
  for (const chunk of shape.had) starts.push(starts.at(-1)! + size(chunk))
  const values = new Float32Array(shape.now.reduce((n, chunk) => n + size(chunk), 0))
  let to = 0
  let sent = 0
  shape.now.forEach((chunk, i) => {
    const n = size(chunk)
    const was = meta.was![i]!
    const from = was < 0 ? sent : starts[was]!
    values.set((was < 0 ? arrays : had.arrays)['values']!.subarray(from, from + n), to)
    if (was < 0) sent += n
    to += n
  })
  const { was: _, ...whole } = meta
  return { meta: whole, arrays: { values } }
}

/** Where each chunk begins, and where the last one ends. */
function startsOf(chunks: readonly Chunk[]): { points: number; elements: number }[] {
  const starts = [{ points: 0, elements: 0 }]
  for (const { points, elements } of chunks) {
    const last = starts.at(-1)!
    starts.push({ points: last.points + points, elements: last.elements + elements })
  }
  return starts
}

function shift(numbers: Uint32Array, from: number, n: number, by: number): void {
  if (by) for (let i = from; i < from + n; i++) numbers[i]! += by
}
