/** Plain sums of values that belong to whole cells or faces, such as what flows through each face. */
import { eachBlock } from '../mesh/MeshBlock'
import type { FieldValues, PartBlocks } from '../mesh/MeshBlock'
import { Sum } from './sums'

export interface CellSum {
  sums: number[]
  /** Of the positive values alone. */
  positive: number[]
  /** Cells that were added. */
  cells: number
  nonFinite: number
}

/**
 * Adds the value of every cell of a part once, pieces of one cell together, in the order of the blocks.
 *
 * @param valuesOf  by cell
 * @param check     called per block; throws to cancel
 */
export function sumCells(part: PartBlocks, valuesOf: (k: number) => FieldValues, check: () => void): CellSum {
  let sums: Sum[] = []
  let positive: Sum[] = []
  let last = -1
  const out: CellSum = { sums: [], positive: [], cells: 0, nonFinite: 0 }
  eachBlock(part, check, ({ cellNumbers }, k) => {
    const { values, components } = valuesOf(k)
    if (!sums.length) [sums, positive] = [0, 1].map(() => Array.from({ length: components }, () => new Sum())) as [Sum[], Sum[]]
    for (let c = 0; c < cellNumbers.length; c++) {
      if (cellNumbers[c] === last) continue
      last = cellNumbers[c]!
      const own = values.subarray(c * components, (c + 1) * components)
      if (!own.every(Number.isFinite)) {
        out.nonFinite++
        continue
      }
      out.cells++
      own.forEach((x, i) => {
        sums[i]!.add(x)
        if (x > 0) positive[i]!.add(x)
      })
    }
  })
  out.sums = sums.map((sum) => sum.value)
  out.positive = positive.map((sum) => sum.value)
  return out
}
