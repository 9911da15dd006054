/** What is left of a block as a packet. A block that is left as it is is not copied. */
import type { PartialBlock } from '../mesh/Domain'
import type { Packet, PacketSource } from '../store/packet'
import type { LeftOfBlock } from '../shapes/keepMesh'

interface LeftMeta {
  left: 'all' | 'nothing' | 'part'
  nLost: number
}

export function encodeLeft({ left, nLost }: LeftOfBlock): { meta: LeftMeta; arrays: Record<string, PacketSource> } {
  if (left === 'all' || left === 'nothing') return { meta: { left, nLost }, arrays: {} }
  return { meta: { left: 'part', nLost }, arrays: { ...left } as Record<string, PacketSource> }
}

/** Views on the packet. */
export function decodeLeft({ meta, arrays }: Packet): LeftOfBlock {
  const { left, nLost } = meta as LeftMeta
  return { left: left === 'part' ? (arrays as unknown as PartialBlock) : left, nLost }
}
