/** Runs of GROUP_CELLS cells: the points each one uses, once each, and their boxes. */
import { sharedKernels } from '../kernels/Kernels'
import { GROUP_CELLS } from './MeshBlock'
import type { MeshBlock } from './MeshBlock'

export type Groups = Pick<MeshBlock, 'groups' | 'groupStarts' | 'groupNodes'>

/** As in `MeshBlock`. */
export function groupsOf({ points, offsets, connectivity }: Pick<MeshBlock, 'points' | 'offsets' | 'connectivity'>): Groups {
  const kernels = sharedKernels()
  return kernels.within(() => {
    const nCells = offsets.length - 1
    const n = Math.ceil(nCells / GROUP_CELLS)
    const starts = kernels.take(Uint32Array, n + 1)
    const nodes = kernels.take(Uint32Array, connectivity.length)
    const length = kernels.run.groupNodes(
      kernels.put(offsets),
      kernels.put(connectivity),
      nCells,
      points.length / 3,
      GROUP_CELLS,
      starts,
      nodes,
    )
    const boxes = kernels.take(Float32Array, 6 * n)
    const groupBoxes = points instanceof Float32Array ? kernels.run.groupBoxesSingle : kernels.run.groupBoxesDouble
    groupBoxes(kernels.put(points), starts, nodes, n, boxes)
    return {
      groups: kernels.view(Float32Array, boxes, 6 * n).slice(),
      groupStarts: kernels.view(Uint32Array, starts, n + 1).slice(),
      groupNodes: kernels.view(Uint32Array, nodes, length).slice(),
    }
  })
}

/** Where each group begins among n cells: (nGroups + 1). */
export function groupStartsOf(nCells: number): Uint32Array {
  return Uint32Array.from({ length: Math.ceil(nCells / GROUP_CELLS) + 1 }, (_, g) => Math.min(g * GROUP_CELLS, nCells))
}
