/**
 * Chains loose segments into polylines. Points at bitwise the same position are one: pieces of neighbouring blocks meet
 * there. Open lines come first, each from an end; then closed ones, from anywhere, with their first point repeated.
 * O(nSegments).
 */
import type { Shape } from '../Shape'

/** @returns point indices of each polyline, longest first */
export function chainSegments(shape: Shape): number[][] {
  const { points, elements } = shape
  const ids = positionIds(points)
  const links = new Map<number, { to: number; segment: number; from: number }[]>()
  const link = (from: number, to: number, segment: number): void => {
    const list = links.get(ids[from]!)
    if (list) list.push({ to, segment, from })
    else links.set(ids[from]!, [{ to, segment, from }])
  }
  for (let e = 0; e < elements.length; e += 2) {
    if (ids[elements[e]!] === ids[elements[e + 1]!]) continue
    link(elements[e]!, elements[e + 1]!, e)
    link(elements[e + 1]!, elements[e]!, e)
  }
  const used = new Set<number>()
  const walk = (start: number): number[] => {
    const line = [start]
    for (let at = start; ;) {
      const next = links.get(ids[at]!)!.find((l) => !used.has(l.segment))
      if (!next) return line
      used.add(next.segment)
      line.push(next.to)
      at = next.to
    }
  }
  const lines: number[][] = []
  for (const list of links.values()) if (list.length === 1 && !used.has(list[0]!.segment)) lines.push(walk(list[0]!.from))
  for (const list of links.values()) for (const { from, segment } of list) if (!used.has(segment)) lines.push(walk(from))
  return lines.sort((a, b) => b.length - a.length)
}

/** One number per distinct position. */
function positionIds(points: Float64Array): Uint32Array {
  const seen = new Map<string, number>()
  const ids = new Uint32Array(points.length / 3)
  for (let i = 0; i < ids.length; i++) {
    const key = `${points[3 * i]},${points[3 * i + 1]},${points[3 * i + 2]}`
    let id = seen.get(key)
    if (id === undefined) seen.set(key, (id = seen.size))
    ids[i] = id
  }
  return ids
}
