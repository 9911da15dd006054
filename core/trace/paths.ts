/**
 * Paths through the moments of what is let go in a flow. Steps are as long as the tolerance allows and end at every moment, where the flow
 * bends in time. Each path is followed by itself, so that it is the same whatever else is followed with it; all go from moment to moment
 * together, so that two moments are held at a time.
 */
import type { Vector } from '../mesh/vectors'
import { Growing } from '../mesh/growing'
import { after, movedPlace, movedVector, STILL } from '../shapes/turned'
import type { Motion as Turned } from '../shapes/turned'
import type { PeriodicSides } from './PeriodicSides'
import type { MomentFlow, MovingField, Whereabouts } from './MovingField'
import type { Motion, State } from './motions'

export interface Release {
  position: Vector
  /** When it is let go, in the unit of the times of the moments. */
  time: number
}

export const pathEnds = [
  'still moving',
  'left the mesh',
  'let go outside',
  'reached the step limit',
  'came to rest',
  'velocity has no value',
] as const
export type PathEnd = (typeof pathEnds)[number]

/** Called where something runs into the boundary of the mesh; true when it goes on from there with a changed velocity. */
export type AtBoundary = (state: State) => boolean

export interface PathOptions {
  /** Error allowed for each step, as a length. */
  tolerance: number
  /** Diagonal of all of the mesh. */
  size: number
  /** Of each path between two moments. */
  maxSteps: number
  /** Points in all above which only those at moments are kept. */
  maxPoints: number
  /** Throws to cancel. */
  check(): void
  progress?(share: number): void
  motionOf(release: number): Motion
  /** Sides through which a path goes on. */
  sides?: PeriodicSides
  atBoundary?(release: number): AtBoundary | undefined
}

/**
 * Paths one after the other.
 *
 *   starts     (n + 1) first point of each path; none of what was let go outside
 *   positions  (3 × nPoints)
 *   times      (nPoints) unit of the moments
 *   speeds     (nPoints) lengths by that unit
 */
export interface Paths {
  starts: Uint32Array
  positions: Float64Array
  times: Float64Array
  speeds: Float64Array
  ends: PathEnd[]
}

/** Smallest step as a share of the size: how near to the boundary the last point of a path is. */
const NEAREST = 1e-7
/** Smallest step as a share of the time between two moments. */
const SHORTEST = 1e-12
/** A path has a point wherever its velocity has changed by this share since the last one. */
const BEND = 0.06
/** Contacts with the boundary after which something lies there. */
const MOST_CONTACTS = 200

/** What is kept of each path while it goes on. */
class Travellers {
  readonly states: Float64Array
  readonly steps: Float64Array
  readonly kept: Float64Array
  readonly contacts: Uint16Array
  readonly places: Whereabouts[]
  readonly ends: (PathEnd | undefined)[]
  /** From the mesh to where each one really is, once it has gone through a periodic side. */
  readonly real: (Turned | undefined)[]

  constructor(n: number) {
    this.states = new Float64Array(6 * n)
    this.steps = new Float64Array(n)
    this.kept = new Float64Array(3 * n)
    this.contacts = new Uint16Array(n)
    this.places = Array.from({ length: n }, () => ({ part: 0, block: -1, cell: -1 }))
    this.ends = new Array<PathEnd | undefined>(n).fill(undefined)
    this.real = new Array<Turned | undefined>(n).fill(undefined)
  }

  state(i: number): State {
    return this.states.subarray(6 * i, 6 * i + 6)
  }
}

/** Points in the order in which they were reached. */
class Log {
  readonly of = new Growing(Uint32Array)
  readonly numbers = new Growing(Float64Array)

  add(i: number, state: State, time: number, real: Turned | undefined): void {
    this.of.push(i)
    const place: Vector = [state[0]!, state[1]!, state[2]!]
    this.numbers.pushAll([...(real ? movedPlace(place, real) : place), time, Math.hypot(state[3]!, state[4]!, state[5]!)])
  }

  /** Sorted by path; each keeps its order. */
  sorted(n: number): Omit<Paths, 'ends'> {
    const [of, numbers] = [this.of.finish(), this.numbers.finish()]
    const starts = new Uint32Array(n + 1)
    for (const i of of) starts[i + 1]!++
    for (let i = 0; i < n; i++) starts[i + 1]! += starts[i]!
    const next = starts.slice(0, n)
    const [positions, times, speeds] = [3, 1, 1].map((size) => new Float64Array(size * of.length)) as [
      Float64Array,
      Float64Array,
      Float64Array,
    ]
    of.forEach((i, at) => {
      const to = next[i]!++
      positions.set(numbers.subarray(5 * at, 5 * at + 3), 3 * to)
      times[to] = numbers[5 * at + 3]!
      speeds[to] = numbers[5 * at + 4]!
    })
    return { starts, positions, times, speeds }
  }
}

/**
 * @param moments  in the order of time, at least two; for a flow that stays as it is the same one with other times
 */
export function followPaths(field: MovingField, moments: readonly MomentFlow[], releases: readonly Release[], options: PathOptions): Paths {
  const all = new Travellers(releases.length)
  const log = new Log()
  for (let k = 0; k + 1 < moments.length; k++) {
    const [from, to] = [moments[k]!.time, moments[k + 1]!.time]
    field.enter(moments[k]!, moments[k + 1]!)
    let n = 0
    for (const i of byBlock(all.places)) {
      const { time } = releases[i]!
      options.progress?.((k + n++ / releases.length) / (moments.length - 1))
      if (all.ends[i] || time > to || (time === to && k + 2 < moments.length)) continue
      options.check()
      const isNew = time >= from
      if (isNew && !letGo(field, all, releases[i]!, i, options, log)) continue
      between(field, all, i, [isNew ? time : from, to], options, log)
    }
  }
  const ends = all.ends.map((end, i): PathEnd => end ?? (all.steps[i]! > 0 ? 'still moving' : 'let go outside'))
  return { ...log.sorted(releases.length), ends }
}

/** Those in one block one after the other, so that blocks are not taken up anew for each. */
function byBlock(places: readonly Whereabouts[]): Uint32Array {
  return Uint32Array.from(places, (_, i) => i).sort((i, j) => {
    const [a, b] = [places[i]!, places[j]!]
    return a.part - b.part || a.block - b.block || a.cell - b.cell || i - j
  })
}

function letGo(field: MovingField, all: Travellers, { position, time }: Release, i: number, options: PathOptions, log: Log): boolean {
  const state = all.state(i)
  state.set(position)
  field.startFrom(all.places[i]!)
  if (!options.motionOf(i).begin(state, time)) {
    all.ends[i] = 'let go outside'
    return false
  }
  all.places[i] = field.whereabouts
  all.steps[i] = Infinity
  all.kept.set(state.subarray(3), 3 * i)
  log.add(i, state, time, undefined)
  return true
}

/** Follows one path up to the next moment, or to its end. */
function between(field: MovingField, all: Travellers, i: number, [from, to]: [number, number], options: PathOptions, log: Log): void {
  const { tolerance, size, maxSteps } = options
  const motion = options.motionOf(i)
  const state = all.state(i)
  const finish = (end: PathEnd, at: number): void => {
    all.ends[i] = end
    log.add(i, state, at, all.real[i])
  }
  if (from >= to) return
  field.startFrom(all.places[i]!)
  // a velocity that is kept from the moment before is that of the flow still
  if (!field.evaluate(state[0]!, state[1]!, state[2]!, from)) return finish('left the mesh', from)
  let time = from
  for (let steps = 0; time < to;) {
    if (steps++ >= maxSteps) return finish('reached the step limit', time)
    if (steps % 64 === 0) options.check()
    const step = Math.min(all.steps[i]!, farthest(field, state), to - time)
    const error = motion.attempt(state, time, step)
    if (error === undefined) {
      const { asked } = field
      const isNear = Math.hypot(asked[0]! - state[0]!, asked[1]! - state[1]!, asked[2]! - state[2]!) <= NEAREST * size
      const isEnd = isNear || step <= SHORTEST * (to - from)
      if (isEnd && !bounces(all, i, state, options) && !crosses(all, i, field, time, options)) return finish(endOf(all, i, state), time)
      all.steps[i] = isNear ? (to - time) / 16 : step / 2
      field.startFrom(all.places[i]!)
      field.evaluate(state[0]!, state[1]!, state[2]!, time)
      continue
    }
    const factor = Math.min(4, Math.max(0.2, 0.9 * (tolerance / Math.max(error, 1e-300)) ** (1 / motion.order)))
    if (error > tolerance && step > SHORTEST * (to - from)) {
      all.steps[i] = step * factor
      continue
    }
    state.set(motion.next)
    all.places[i] = field.whereabouts
    time = to - time <= step ? to : time + step
    // the last one before a moment is shorter than it could be
    all.steps[i] = Math.max(step * factor, time === to ? Math.min(all.steps[i]!, to - from) : 0)
    if (time < to && hasBent(all.kept, i, state) && log.of.length < options.maxPoints) {
      all.kept.set(state.subarray(3), 3 * i)
      log.add(i, state, time, all.real[i])
    }
  }
  all.kept.set(state.subarray(3), 3 * i)
  log.add(i, state, to, all.real[i])
}

function endOf({ contacts }: Travellers, i: number, state: State): PathEnd {
  if (!state.every(Number.isFinite)) return 'velocity has no value'
  return contacts[i]! >= MOST_CONTACTS ? 'came to rest' : 'left the mesh'
}

/** Time for two cells, or a thin vortex could be passed unseen. */
function farthest(field: MovingField, state: State): number {
  const speed = Math.hypot(state[3]!, state[4]!, state[5]!)
  return speed > 0 ? (2 * field.cellSize()) / speed : Infinity
}

function bounces(all: Travellers, i: number, state: State, options: PathOptions): boolean {
  const meet = options.atBoundary?.(i)
  return meet !== undefined && all.contacts[i]!++ < MOST_CONTACTS && meet(state)
}

/** Goes on behind a periodic side. */
function crosses(all: Travellers, i: number, field: MovingField, time: number, { sides }: PathOptions): boolean {
  const state = all.state(i)
  const [place, velocity] = [Array.from(state.subarray(0, 3)) as Vector, Array.from(state.subarray(3)) as Vector]
  const found = sides?.cross(place, velocity, ([x, y, z]) => field.evaluate(x, y, z, time))
  if (!found || all.contacts[i]!++ >= MOST_CONTACTS) return false
  state.set(found.place)
  state.set(movedVector(velocity, found.motion), 3)
  all.kept.set(movedVector(Array.from(all.kept.subarray(3 * i, 3 * i + 3)) as Vector, found.motion), 3 * i)
  all.real[i] = after(found.back, all.real[i] ?? STILL)
  all.places[i] = field.whereabouts
  return true
}

function hasBent(kept: Float64Array, i: number, state: State): boolean {
  let [change, own] = [0, 0]
  for (let d = 0; d < 3; d++) {
    change += (state[d + 3]! - kept[3 * i + d]!) ** 2
    own += state[d + 3]! ** 2
  }
  return change > BEND * BEND * own
}
