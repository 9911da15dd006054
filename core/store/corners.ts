/** Values at the corners of cells: each cell has its own at a point, so that they jump between cells. */
import type { CornerValues, PlainValues } from '../formats/Format'
import { addedOf } from '../mesh/MeshBlock'
import type { BlockOrder, FloatArray } from '../mesh/MeshBlock'
import { putAdded } from '../mesh/splitCells'

/** Values of a source at the points of a block whose cells have corners of their own; not-a-number where there is none. */
export function gatherCorners({ values, components, corners: { offsets, nodes } }: CornerValues, block: BlockOrder): FloatArray {
  const { pointNumbers, pointSources = pointNumbers, pointCells } = block
  if (!pointCells) throw new Error('the points of this block are shared by cells')
  const n = pointNumbers.length
  const out = (values instanceof Float32Array ? new Float32Array(n * components) : new Float64Array(n * components)).fill(NaN)
  const at = (cell: number, point: number): number => {
    for (let i = offsets[cell]!; i < offsets[cell + 1]!; i++) if (nodes[i] === point) return i
    return -1
  }
  for (let p = 0; p < n; p++) {
    const from = at(pointCells[p]!, pointSources[p]!)
    if (from >= 0) for (let c = 0; c < components; c++) out[p * components + c] = values[from * components + c]!
  }
  const added = addedOf(block)
  added?.addedPoints.forEach((p, k) => {
    const own = added.addedNodes.subarray(added.addedStarts[k], added.addedStarts[k + 1])
    putAdded(
      out,
      p,
      values,
      own.map((node) => at(pointCells[p]!, node)),
      added.addedTypes[k]!,
      components,
    )
  })
  return out
}

/** The mean of the corners of each cell: what formats and views take that have one value a cell. */
export function cornerMeans({ values, components, corners: { offsets } }: CornerValues): PlainValues {
  const n = offsets.length - 1
  const means = new Float64Array(n * components)
  for (let cell = 0; cell < n; cell++) {
    const [from, to] = [offsets[cell]!, offsets[cell + 1]!]
    for (let i = from; i < to; i++)
      for (let c = 0; c < components; c++) means[cell * components + c]! += values[i * components + c]! / (to - from)
  }
  return { values: means, components, place: 'cell' }
}
