/** Where things on paths are at a time, and what has been let go in one place as a line. */
import { Growing } from '../mesh/growing'
import { length, minus, vectorAt } from '../mesh/vectors'
import type { Piece } from '../shapes/Shape'

/**
 * Paths of a piece with some of its columns.
 *
 *   times     (nPoints) growing along each path
 *   columns   further numbers (nPoints each)
 */
export interface TimedPaths {
  points: Float64Array
  paths: Uint32Array
  times: Float64Array
  columns: readonly Float64Array[]
}

export function timedPaths({ points, paths = Uint32Array.of(0, points.length / 3), columns = [] }: Piece, time: number): TimedPaths {
  return { points, paths, times: columns[time]!, columns }
}

/**
 * Places at a time, one for each path that has then begun and not yet ended.
 *
 *   of         path of each place
 *   positions  (3 × n)
 *   columns    values there, linear between two points of a path
 */
export interface Places {
  of: Uint32Array
  positions: Float64Array
  columns: Float64Array[]
}

/** Collects places on paths. */
class Picker {
  private readonly of = new Growing(Uint32Array)
  private readonly positions = new Growing(Float64Array)
  private readonly columns: Growing<Float64Array>[]

  constructor(private readonly paths: TimedPaths) {
    this.columns = paths.columns.map(() => new Growing(Float64Array))
  }

  get length(): number {
    return this.of.length
  }

  /** On a path of which these are the first and the last point. */
  add(path: number, first: number, last: number, time: number): void {
    const { points, times, columns } = this.paths
    const b = Math.min(last, after(times, first, last, time))
    const a = Math.max(first, b - 1)
    const span = times[b]! - times[a]!
    const t = span > 0 ? Math.min(1, (time - times[a]!) / span) : 1
    this.of.push(path)
    for (let d = 0; d < 3; d++) this.positions.push(points[3 * a + d]! * (1 - t) + points[3 * b + d]! * t)
    columns.forEach((column, c) => this.columns[c]!.push(column[a]! * (1 - t) + column[b]! * t))
  }

  finish(): Places {
    return { of: this.of.finish(), positions: this.positions.finish(), columns: this.columns.map((column) => column.finish()) }
  }
}

/** @param keepsEnded  those whose path has ended stay where it did */
export function placesAt(paths: TimedPaths, time: number, keepsEnded: boolean): Places {
  const { paths: starts, times } = paths
  const found = new Picker(paths)
  for (let k = 0; k + 1 < starts.length; k++) {
    const [first, last] = [starts[k]!, starts[k + 1]! - 1]
    if (last < first || time < times[first]! || (time > times[last]! && !keepsEnded)) continue
    found.add(k, first, last, time)
  }
  return found.finish()
}

/** The last place of each path. */
export function endsOfPaths(paths: TimedPaths): Places {
  const { paths: starts, times } = paths
  const found = new Picker(paths)
  for (let k = 0; k + 1 < starts.length; k++) {
    const [first, last] = [starts[k]!, starts[k + 1]! - 1]
    if (last >= first) found.add(k, first, last, times[last]!)
  }
  return found.finish()
}

/** Places at equal times from one to the next on each path, counted from time 0. @param most  it stops soon after so many */
export function beadsOn(paths: TimedPaths, spacing: number, shift: number, most: number): Places {
  const { paths: starts, times } = paths
  const found = new Picker(paths)
  for (let k = 0; k + 1 < starts.length; k++) {
    const [first, last] = [starts[k]!, starts[k + 1]! - 1]
    if (last < first) continue
    const from = Math.ceil((times[first]! - shift) / spacing)
    for (let i = from; shift + i * spacing <= times[last]! && found.length <= most; i++) found.add(k, first, last, shift + i * spacing)
  }
  return found.finish()
}

export function rangeOfAll(lists: readonly Float64Array[]): [number, number] {
  let [low, high] = [Infinity, -Infinity]
  for (const list of lists) {
    for (const x of list) {
      low = Math.min(low, x)
      high = Math.max(high, x)
    }
  }
  return [low, high]
}

/** The first point not before a time; one more than the last where there is none. */
function after(times: Float64Array, first: number, last: number, time: number): number {
  let [lo, hi] = [first, last + 1]
  while (lo < hi) {
    const middle = (lo + hi) >> 1
    if (times[middle]! < time) lo = middle + 1
    else hi = middle
  }
  return lo
}

/** The part of each path between two times, with places at both ends; paths that have none are left out. */
export function betweenTimes({ points, paths, times, columns }: TimedPaths, from: number, to: number): Omit<TimedPaths, 'times'> {
  const own = new Growing(Float64Array)
  const starts = [0]
  const kept = columns.map(() => new Growing(Float64Array))
  const add = (a: number, b: number, t: number): void => {
    for (let d = 0; d < 3; d++) own.push(points[3 * a + d]! * (1 - t) + points[3 * b + d]! * t)
    columns.forEach((column, c) => kept[c]!.push(column[a]! * (1 - t) + column[b]! * t))
  }
  for (let k = 0; k + 1 < paths.length; k++) {
    const [first, last] = [paths[k]!, paths[k + 1]! - 1]
    if (last <= first || times[first]! >= to || times[last]! <= from) continue
    const [low, high] = [after(times, first, last, from), after(times, first, last, to)]
    if (low > first && times[low]! > from) add(low - 1, low, shareOf(times, low, from))
    for (let p = low; p < high; p++) add(p, p, 0)
    if (high <= last) add(high - 1, high, shareOf(times, high, to))
    starts.push(own.length / 3)
  }
  return { points: own.finish(), paths: Uint32Array.from(starts), columns: kept.map((column) => column.finish()) }
}

function shareOf(times: Float64Array, p: number, time: number): number {
  return (time - times[p - 1]!) / (times[p]! - times[p - 1]!)
}

/** Neighbours so many times farther apart than most are not joined: what was let go between them would not lie on that line. */
const FAR_APART = 10

/**
 * Places joined in the order in which what is there was let go, those of one origin each. There are gaps where one in between has
 * ended, and where two have been driven far apart.
 *
 * @param release  column with the number of the release
 * @param by       columns that tell origins apart
 */
export function streaksOf(
  places: Places,
  release: number,
  by: readonly number[],
): { positions: Float64Array; starts: Uint32Array; columns: Float64Array[]; nApart: number } {
  const { of, positions, columns } = places
  const origins = new Map<string, number[]>()
  // paths are in the order of their release
  for (let i = 0; i < of.length; i++) {
    const origin = by.flatMap((c) => (c < 0 ? [] : [columns[c]![i]!])).join()
    const own = origins.get(origin)
    if (own) own.push(i)
    else origins.set(origin, [i])
  }
  const order = [...origins.values()].flat()
  const starts = [0]
  let [end, nApart] = [0, 0]
  for (const own of origins.values()) {
    const gaps = own.map((place, i) => (i ? gapOf(positions, own[i - 1]!, place) : 0))
    const usual = [...gaps.slice(1)].sort((a, b) => a - b)[Math.floor((gaps.length - 1) / 2)] ?? 0
    own.forEach((place, i) => {
      const isNext = i > 0 && columns[release]![place]! < columns[release]![own[i - 1]!]! + 1.5
      const isApart = isNext && gaps[i]! > FAR_APART * usual
      if (isApart) nApart++
      if (i > 0 && (!isNext || isApart)) starts.push(end)
      end++
    })
    starts.push(end)
  }
  return {
    positions: Float64Array.from({ length: 3 * order.length }, (_, i) => positions[3 * order[Math.floor(i / 3)]! + (i % 3)]!),
    starts: Uint32Array.from(starts),
    columns: columns.map((column) => Float64Array.from(order, (i) => column[i]!)),
    nApart,
  }
}

function gapOf(positions: Float64Array, a: number, b: number): number {
  return length(minus(vectorAt(positions, b), vectorAt(positions, a)))
}
