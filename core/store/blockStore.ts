/**
 * The block store of a case: what was read from the source, in blocks that are one contiguous read each.
 *
 *     <part>-mesh<layout>-<version>.blocks  packets of MeshBlock, one per block
 *     <part>-<field>-<moment>.blocks    packets of values copied to the block's points or in the order of its cells
 *     *.json for each                   offsets of the packets, boxes, extremes
 *
 * A store is a cache: it can be deleted and is made again from the source. Writing needs the whole mesh of one part in
 * memory (see `memoryOfPart`); values pass through one field at a time.
 */
import { boxOfPoints } from '../mesh/boxes'
import { groupRanges } from '../mesh/groups'
import type { GroupNodes } from '../mesh/groups'
import { storedCells } from '../mesh/splitCells'
import type { Box, FieldValues, FloatArray, MeshBlock } from '../mesh/MeshBlock'
import { makeBlock } from './partition'
import type { Partition } from './partition'
import { decodePacket, encodePacket, SpareBuffers } from './packet'

/** Bytes [start, end) of each block's packet. */
export type Extents = [number, number][]

export interface MeshIndex {
  extents: Extents
  boxes: Box[]
  cells: number
  points: number
}

export interface FieldIndex {
  extents: Extents
  place: 'point' | 'cell'
  components: number
  /** Smallest and largest finite value of each block; of the magnitude for vectors. */
  ranges: [number, number][]
  nonFinite: number
}

/** Takes bytes one after the other; they may be other ones once the next call has returned. */
export interface Sink {
  append(bytes: Uint8Array): Promise<void>
}

/** Largest memory that reading and sorting a part takes, in bytes: mesh, sort keys, marks and boundary faces. */
export function memoryOfPart(part: { points: number; cells: number; cellTypes: Readonly<Record<string, number>> }): number {
  return part.points * (24 + 4) + storedCells(part) * (2 * 32 + 40)
}

/** Writes blocks one after the other and keeps their index. */
export class BlockWriter {
  readonly index: MeshIndex
  private readonly spare = new SpareBuffers()
  private at = 0

  constructor(
    private readonly sink: Sink,
    points: number,
  ) {
    this.index = { extents: [], boxes: [], cells: 0, points }
  }

  async add(block: MeshBlock): Promise<void> {
    const bytes = encodePacket({ meta: {}, arrays: { ...block } }, (size) => this.spare.take(size))
    await this.sink.append(bytes)
    this.index.boxes.push(boxOfPoints(block.points))
    this.index.extents.push([this.at, this.at + bytes.length])
    this.index.cells += block.types.length
    this.at += bytes.length
  }
}

/** Writes all blocks of a part. @param check  called per block; throws to cancel */
export async function writeMesh(parts: Partition, sink: Sink, check: (done: number, of: number) => void): Promise<MeshIndex> {
  const writer = new BlockWriter(sink, parts.mesh.points.length / 3)
  for (let k = 0; k < parts.nBlocks; k++) {
    check(k, parts.nBlocks)
    await writer.add(makeBlock(parts, k))
  }
  return writer.index
}

/** Writes values block by block and keeps their index. */
export class FieldWriter {
  readonly index: FieldIndex
  private readonly spare = new SpareBuffers()
  private at = 0

  constructor(
    private readonly components: number,
    private readonly place: 'point' | 'cell',
    private readonly sink: Sink,
  ) {
    this.index = { extents: [], place, components, ranges: [], nonFinite: 0 }
  }

  /**
   * @param values  in the order of the block
   * @param nodes   of the groups of its cells, for values at points
   */
  async add(values: FloatArray, nodes?: GroupNodes): Promise<void> {
    const { components, place, index } = this
    const { groups, range, nonFinite } = groupRanges(values, components, nodes)
    index.ranges.push(range)
    index.nonFinite += nonFinite
    const bytes = encodePacket({ meta: { place, components }, arrays: { values, groups } }, (size) => this.spare.take(size))
    await this.sink.append(bytes)
    index.extents.push([this.at, this.at + bytes.length])
    this.at += bytes.length
  }
}

/** @param size  bytes of the packet, where the buffer is longer */
export function decodeMesh(buffer: ArrayBufferLike, size = buffer.byteLength): MeshBlock {
  return decodePacket(buffer, 0, size).arrays as unknown as MeshBlock
}

/** Values of a block, with the extremes of its groups. */
export function decodeField(buffer: ArrayBufferLike): FieldValues & { groups: Float64Array } {
  const { meta, arrays } = decodePacket<{ place: 'point' | 'cell'; components: number }>(buffer)
  return { ...meta, values: arrays['values'] as FloatArray, groups: arrays['groups'] as Float64Array }
}
