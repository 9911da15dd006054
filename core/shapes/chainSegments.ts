/**
 * Chains loose segments into polylines. Points at bitwise the same position are one: pieces of neighbouring blocks meet
 * there. Open lines come first, each from an end; then closed ones, from anywhere, with their first point repeated.
 * O(nSegments).
 */
import { placeKey } from './placeKey'
import type { Piece } from './Shape'

export interface Polyline {
  /** Points in order, one more than segments. */
  points: number[]
  /** The element that joins each point to the next, and whether it runs that way itself. */
  segments: { element: number; isForward: boolean }[]
}

/** @returns longest first */
export function chainSegments(shape: Piece): Polyline[] {
  const { points, elements } = shape
  const ids = positionIds(points)
  const links = new Map<number, { from: number; to: number; element: number; isForward: boolean }[]>()
  const link = (from: number, to: number, element: number, isForward: boolean): void => {
    const list = links.get(ids[from]!)
    if (list) list.push({ from, to, element, isForward })
    else links.set(ids[from]!, [{ from, to, element, isForward }])
  }
  for (let e = 0; e < elements.length; e += 2) {
    if (ids[elements[e]!] === ids[elements[e + 1]!]) continue
    link(elements[e]!, elements[e + 1]!, e / 2, true)
    link(elements[e + 1]!, elements[e]!, e / 2, false)
  }
  const used = new Set<number>()
  const walk = (start: number): Polyline => {
    const line: Polyline = { points: [start], segments: [] }
    for (let at = start; ;) {
      const next = links.get(ids[at]!)!.find(({ element }) => !used.has(element))
      if (!next) return line
      used.add(next.element)
      line.points.push(next.to)
      line.segments.push({ element: next.element, isForward: next.isForward })
      at = next.to
    }
  }
  const lines: Polyline[] = []
  for (const list of links.values()) if (list.length === 1 && !used.has(list[0]!.element)) lines.push(walk(list[0]!.from))
  for (const list of links.values()) for (const { from, element } of list) if (!used.has(element)) lines.push(walk(from))
  return lines.sort((a, b) => b.points.length - a.points.length)
}

/** Lines in the direction in which they were drawn or traced; those of loose segments as `chainSegments` begins them. */
export function linesOf(piece: Piece): Polyline[] {
  return piece.paths ? pathLines({ ...piece, paths: piece.paths }) : chainSegments(piece)
}

/** The paths of traced lines: their points follow one another. */
function pathLines({ paths, elements }: Piece & { paths: Uint32Array }): Polyline[] {
  const segmentTo = new Map<number, number>()
  for (let e = 0; 2 * e < elements.length; e++) segmentTo.set(elements[2 * e + 1]!, e)
  return Array.from({ length: paths.length - 1 }, (_, k) => {
    const points = Array.from({ length: paths[k + 1]! - paths[k]! }, (_point, i) => paths[k]! + i)
    return { points, segments: points.slice(1).map((p) => ({ element: segmentTo.get(p)!, isForward: true })) }
  })
}

/** Distance along a line from its start at each of its points. @param nodes  the points in order */
export function lengthsAlong(points: Float64Array, nodes: readonly number[]): Float64Array {
  const out = new Float64Array(nodes.length)
  for (let i = 1; i < out.length; i++) {
    const a = 3 * nodes[i - 1]!
    const b = 3 * nodes[i]!
    out[i] = out[i - 1]! + Math.hypot(points[b]! - points[a]!, points[b + 1]! - points[a + 1]!, points[b + 2]! - points[a + 2]!)
  }
  return out
}

/** One number per distinct position. */
function positionIds(points: Float64Array): Uint32Array {
  const seen = new Map<string, number>()
  const ids = new Uint32Array(points.length / 3)
  for (let i = 0; i < ids.length; i++) {
    const key = placeKey(points, i)
    let id = seen.get(key)
    if (id === undefined) seen.set(key, (id = seen.size))
    ids[i] = id
  }
  return ids
}
