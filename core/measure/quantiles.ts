/**
 * The k-th smallest value without sorting all: Hoare's selection ("Algorithm 65: find", CACM 4, 1961) with the middle of
 * three as pivot. O(n) on average.
 */

/**
 * @param values  finite; re-ordered
 * @returns for each share (0 … 1) the value that this share of the others lies below; empty when there are no values
 */
export function quantiles(values: Float64Array, shares: readonly number[]): number[] {
  if (!values.length) return []
  return shares.map((share) => select(values, Math.min(values.length - 1, Math.floor(share * values.length))))
}

function select(values: Float64Array, k: number): number {
  let lo = 0
  let hi = values.length - 1
  while (lo < hi) {
    const pivot = middleOf(values[lo]!, values[(lo + hi) >> 1]!, values[hi]!)
    let i = lo
    let j = hi
    while (i <= j) {
      while (values[i]! < pivot) i++
      while (values[j]! > pivot) j--
      if (i > j) break
      const x = values[i]!
      values[i++] = values[j]!
      values[j--] = x
    }
    // now lo … j ≤ pivot ≤ i … hi, and all between equal it
    if (k <= j) hi = j
    else if (k >= i) lo = i
    else break
  }
  return values[k]!
}

function middleOf(a: number, b: number, c: number): number {
  return Math.max(Math.min(a, b), Math.min(Math.max(a, b), c))
}
