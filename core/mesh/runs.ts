/**
 * Runs of a few cells, finer than groups: since cells of a block follow a space-filling curve, a run lies close together. Cuts by functions
 * of position look only into runs that they touch. Their boxes are made when a block is first cut, and kept with it.
 */
import { GROUP_CELLS } from './MeshBlock'
import type { PartBlocks } from './MeshBlock'
import { groupsOf } from './groups'

/** Groups begin with a run. */
export const RUN_CELLS = GROUP_CELLS / 16

/** Boxes of the runs of block k, as those of groups in `MeshBlock`; valid while the block is held. */
export function runBoxes(part: PartBlocks, k: number): Float32Array {
  return part.derived(k, 'runs', () => ({ boxes: groupsOf(part.block(k), RUN_CELLS).groups }))['boxes'] as Float32Array
}
