/** What is left of a block as a packet. A block that is left as it is is not copied. */
import type { PartialBlock } from '../mesh/Domain'
import type { Packet, PacketSource } from '../store/packet'
import type { LeftOfBlock } from '../shapes/condition'

export function encodeLeft(left: LeftOfBlock): { meta: unknown; arrays: Record<string, PacketSource> } {
  return left === 'all' || left === 'nothing'
    ? { meta: left, arrays: {} }
    : { meta: 'part', arrays: { ...left } as Record<string, PacketSource> }
}

/** Views on the packet. */
export function decodeLeft({ meta, arrays }: Packet): LeftOfBlock {
  return meta === 'all' || meta === 'nothing' ? meta : (arrays as unknown as PartialBlock)
}
