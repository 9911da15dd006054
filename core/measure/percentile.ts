/**
 * The value that a share of the size (volume, area, length) lies below.
 *
 * Values are counted into bins by their size, then those of one bin once more: exact to 2⁻³² of the range, in three passes and bounded
 * memory, whatever the number of cells. What is not finite is left out.
 */

const BINS = 1 << 16
/** Times that a bin is divided. */
const PASSES = 2

/**
 * @param each   runs through all values with their sizes, in any order; called three times
 * @param share  from 0 to 1
 * @returns not-a-number where there is nothing
 */
export function percentileOf(each: (use: (value: number, size: number) => void) => void, share: number): number {
  let [low, high, total] = [Infinity, -Infinity, 0]
  each((value, size) => {
    if (!Number.isFinite(value)) return
    low = Math.min(low, value)
    high = Math.max(high, value)
    total += size
  })
  if (!(total > 0)) return NaN
  if (share <= 0) return low
  if (share >= 1) return high
  const wanted = share * total
  let below = 0
  for (let pass = 0; pass < PASSES && high > low; pass++) {
    const [from, to, width] = [low, high, (high - low) / BINS]
    const sizes = new Float64Array(BINS)
    each((value, size) => {
      if (value >= from && value <= to) sizes[Math.min(BINS - 1, Math.floor((value - from) / width))]! += size
    })
    let bin = 0
    while (bin < BINS - 1 && below + sizes[bin]! < wanted) below += sizes[bin++]!
    low = from + bin * width
    high = bin === BINS - 1 ? to : low + width
  }
  return (low + high) / 2
}
