/** A volume made of blocks of a case, for now whole blocks of regions. It refers to the blocks and copies nothing. */
import type { Box, PartBlocks } from './MeshBlock'

export interface DomainBlock {
  part: PartBlocks
  block: number
  is: 'whole'
  box: Box
}

export interface Domain {
  /** Regions that its blocks are of: positions are located in these. */
  parts: readonly PartBlocks[]
  blocks: readonly DomainBlock[]
}

export function wholeDomain(parts: readonly PartBlocks[]): Domain {
  const blocks = parts.flatMap((part) => part.boxes.map((box, block): DomainBlock => ({ part, block, is: 'whole', box })))
  return { parts, blocks }
}
