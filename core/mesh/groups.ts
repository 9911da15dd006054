/** Runs of GROUP_CELLS cells: the points each one uses, once each, their boxes, and the extremes of values on them. */
import { sharedKernels } from '../kernels/Kernels'
import { GROUP_CELLS } from './MeshBlock'
import type { FloatArray, MeshBlock } from './MeshBlock'

export type Groups = Pick<MeshBlock, 'groups' | 'groupStarts' | 'groupNodes'>

/** As in `MeshBlock`. @param size  cells of a group */
export function groupsOf(
  { points, offsets, connectivity }: Pick<MeshBlock, 'points' | 'offsets' | 'connectivity'>,
  size = GROUP_CELLS,
): Groups {
  const kernels = sharedKernels()
  return kernels.within(() => {
    const nCells = offsets.length - 1
    const n = Math.ceil(nCells / size)
    const starts = kernels.take(Uint32Array, n + 1)
    const nodes = kernels.take(Uint32Array, connectivity.length)
    const length = kernels.run.groupNodes(kernels.put(offsets), kernels.put(connectivity), nCells, points.length / 3, size, starts, nodes)
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

export type GroupNodes = Pick<Groups, 'groupStarts' | 'groupNodes'>

/**
 * Extremes of each group of cells (2 × nGroups) and of the block; of the magnitude for vectors and tensors.
 *
 * @param nodes  absent for values of cells
 */
export function groupRanges(
  values: FloatArray,
  components: number,
  nodes: GroupNodes | undefined,
): { groups: Float64Array; range: [number, number]; nonFinite: number } {
  const kernels = sharedKernels()
  return kernels.within(() => {
    const n = values.length / components
    const sizes = kernels.take(Float64Array, n)
    const sizesOf = values instanceof Float32Array ? kernels.run.sizesSingle : kernels.run.sizesDouble
    sizesOf(kernels.put(values), n, components, sizes)
    const starts = nodes?.groupStarts ?? groupStartsOf(n)
    const nGroups = starts.length - 1
    const groups = kernels.take(Float64Array, 2 * nGroups)
    kernels.run.groupRanges(sizes, kernels.put(starts), nodes ? kernels.put(nodes.groupNodes) : 0, nGroups, groups)
    const extremes = kernels.take(Float64Array, 3)
    kernels.run.extremes(sizes, n, extremes)
    const [min, max, nonFinite] = kernels.view(Float64Array, extremes, 3) as unknown as [number, number, number]
    return { groups: kernels.view(Float64Array, groups, 2 * nGroups).slice(), range: [min, max], nonFinite }
  })
}
