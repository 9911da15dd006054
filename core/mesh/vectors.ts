/** Small vectors of settings: positions and directions. */
import { Type } from '@sinclair/typebox'

export const VectorSchema = Type.Tuple([Type.Number(), Type.Number(), Type.Number()])
export type Vector = [number, number, number]

export function dot(a: Vector, b: Vector): number {
  return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

export function cross(a: Vector, b: Vector): Vector {
  return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

export function minus(a: Vector, b: Vector): Vector {
  return [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}

/** The one with this number out of many (3 × n). */
export function vectorAt(values: ArrayLike<number>, i: number): Vector {
  return [values[3 * i]!, values[3 * i + 1]!, values[3 * i + 2]!]
}

/** All of many (3 × n). */
export function vectorsOf(values: ArrayLike<number>): Vector[] {
  return Array.from({ length: values.length / 3 }, (_, i) => vectorAt(values, i))
}

export function length(a: Vector): number {
  return Math.hypot(a[0], a[1], a[2])
}

/** Unit vector; z for a zero vector, so that a plane always has a direction. */
export function direction(a: Vector): Vector {
  const l = length(a)
  return l > 0 && Number.isFinite(l) ? [a[0] / l, a[1] / l, a[2] / l] : [0, 0, 1]
}

/** Name and sign of the axis a direction runs along, if it does: `x`, `-z`. */
export function axisName(a: Vector): string | null {
  const [x, y, z] = direction(a)
  const names: [number, string][] = [
    [x, 'x'],
    [y, 'y'],
    [z, 'z'],
  ]
  for (const [c, name] of names) if (Math.abs(Math.abs(c) - 1) < 1e-9) return c > 0 ? name : `-${name}`
  return null
}
