/** Evaluation without threads or a store: for the command line and for tests. */
import type { Key } from '../digest'
import type { Packet, PacketArray, PacketSource } from '../store/packet'
import type { Results } from './Computer'

/** Blocks that were cut and are kept at a time. */
const NEAR_BLOCKS = 16

/** Results in ordinary memory. */
export class MapResults implements Results {
  private readonly packets = new Map<Key, Packet>()
  /** The last of them only. */
  private readonly blocks = new Map<Key, Packet>()

  get(key: Key): Packet | undefined {
    return this.packets.get(key)
  }

  obtain(key: Key, make: () => { meta: unknown; arrays: Record<string, PacketSource> }): Packet {
    let packet = this.packets.get(key)
    if (!packet) {
      this.packets.set(key, (packet = joinArrays(make())))
    }
    return packet
  }

  obtainBlock(key: Key, make: () => { meta: unknown; arrays: Record<string, PacketSource> }): Packet {
    let packet = this.blocks.get(key)
    if (!packet) {
      packet = joinArrays(make())
      if (this.blocks.size >= NEAR_BLOCKS) this.blocks.delete(this.blocks.keys().next().value!)
      this.blocks.set(key, packet)
    }
    return packet
  }

  within<T>(work: () => T): T {
    return work()
  }
}

function joinArrays({ meta, arrays }: { meta: unknown; arrays: Record<string, PacketSource> }): Packet {
  const joined = Object.entries(arrays).map(([name, source]) => [name, joinSource(source)] as const)
  return { meta, arrays: Object.fromEntries(joined) }
}

function joinSource(source: PacketSource): PacketArray {
  if (!Array.isArray(source)) return source as PacketArray
  const chunks = source as readonly PacketArray[]
  const type = chunks[0]!.constructor as new (n: number) => PacketArray
  const out = new type(chunks.reduce((n, chunk) => n + chunk.length, 0))
  let at = 0
  for (const chunk of chunks) {
    out.set(chunk, at)
    at += chunk.length
  }
  return out
}
