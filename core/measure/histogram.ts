/** How often values occur: shares of a size between edges at equal distances. */

export interface Histogram {
  /** One more than there are bins. */
  edges: Float64Array
  /** Size in each bin. */
  sizes: Float64Array
  total: number
  /** Size whose value is no number, and that beyond the edges. */
  lost: number
  outside: number
}

export type EachValue = (use: (value: number, size: number) => void) => void

/** @param range  of the edges; from the smallest to the largest value when absent. The last bin holds its upper edge, too. */
export function histogramOf(each: EachValue, bins: number, range?: readonly [number, number]): Histogram {
  const [low, high] = range ?? endsOf(each)
  const edges = Float64Array.from({ length: bins + 1 }, (_, i) => (i === bins ? high : low + ((high - low) * i) / bins))
  const sizes = new Float64Array(bins)
  const found: Histogram = { edges, sizes, total: 0, lost: 0, outside: 0 }
  each((value, size) => {
    found.total += size
    if (!Number.isFinite(value)) found.lost += size
    else if (value < low || value > high) found.outside += size
    else sizes[Math.min(bins - 1, Math.floor(((value - low) / (high - low)) * bins))]! += size
  })
  return found
}

/** Of equal values a range about them. */
function endsOf(each: EachValue): [number, number] {
  let [low, high] = [Infinity, -Infinity]
  each((value) => {
    if (!Number.isFinite(value)) return
    if (value < low) low = value
    if (value > high) high = value
  })
  if (!(low <= high)) return [0, 1]
  const about = 0.5 * Math.abs(low) || 0.5
  return low < high ? [low, high] : [low - about, high + about]
}
