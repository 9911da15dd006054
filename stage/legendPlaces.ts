/** Where legends stand: where their user put them, else in the free room beside the model. All in one unit, from the top left. */
import type { corners } from '../core/study/studyModel'

export interface Rect {
  x: number
  y: number
  width: number
  height: number
}

export type Corner = (typeof corners)[number]

/** Distance from a corner, inwards. */
export interface LegendPlace {
  corner: Corner
  x: number
  y: number
}

export interface LegendRoom {
  width: number
  height: number
  /** Corners of the model on the screen, in any order; empty for none. */
  model: readonly (readonly [number, number])[]
  /** What else stands there. */
  taken: readonly Rect[]
  /** Left free along the edges and between legends. */
  gap: number
}

export interface LegendToPlace {
  width: number
  height: number
  place?: LegendPlace | undefined
}

/** Candidates along each side. */
const STEPS = 48
/** Overlap with something else counts so many times as much as with the model. */
const TAKEN = 20

/** Those that were put somewhere stand there; the others go where they cover least, nothing if possible, and there to the right and up. */
export function placeLegends(room: LegendRoom, legends: readonly LegendToPlace[]): Rect[] {
  const hull = convexHull(room.model)
  const found = legends.map(({ width, height, place }) => place && { ...placed(place, width, height, room), width, height })
  const taken: Rect[] = [...room.taken, ...found.filter((rect): rect is Rect => rect !== undefined)]
  return legends.map(({ width, height }, i) => {
    const own = found[i] ?? freePlace(room, hull, taken, width, height)
    if (!found[i]) taken.push(own)
    return own
  })
}

/** The nearest corner and how far it is, for a legend that was moved. */
export function placeOf({ x, y, width, height }: Rect, { width: w, height: h }: Pick<LegendRoom, 'width' | 'height'>): LegendPlace {
  const isRight = x + width / 2 > w / 2
  const isBottom = y + height / 2 > h / 2
  return {
    corner: `${isBottom ? 'bottom' : 'top'}-${isRight ? 'right' : 'left'}`,
    x: Math.max(0, isRight ? w - x - width : x),
    y: Math.max(0, isBottom ? h - y - height : y),
  }
}

function placed({ corner, x, y }: LegendPlace, width: number, height: number, room: LegendRoom): { x: number; y: number } {
  const within = (at: number, size: number, all: number): number => Math.max(0, Math.min(at, all - size))
  return {
    x: within(corner.endsWith('right') ? room.width - x - width : x, width, room.width),
    y: within(corner.startsWith('bottom') ? room.height - y - height : y, height, room.height),
  }
}

function freePlace(room: LegendRoom, hull: readonly Point[], taken: readonly Rect[], width: number, height: number): Rect {
  const { gap } = room
  const [right, bottom] = [Math.max(gap, room.width - gap - width), Math.max(gap, room.height - gap - height)]
  let best: { rect: Rect; cost: number } | undefined
  const steps = (from: number, to: number): number[] => Array.from({ length: STEPS + 1 }, (_, i) => from + ((to - from) * i) / STEPS)
  // beside what stands there already it fits without a gap that is lost
  const xs = [...steps(right, gap), ...taken.flatMap((other) => [other.x - gap - width, other.x + other.width + gap])]
  const ys = [...steps(gap, bottom), ...taken.flatMap((other) => [other.y + other.height + gap, other.y - gap - height])]
  for (const x of xs) {
    if (x < 0 || x > right) continue
    for (const y of ys) {
      if (y < 0 || y > bottom) continue
      const rect = { x, y, width, height }
      const far = ((right - x) * 2 + (y - gap)) * 1e-3
      let cost = far
      for (const other of taken) {
        cost += TAKEN * overlap(rect, other)
        if (best && cost >= best.cost) break
      }
      if (best && cost >= best.cost) continue
      cost += covered(hull, grown(rect, gap / 2))
      if (!best || cost < best.cost) best = { rect, cost }
    }
  }
  return best?.rect ?? { x: right, y: gap, width, height }
}

function grown({ x, y, width, height }: Rect, by: number): Rect {
  return { x: x - by, y: y - by, width: width + 2 * by, height: height + 2 * by }
}

/** Area that two rectangles share. */
export function overlap(a: Rect, b: Rect): number {
  const w = Math.min(a.x + a.width, b.x + b.width) - Math.max(a.x, b.x)
  const h = Math.min(a.y + a.height, b.y + b.height) - Math.max(a.y, b.y)
  return w > 0 && h > 0 ? w * h : 0
}

type Point = readonly [number, number]

/** Area of a convex polygon within a rectangle: cut at its sides one after the other (Sutherland and Hodgman 1974). */
export function covered(hull: readonly Point[], { x, y, width, height }: Rect): number {
  let polygon = hull
  for (const [axis, limit, sign] of [
    [0, x, 1],
    [0, x + width, -1],
    [1, y, 1],
    [1, y + height, -1],
  ] as const) {
    const inside = (p: Point): number => sign * (p[axis] - limit)
    polygon = polygon.flatMap((p, i): Point[] => {
      const q = polygon[(i + 1) % polygon.length]!
      const [a, b] = [inside(p), inside(q)]
      const own: Point[] = a >= 0 ? [p] : []
      if (a * b < 0) own.push([p[0] + ((q[0] - p[0]) * a) / (a - b), p[1] + ((q[1] - p[1]) * a) / (a - b)])
      return own
    })
    if (!polygon.length) return 0
  }
  return (
    Math.abs(
      polygon.reduce(
        (sum, [px, py], i) => sum + px * polygon[(i + 1) % polygon.length]![1] - polygon[(i + 1) % polygon.length]![0] * py,
        0,
      ),
    ) / 2
  )
}

/** Andrew's monotone chain (1979). */
export function convexHull(points: readonly Point[]): Point[] {
  const sorted = [...points].sort((a, b) => a[0] - b[0] || a[1] - b[1])
  const half = (list: readonly Point[]): Point[] => {
    const out: Point[] = []
    for (const p of list) {
      while (out.length > 1 && turn(out[out.length - 2]!, out[out.length - 1]!, p) <= 0) out.pop()
      out.push(p)
    }
    return out.slice(0, -1)
  }
  return sorted.length < 3 ? sorted : [...half(sorted), ...half(sorted.reverse())]
}

function turn(a: Point, b: Point, c: Point): number {
  return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
}
