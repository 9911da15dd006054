/** Reads of the blocks of a stored mesh only what the order of values needs. */
import { open } from 'node:fs/promises'
import type { FileHandle } from 'node:fs/promises'
import { addedOf } from '../../core/mesh/MeshBlock'
import type { BlockOrder, MeshBlock } from '../../core/mesh/MeshBlock'
import { PACKET_HEAD, rangeOf, readPacketIndex, viewArray } from '../../core/store/packet'
import type { PacketArray } from '../../core/store/packet'
import type { ImportJob } from './ImportJob'
import type { StoredMesh } from './messages'

/** What a `BlockOrder` has. */
const ORDER = /^(cellNumbers|group(Starts|Nodes)|point(Numbers|Sources|Cells)|added.*)$/

export class StoredBlocks {
  private constructor(
    private readonly job: ImportJob,
    private readonly handle: FileHandle,
    private readonly extents: readonly [number, number][],
  ) {}

  static async open(job: ImportJob, { file, index }: StoredMesh): Promise<StoredBlocks> {
    return new StoredBlocks(job, await open(job.path(file), 'r'), index.extents)
  }

  get length(): number {
    return this.extents.length
  }

  close(): Promise<void> {
    return this.handle.close()
  }

  /** Numbers in the source of a block's cells or points, then of the nodes that give the values of its added points. */
  async numbers(k: number, place: 'point' | 'cell'): Promise<Uint32Array> {
    const arrays = await this.arrays(k, (name) =>
      place === 'cell' ? name === 'cellNumbers' : /^(point(Numbers|Sources)|added.*)$/.test(name),
    )
    if (place === 'cell') return arrays['cellNumbers'] as Uint32Array
    const own = (arrays['pointSources'] ?? arrays['pointNumbers']) as Uint32Array
    const added = addedOf(arrays)
    if (!added) return own
    const numbers = new Uint32Array(own.length + added.addedNodes.length)
    numbers.set(own)
    numbers.set(added.addedNodes, own.length)
    return numbers
  }

  /** All blocks; the next one is read while one is used. */
  async *all(): AsyncGenerator<BlockOrder> {
    const read = (k: number): Promise<BlockOrder> => {
      const block = this.arrays(k, (name) => ORDER.test(name)) as Promise<unknown> as Promise<BlockOrder>
      // an error is thrown where it is waited for
      block.catch(() => undefined)
      return block
    }
    let next = this.length ? read(0) : undefined
    for (let k = 0; next; k++) {
      const block: BlockOrder = await next
      next = k + 1 < this.length ? read(k + 1) : undefined
      yield block
    }
  }

  /** Some arrays of a block: one read from the first to the last of them. */
  private async arrays(k: number, isWanted: (name: string) => boolean): Promise<Record<string, PacketArray> & Partial<MeshBlock>> {
    this.job.check()
    const [start, end] = this.extents[k]!
    const head = new Uint8Array(Math.min(PACKET_HEAD, end - start))
    await this.handle.read(head, 0, head.length, start)
    const index = readPacketIndex(head.buffer, 0, end - start)
    const wanted = Object.entries(index.arrays).filter(([name]) => isWanted(name))
    const [from, to] = rangeOf(wanted.map(([, array]) => array))
    const bytes = new Uint8Array(to - from)
    await this.handle.read(bytes, 0, bytes.length, start + from)
    return Object.fromEntries(wanted.map(([name, array]) => [name, viewArray(array, bytes.buffer, -from)]))
  }
}
