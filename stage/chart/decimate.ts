/** Fewer points of a curve where more of them than the screen has columns would be drawn over each other. */

/**
 * Smallest and largest value of each column, in the order in which they come, with the ends and both sides of gaps. A curve that
 * goes back and forth stays as it is: its columns would mix what lies apart.
 *
 * @param x  null is a gap
 * @returns indices of the points that are kept
 */
export function decimated(x: readonly (number | null)[], y: readonly (number | null)[], columns: number): number[] {
  const all = (): number[] => Array.from(x, (_, i) => i)
  if (x.length <= 4 * columns) return all()
  const [low, high] = endsOf(x)
  if (!isRising(x) || !(high > low)) return all()
  const kept: number[] = []
  let column = -1
  let own: number[] = []
  let isGap = true
  const flush = (): void => {
    kept.push(...[...new Set(own)].sort((a, b) => a - b))
    own = []
  }
  for (let i = 0; i < x.length; i++) {
    const value = y[i]
    if (x[i] === null || value == null) {
      flush()
      column = -1
      // one of a run of gaps is enough
      if (!isGap) kept.push(i)
      isGap = true
      continue
    }
    isGap = false
    const at = Math.floor(((x[i]! - low) / (high - low)) * columns)
    if (at !== column) {
      flush()
      column = at
      // first, smallest, largest and last
      own = [i, i, i, i]
    }
    if (value < y[own[1]!]!) own[1] = i
    if (value > y[own[2]!]!) own[2] = i
    own[3] = i
  }
  flush()
  return kept
}

function endsOf(x: readonly (number | null)[]): [number, number] {
  let [low, high] = [Infinity, -Infinity]
  for (const at of x) {
    if (at === null) continue
    if (at < low) low = at
    if (at > high) high = at
  }
  return [low, high]
}

/** Whether no point lies before the one that it follows. */
export function isRising(x: readonly (number | null)[]): boolean {
  let last = -Infinity
  for (const at of x) {
    if (at === null) continue
    if (at < last) return false
    last = at
  }
  return true
}
