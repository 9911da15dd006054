/** Plain sums of values that belong to whole cells or faces, such as what flows through each face. */
import type { FieldValues, MeshBlock } from '../mesh/MeshBlock'
import { Sum } from './sums'

export interface CellSum {
  sums: number[]
  /** Cells that were added. */
  cells: number
  nonFinite: number
}

/**
 * Adds the value of every cell of a part once, pieces of one cell together, in the order of the blocks.
 *
 * @param values  by cell
 */
export function sumCells(nBlocks: number, meshOf: (k: number) => MeshBlock, valuesOf: (k: number) => FieldValues): CellSum {
  let sums: Sum[] = []
  let last = -1
  const out: CellSum = { sums: [], cells: 0, nonFinite: 0 }
  for (let k = 0; k < nBlocks; k++) {
    const { cellNumbers } = meshOf(k)
    const { values, components } = valuesOf(k)
    if (!sums.length) sums = Array.from({ length: components }, () => new Sum())
    for (let c = 0; c < cellNumbers.length; c++) {
      if (cellNumbers[c] === last) continue
      last = cellNumbers[c]!
      const own = values.subarray(c * components, (c + 1) * components)
      if (!own.every(Number.isFinite)) {
        out.nonFinite++
        continue
      }
      out.cells++
      for (let d = 0; d < components; d++) sums[d]!.add(own[d]!)
    }
  }
  out.sums = sums.map((sum) => sum.value)
  return out
}
