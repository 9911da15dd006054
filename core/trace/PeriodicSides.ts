/**
 * Sides of a sector or of a repeated stretch, through which what leaves comes in again on the other one. Which sides belong together, and
 * by which turn or shift, is found from their shapes.
 */
import { boxOfPoints, diagonal, unionBox } from '../mesh/boxes'
import { cross, direction, dot, length, minus, vectorAt } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import type { Box } from '../mesh/MeshBlock'
import type { Shape } from '../shapes/Shape'
import { movedPlace, movedVector, shifted, turnedAbout } from '../shapes/turned'
import type { Motion } from '../shapes/turned'
import { BoundaryNames } from './BoundaryNames'
import type { Side } from './BoundaryNames'

/** How one side lies on another: shifted, or turned about an axis through a place. In the length unit of the case. */
export type PeriodicMotion = { shift: Vector } | { about: Vector; axis: Vector; degrees: number }

/** Two sides, and what brings the first onto the second and back. */
export interface PeriodicPair {
  from: string
  to: string
  motion: PeriodicMotion
  there: Motion
  back: Motion
  words: string
}

/** Where something goes on behind a side, the motion that takes it there, and the one that takes it back. */
export interface Crossing {
  place: Vector
  motion: Motion
  back: Motion
}

/** Sides fit if no point is farther off than this share of their size. */
const FITTING = 1e-3
/** Points of a side that are compared. */
const COMPARED = 500
/** How far behind a side a line goes on, as shares of the size: the first that lies in the mesh. */
const BEHIND = [1e-9, 1e-8, 1e-7, 1e-6, 1e-5]

export function periodicPairs(sides: readonly Side[]): PeriodicPair[] {
  const pairs: PeriodicPair[] = []
  const left = [...sides]
  for (let first = left.shift(); first; first = left.shift()) {
    for (const other of left) {
      const found = fitting(first, other)
      if (!found) continue
      pairs.push({ from: first.name, to: other.name, ...found })
      left.splice(left.indexOf(other), 1)
      break
    }
  }
  return pairs
}

/** What a side is like: its middle and its normal, both weighted by area. */
function measured({ pieces }: Shape): { centre: Vector; normal: Vector; area: number } {
  const centre: Vector = [0, 0, 0]
  const normal: Vector = [0, 0, 0]
  let area = 0
  for (const { points, elements } of pieces) {
    for (let e = 0; e < elements.length; e += 3) {
      const [a, b, c] = [0, 1, 2].map((i) => vectorAt(points, elements[e + i]!)) as [Vector, Vector, Vector]
      const own = cross(minus(b, a), minus(c, a))
      const size = length(own) / 2
      area += size
      for (let d = 0; d < 3; d++) {
        centre[d]! += (size * (a[d]! + b[d]! + c[d]!)) / 3
        normal[d]! += own[d]! / 2
      }
    }
  }
  return { centre: centre.map((x) => x / area) as Vector, normal, area }
}

type Candidate = Omit<PeriodicPair, 'from' | 'to'>

function fitting(one: Side, other: Side): Candidate | undefined {
  const [a, b] = [measured(one.shape), measured(other.shape)]
  if (!(a.area > 0) || Math.abs(a.area - b.area) > 0.01 * a.area) return undefined
  const size = diagonal(boxOf(other.shape))
  const surface = new BoundaryNames([other], FITTING * size)
  const places = someOf(one.shape)
  return candidates(a, b, size).find(
    ({ there }) => isInwards(a.normal, b.normal, there) && places.every((place) => surface.at(...movedPlace(place, there)) !== undefined),
  )
}

/** Whether what comes out of one side goes into the other: half a ring has both sides in one plane, which a shift would fit as well. */
function isInwards(a: Vector, b: Vector, there: Motion): boolean {
  return dot(movedVector(a, there), b) < -0.9 * length(a) * length(b)
}

/** A shift; turns about the axes of the case; a turn about any axis that brings one normal onto the other. */
function candidates(a: ReturnType<typeof measured>, b: ReturnType<typeof measured>, size: number): Candidate[] {
  const by = minus(b.centre, a.centre)
  const found: Candidate[] = [{ motion: { shift: by }, there: shifted(by), back: shifted(by.map((x) => -x) as Vector), words: 'shifted' }]
  ;(['x', 'y', 'z'] as const).forEach((name, d) => {
    const axis = [0, 1, 2].map((i) => Number(i === d)) as Vector
    const [p, q] = [a.centre, b.centre].map((centre) => minus(centre, axis.map((c) => c * dot(axis, centre)) as Vector)) as [Vector, Vector]
    if (Math.abs(by[d]!) > FITTING * size || Math.abs(length(p) - length(q)) > FITTING * size) return
    found.push(turnBy([0, 0, 0], axis, Math.atan2(dot(axis, cross(p, q)), dot(p, q)), name))
  })
  // outwards on one side is inwards on the other
  const turned = b.normal.map((x) => -x) as Vector
  const axis = cross(a.normal, turned)
  if (length(axis) > 1e-6 * length(a.normal) * length(turned)) {
    const unit = direction(axis)
    const angle = Math.atan2(length(axis), dot(a.normal, turned))
    const about = centreOfTurn(a.centre, b.centre, unit, angle)
    found.push(turnBy(about, unit, angle, 'an axis'))
  }
  return found
}

function turnBy(about: Vector, axis: Vector, angle: number, name: string): Candidate {
  const degrees = (angle * 180) / Math.PI
  const words = `${Number(Math.abs(degrees).toPrecision(5))}° about ${name}`
  return { motion: { about, axis, degrees }, there: turnedAbout(about, axis, angle), back: turnedAbout(about, axis, -angle), words }
}

/** A place on the axis of the turn that brings a onto b: half way between them, and off to the side. */
function centreOfTurn(a: Vector, b: Vector, axis: Vector, angle: number): Vector {
  const by = minus(b, a)
  const across = minus(by, axis.map((c) => c * dot(axis, by)) as Vector)
  const side = cross(axis, across)
  const off = 1 / (2 * Math.tan(angle / 2))
  return a.map((c, d) => c + across[d]! / 2 + off * side[d]!) as Vector
}

export class PeriodicSides {
  readonly pairs: readonly PeriodicPair[]
  /** How often something has crossed. */
  nCrossed = 0
  private readonly surfaces: BoundaryNames
  private readonly size: number

  /** @param size  diagonal of the mesh */
  constructor(sides: readonly Side[], size: number) {
    this.pairs = periodicPairs(sides)
    this.size = size
    const paired = sides.filter(({ name }) => this.pairs.some(({ from, to }) => from === name || to === name))
    this.surfaces = new BoundaryNames(paired, FITTING * size)
  }

  /**
   * Where something that has come up to a side goes on.
   *
   * @param isInside  whether a place lies in the mesh
   * @returns the place, and the motions that take it there and back; undefined where there is no side
   */
  cross(at: Vector, velocity: Vector, isInside: (place: Vector) => boolean): Crossing | undefined {
    const found = this.surfaces.at(...at)
    if (!found) return undefined
    const pair = this.pairs.find(({ from, to }) => from === found.name || to === found.name)!
    const [motion, back] = pair.from === found.name ? [pair.there, pair.back] : [pair.back, pair.there]
    const outwards = dot(found.normal, velocity) < 0 ? (found.normal.map((x) => -x) as Vector) : found.normal
    const speed = length(velocity)
    const steep = speed > 0 ? dot(outwards, velocity) / speed : 0
    for (const share of BEHIND) {
      const depth = found.distance + share * this.size
      // along its way, unless it goes along the side
      const step = steep > 0.02 ? velocity.map((c) => (c / speed) * (depth / steep)) : outwards.map((c) => c * depth)
      const place = movedPlace(at.map((c, d) => c + step[d]!) as Vector, motion)
      if (!isInside(place)) continue
      this.nCrossed++
      return { place, motion, back }
    }
    return undefined
  }

  get words(): string {
    return this.pairs.map(({ from, to, words }) => `${from} and ${to}, ${words}`).join('; ')
  }

  notes(): string[] {
    return this.nCrossed ? [crossingsNote(this.nCrossed, this.words)] : []
  }
}

/** @param sides  in words */
export function crossingsNote(n: number, sides: string): string {
  return `${n.toLocaleString('en')} crossings of periodic sides (${sides})`
}

function boxOf({ pieces }: Shape): Box {
  return unionBox(pieces.map(({ points }) => boxOfPoints(points)))
}

/** Points spread over all of a side. */
function someOf({ pieces }: Shape): Vector[] {
  const n = pieces.reduce((sum, { points }) => sum + points.length / 3, 0)
  const every = Math.max(1, Math.floor(n / COMPARED))
  const found: Vector[] = []
  let at = 0
  for (const { points } of pieces) for (let p = 0; p < points.length / 3; p++) if (at++ % every === 0) found.push(vectorAt(points, p))
  return found
}
