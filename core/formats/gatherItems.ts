/** Some items of a list that is read by ranges. */
import type { FloatArray } from '../mesh/MeshBlock'

export interface FloatRanges {
  readonly length: number
  /** Items [from, to). */
  read(from: number, to: number): Promise<FloatArray>
}

/** Items that are read at a time. */
const WINDOW = 1 << 18

/** Some items of a list, read window by window: (components × n). */
export async function gatherItems(list: FloatRanges, numbers: Uint32Array, components: number): Promise<FloatArray> {
  const order = Uint32Array.from(numbers.keys()).sort((a, b) => numbers[a]! - numbers[b]!)
  let out: FloatArray = new Float64Array(0)
  for (let from = 0, i = 0; i < order.length && from < list.length; from += WINDOW) {
    const to = Math.min(from + WINDOW, list.length)
    if (numbers[order[i]!]! >= to) continue
    const window = await list.read(from, to)
    if (!out.length)
      out = window instanceof Float32Array ? new Float32Array(components * numbers.length) : new Float64Array(components * numbers.length)
    for (; i < order.length && numbers[order[i]!]! < to; i++) {
      for (let c = 0; c < components; c++) out[components * order[i]! + c] = window[components * (numbers[order[i]!]! - from) + c]!
    }
  }
  return out
}
