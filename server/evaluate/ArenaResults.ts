/** Results of nodes in the arena. */
import { arenaKey } from '../../core/store/Arena'
import type { Arena } from '../../core/store/Arena'
import type { Key } from '../../core/digest'
import type { Results } from '../../core/evaluate/Computer'
import { encodePacket } from '../../core/store/packet'
import type { Packet, PacketSource } from '../../core/store/packet'

export class ArenaResults implements Results {
  constructor(
    private readonly arena: Arena,
    private readonly check: () => void,
  ) {}

  get(key: Key): Packet | undefined {
    return this.arena.get(arenaKey(key))
  }

  obtain(key: Key, make: () => { meta: unknown; arrays: Record<string, PacketSource> }): Packet {
    return this.arena.obtain(arenaKey(key), 'result', (take) => void encodePacket(make(), take), this.check)
  }

  within<T>(work: () => T): T {
    return this.arena.within(work)
  }
}
