/** How something moves in a flow: with it, or as a sphere with mass that it drags along. One step each, with an estimate of the error. */
import { errorWeights, stageTimes, stageWeights } from './dormandPrince'
import type { MovingField } from './MovingField'

/** Position, then velocity: six numbers. */
export type State = Float64Array

export interface Motion {
  /** Where the last attempt ended. */
  readonly next: State
  /** By which power of the step its error grows. */
  readonly order: number
  /** Takes up the velocity that something has when it is let go; false outside the mesh. */
  begin(state: State, time: number): boolean
  /** @returns the error as a length; undefined where the step goes outside the mesh */
  attempt(state: State, time: number, step: number): number | undefined
}

/** Goes where the flow goes. */
export class Drifting implements Motion {
  readonly next = new Float64Array(6)
  readonly order = 5
  private readonly stages = Array.from({ length: 7 }, () => new Float64Array(3))

  constructor(private readonly field: MovingField) {}

  begin(state: State, time: number): boolean {
    if (!this.field.evaluate(state[0]!, state[1]!, state[2]!, time)) return false
    state.set(this.field.velocity, 3)
    return true
  }

  attempt(state: State, time: number, step: number): number | undefined {
    const { stages, field, next } = this
    stages[0]!.set(state.subarray(3, 6))
    for (let s = 1; s < 7; s++) {
      const row = stageWeights[s]!
      for (let d = 0; d < 3; d++) {
        let sum = 0
        for (let j = 0; j < s; j++) sum += row[j]! * stages[j]![d]!
        next[d] = state[d]! + step * sum
      }
      if (!field.evaluate(next[0]!, next[1]!, next[2]!, time + stageTimes[s]! * step)) return undefined
      stages[s]!.set(field.velocity)
    }
    next.set(field.velocity, 3)
    return step * Math.hypot(this.error(0), this.error(1), this.error(2))
  }

  private error(d: number): number {
    let sum = 0
    for (let s = 0; s < 7; s++) sum += errorWeights[s]! * this.stages[s]![d]!
    return sum
  }
}

/** A sphere in a fluid, in coherent SI but for lengths along its way, which are those of the case. */
export interface Sphere {
  /** kg/m³ */
  density: number
  /** m */
  diameter: number
  /** kg/m³ */
  fluidDensity: number
  /** Pa·s */
  viscosity: number
  /** Lengths of the case by s². */
  gravity: readonly number[]
  /** Metres in a length of the case. */
  lengthFactor: number
  /** Velocity to begin with; that of the flow when absent. */
  start?: readonly number[]
}

/** Above this the drag of a sphere grows with the square of the speed. */
const TURBULENT = 1000

/**
 * Drag of a sphere as a multiple of that of a very slow one, 3πμdu: Schiller and Naumann, "A drag coefficient correlation" (Z. Ver. Dtsch.
 * Ing. 77, 1935), and a drag coefficient of 0.44 above a Reynolds number of 1000.
 */
export function dragFactor(reynolds: number): number {
  return reynolds < TURBULENT ? 1 + 0.15 * reynolds ** 0.687 : (0.44 * reynolds) / 24
}

/**
 * A sphere with mass: drag, weight and buoyancy; no added mass, no lift. The part of the drag that is linear at the start of a step is
 * solved exactly and the rest by a method of second order (Cox and Matthews, "Exponential time differencing for stiff systems", J. Comp.
 * Phys. 176, 2002), so that a sphere that follows the flow at once needs no small steps. The error is the difference between one step and
 * two half ones.
 */
export class Dragged implements Motion {
  readonly next = new Float64Array(6)
  readonly order = 3
  private readonly whole = new Float64Array(6)
  private readonly half = new Float64Array(6)
  private readonly ahead = new Float64Array(6)
  private readonly pull = new Float64Array(3)
  private readonly pullThen = new Float64Array(3)
  private readonly slowRate: number
  private readonly weight: readonly number[]

  constructor(
    private readonly field: MovingField,
    private readonly sphere: Sphere,
  ) {
    const { density, diameter, fluidDensity, viscosity, gravity } = sphere
    this.slowRate = (18 * viscosity) / (density * diameter ** 2)
    this.weight = gravity.map((g) => g * (1 - fluidDensity / density))
  }

  begin(state: State, time: number): boolean {
    if (!this.field.evaluate(state[0]!, state[1]!, state[2]!, time)) return false
    state.set(this.sphere.start ?? this.field.velocity, 3)
    return true
  }

  attempt(state: State, time: number, step: number): number | undefined {
    const { whole, half, next } = this
    if (!this.step(state, time, step, whole)) return undefined
    if (!this.step(state, time, step / 2, half)) return undefined
    if (!this.step(half, time + step / 2, step / 2, next)) return undefined
    // the last place that was looked at is where it ends
    if (!this.field.evaluate(next[0]!, next[1]!, next[2]!, time + step)) return undefined
    let [place, speed] = [0, 0]
    for (let d = 0; d < 3; d++) {
      place += (next[d]! - whole[d]!) ** 2
      speed += (next[d + 3]! - whole[d + 3]!) ** 2
    }
    return (Math.sqrt(place) + step * Math.sqrt(speed)) / 3
  }

  /** Rate at which it takes up the velocity of the flow. */
  private rate(state: State): number {
    const { fluidDensity, diameter, viscosity, lengthFactor } = this.sphere
    const { velocity } = this.field
    const slip = Math.hypot(velocity[0]! - state[3]!, velocity[1]! - state[4]!, velocity[2]! - state[5]!) * lengthFactor
    return this.slowRate * dragFactor((fluidDensity * slip * diameter) / viscosity)
  }

  /** Acceleration without the part that is linear in the own velocity at the rate of the step. */
  private remainder(state: State, time: number, linear: number | undefined, out: Float64Array): number | undefined {
    const { field, weight } = this
    if (!field.evaluate(state[0]!, state[1]!, state[2]!, time)) return undefined
    const rate = this.rate(state)
    const own = linear ?? rate
    for (let d = 0; d < 3; d++) out[d] = rate * field.velocity[d]! + weight[d]! + (own - rate) * state[d + 3]!
    return rate
  }

  private step(from: State, time: number, h: number, to: State): boolean {
    const { ahead, pull, pullThen } = this
    const rate = this.remainder(from, time, undefined, pull)
    if (rate === undefined) return false
    const z = rate * h
    const [first, second, third] = relaxation(z)
    const decay = Math.exp(-z)
    for (let d = 0; d < 3; d++) {
      ahead[d] = from[d]! + h * first * from[d + 3]! + h * h * second * pull[d]!
      ahead[d + 3] = decay * from[d + 3]! + h * first * pull[d]!
    }
    if (this.remainder(ahead, time + h, rate, pullThen) === undefined) return false
    for (let d = 0; d < 3; d++) {
      const change = pullThen[d]! - pull[d]!
      to[d] = ahead[d]! + h * h * third * change
      to[d + 3] = ahead[d + 3]! + h * second * change
    }
    return true
  }
}

/** Below this the differences would lose digits. */
const SMALL = 0.05

/** (1 − e⁻ᶻ)/z, (e⁻ᶻ − 1 + z)/z², and the next one of the row: integrals of relaxation over a step. */
export function relaxation(z: number): [number, number, number] {
  if (z < SMALL) {
    const row = (k: number): number => {
      let [term, sum] = [1, 0]
      for (let i = 1; i <= k; i++) term /= i
      for (let i = 1; i < 9; i++) {
        sum += term
        term *= -z / (k + i)
      }
      return sum
    }
    return [row(1), row(2), row(3)]
  }
  const first = -Math.expm1(-z) / z
  const second = (1 - first) / z
  return [first, second, (0.5 - second) / z]
}
