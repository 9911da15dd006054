/** The sample of a curve that a cursor stands at. */

/** Nearest by the abscissa among those with a value. @returns undefined where none has one */
export function nearestSample({ x, y }: { x: readonly (number | null)[]; y: readonly (number | null)[] }, at: number): number | undefined {
  let found: number | undefined
  let least = Infinity
  x.forEach((own, i) => {
    if (own === null || y[i] == null) return
    const distance = Math.abs(own - at)
    if (distance < least) [found, least] = [i, distance]
  })
  return found
}
