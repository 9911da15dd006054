/** A few points of a shape that reach furthest, each in another direction: what its outline is told by from any side. */
const DIRECTIONS = 96
/** Of larger shapes every so many-th point is looked at. */
const MOST_POINTS = 20_000

/** Evenly over the sphere, by the golden angle. */
const directions = Array.from({ length: DIRECTIONS }, (_, i): [number, number, number] => {
  const z = 1 - (2 * i + 1) / DIRECTIONS
  const [r, angle] = [Math.sqrt(1 - z * z), i * Math.PI * (3 - Math.sqrt(5))]
  return [r * Math.cos(angle), r * Math.sin(angle), z]
})

/** @returns coordinates, three for each of the points */
export function supportPoints(points: ArrayLike<number>): number[] {
  const n = points.length / 3
  const every = Math.max(1, Math.ceil(n / MOST_POINTS))
  // flat and long shapes are looked at as if they were as wide everywhere
  const low = [Infinity, Infinity, Infinity]
  const high = [-Infinity, -Infinity, -Infinity]
  for (let p = 0; p < n; p += every)
    for (let d = 0; d < 3; d++) {
      const x = points[3 * p + d]!
      if (x < low[d]!) low[d] = x
      if (x > high[d]!) high[d] = x
    }
  const size = [0, 1, 2].map((d) => high[d]! - low[d]! || 1) as [number, number, number]
  const found = new Set<number>()
  for (const direction of directions) {
    const [a, b, c] = direction.map((x, d) => x / size[d]!) as [number, number, number]
    let [furthest, at] = [-Infinity, -1]
    for (let p = 0; p < n; p += every) {
      const reach = a * points[3 * p]! + b * points[3 * p + 1]! + c * points[3 * p + 2]!
      if (reach > furthest) [furthest, at] = [reach, p]
    }
    if (at >= 0) found.add(at)
  }
  return [...found].flatMap((p) => [points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!])
}
