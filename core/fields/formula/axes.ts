/**
 * Vectors and tensors in axes of the study: `in("Tank", U).t`; velocities relative to axes that turn, in the directions of the case:
 * `relative("Rotor", U)`; and where a position is in axes: `radius("Tank")`, `angle`, `height`.
 *
 *   Cartesian    x y z
 *   cylindrical  r t z   outwards, around z by the right hand, along z
 *   spherical    r t p   outwards, away from z, around z by the right hand
 *
 * On the axis itself, where no direction is outwards, that of the x axis is taken.
 */
import { FormulaError } from '../../errors'
import { dimensionless, parseUnit, sameDimensions } from '../../units/units'
import type { Dimensions } from '../../units/units'
import { cross, direction, dot } from '../../mesh/vectors'
import type { Vector } from '../../mesh/vectors'
import type { LoopWriter } from './tensors'
import { symmetricOf } from './tensors'
import type { Expression, Range } from './parse'
import { componentNames, kindName } from './typed'
import type { Scope, Typed } from './typed'

type Call = Extract<Expression, { kind: 'call' }>
type Locals = readonly string[]

export const axesKinds = ['cartesian', 'cylindrical', 'spherical'] as const

/** Axes as the study has them. */
export interface Axes {
  kind: (typeof axesKinds)[number]
  /** In the length unit of the case. */
  origin: Vector
  z: Vector
  /** From which angles count: what of it is across z. */
  x: Vector
  /** Turns per second about z. */
  rotation: number
}

/** The same in coherent units, with unit vectors at right angles. */
export interface AxesFrame {
  kind: Axes['kind']
  origin: Vector
  axes: readonly [Vector, Vector, Vector]
  /** Radians per second about z. */
  rate: number
}

export const axesFunctions: Readonly<Record<string, string>> = {
  in: 'vector or tensor in axes of the study: in("Axes", U).r .t .z; a velocity as seen from axes that turn',
  relative: 'velocity as seen from axes that turn, in the directions of the case: relative("Axes", U)',
  absolute: 'velocity in the case of one that is relative to axes that turn: absolute("Axes", U)',
  radius: 'distance from the z axis of axes, or from the origin of spherical ones: radius("Axes")',
  angle: 'angle around the z axis of axes, in radians from −π to π: angle("Axes")',
  height: 'place along the z axis of axes: height("Axes")',
}

const letters = { cartesian: ['x', 'y', 'z'], cylindrical: ['r', 't', 'z'], spherical: ['r', 't', 'p'] } as const
const VELOCITY = parseUnit('m/s')!.dimensions

export function isInAxes({ name }: Call): boolean {
  return Object.hasOwn(axesFunctions, name)
}

/** As formulas find them. */
export function axesByName(axes: Readonly<Record<string, Axes & { name: string }>> = {}): Record<string, Axes> {
  return Object.fromEntries(Object.values(axes).map((own) => [own.name, own]))
}

/** @param lengthFactor  of the length unit of the case to metres */
export function frameOf({ kind, origin, z, x, rotation }: Axes, lengthFactor: number): AxesFrame {
  const ez = direction(z)
  const across = [0, 1, 2].map((d) => x[d]! - dot(x, ez) * ez[d]!) as Vector
  // an x along z says nothing
  const other: Vector = Math.abs(ez[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0]
  const ex = direction(Math.hypot(...across) > 1e-9 ? across : ([0, 1, 2].map((d) => other[d]! - dot(other, ez) * ez[d]!) as Vector))
  const origins = origin.map((c) => c * lengthFactor) as Vector
  return { kind, origin: origins, axes: [ex, cross(ez, ex), ez], rate: 2 * Math.PI * rotation }
}

/** Names of components in axes, by their number, in the order of the core. */
export function namesInAxes(kind: Axes['kind'], components: number): readonly string[] | undefined {
  return componentNames[components]?.map((name) => [...name].map((letter) => letters[kind]['xyz'.indexOf(letter)]!).join(''))
}

function isMoving(name: string): boolean {
  return name === 'relative' || name === 'absolute'
}

interface Checks {
  value(of: Expression): Typed
  position(range: Range): Typed
}

/** @throws FormulaError */
export function checkInAxes({ name, arguments: args, options, range }: Call, scope: Scope, checks: Checks): Typed {
  const called = options['']
  const isOfValue = name === 'in' || isMoving(name)
  if (called === undefined || args.length !== Number(isOfValue) || Object.keys(options).length > 1)
    throw new FormulaError('arguments', `Write it as ${name}("Axes"${isOfValue ? ', e' : ''}).`, range)
  const axes = scope.axes?.(called)
  if (!axes) {
    const known = scope.axesNames?.map((own) => `“${own}”`).join(', ')
    throw new FormulaError('no-axes', `There are no axes “${called}”; ${known ? `there are ${known}` : 'add some under Axes'}.`, range)
  }
  const frame = frameOf(axes, scope.length?.factor ?? 1)
  const position = checks.position(range)
  if (!isOfValue) {
    const dimensions: Dimensions | null = name === 'angle' ? dimensionless : position.dimensions
    const operation = { kind: 'axes', what: name as 'radius' | 'angle' | 'height', frame } as const
    return { ...position, operation, of: [position], components: 1, dimensions, range }
  }
  const of = checks.value(args[0]!)
  const isVelocity = of.components === 3 && (of.dimensions === null || sameDimensions(of.dimensions, VELOCITY))
  // values on cells are at their centroids
  const at: Typed = of.place === 'cell' ? { ...position, place: 'cell' } : position
  if (isMoving(name)) {
    if (!isVelocity) throw new FormulaError('kind', `${name} takes a velocity, a vector in m/s.`, of.range)
    if (frame.rate === 0) throw new FormulaError('no-turning', `The axes “${called}” do not turn; give them turns per second.`, range)
    const own = { ...frame, rate: name === 'relative' ? frame.rate : -frame.rate }
    return { ...of, operation: { kind: 'axes', what: 'moving', frame: own }, of: [of, at], place: at.place, range }
  }
  if (![3, 6, 9].includes(of.components))
    throw new FormulaError('kind', `in takes a vector or a tensor, but this is ${kindName(of.components)}.`, of.range)
  const own = isVelocity && of.dimensions !== null ? frame : { ...frame, rate: 0 }
  const names = namesInAxes(axes.kind, of.components)
  const operation = { kind: 'axes', what: 'turned', frame: own } as const
  return { ...of, operation, of: [of, at], place: at.place, range, ...(names && { names }) }
}

/** Locals of an operation in axes from those of the value and of the position, or of the position alone. */
export function writeInAxes(
  writer: LoopWriter,
  frame: AxesFrame,
  what: 'turned' | 'moving' | 'radius' | 'angle' | 'height',
  of: readonly Locals[],
): string[] {
  const off = of[of.length - 1]!.map((x, d) => writer.local(`${x} - ${written(frame.origin[d]!)}`))
  if (what === 'moving') return withoutTurning(writer, frame, of[0]!, off)
  const along = frame.axes.map((axis) => writer.local(axis.map((c, d) => `${off[d]} * ${written(c)}`).join(' + ')))
  const round = writer.local(`Math.sqrt(${along[0]} * ${along[0]} + ${along[1]} * ${along[1]})`)
  const whole = (): string => writer.local(`Math.sqrt(${round} * ${round} + ${along[2]} * ${along[2]})`)
  if (what === 'height') return [along[2]!]
  if (what === 'angle') return [writer.local(`Math.atan2(${along[1]}, ${along[0]})`)]
  if (what === 'radius') return [frame.kind === 'spherical' ? whole() : round]
  const basis = basisOf(writer, frame, { along, round, whole })
  const value = of[0]!
  if (value.length === 3) return turnedVector(writer, basis, frame.rate ? withoutTurning(writer, frame, value, off) : value)
  return turnedTensor(writer, basis, value)
}

/** A number as it stands in a loop. */
function written(x: number): string {
  return `(${x})`
}

/** Unit vectors at the position, one after the other. */
function basisOf(
  writer: LoopWriter,
  { kind, axes }: AxesFrame,
  { along, round, whole }: { along: Locals; round: string; whole: () => string },
): string[][] {
  const fixed = axes.map((axis) => axis.map(written))
  if (kind === 'cartesian') return fixed
  const [x, y, z] = fixed as [string[], string[], string[]]
  const cos = writer.local(`${round} === 0 ? 1 : ${along[0]} / ${round}`)
  const sin = writer.local(`${round} === 0 ? 0 : ${along[1]} / ${round}`)
  const mixed = (a: string, u: Locals, b: string, v: Locals): string[] => u.map((own, d) => writer.local(`${a} * ${own} + ${b} * ${v[d]}`))
  const out = mixed(cos, x, sin, y)
  const around = mixed(cos, y, writer.local(`-${sin}`), x)
  if (kind === 'cylindrical') return [out, around, z]
  const size = whole()
  const [rise, flat] = [writer.local(`${size} === 0 ? 0 : ${along[2]} / ${size}`), writer.local(`${size} === 0 ? 1 : ${round} / ${size}`)]
  return [mixed(flat, out, rise, z), mixed(rise, out, writer.local(`-${flat}`), z), around]
}

/** Less what a body that turns with the axes has there. */
function withoutTurning(writer: LoopWriter, { axes, rate }: AxesFrame, value: Locals, off: Locals): string[] {
  const spin = axes[2].map((c) => written(c * rate))
  return value.map((x, d) => {
    const [j, k] = [(d + 1) % 3, (d + 2) % 3]
    return writer.local(`${x} - (${spin[j]} * ${off[k]} - ${spin[k]} * ${off[j]})`)
  })
}

function turnedVector(writer: LoopWriter, basis: readonly Locals[], value: Locals): string[] {
  return basis.map((axis) => writer.local(axis.map((c, d) => `${c} * ${value[d]}`).join(' + ')))
}

/** Basis · tensor · basisᵀ. */
function turnedTensor(writer: LoopWriter, basis: readonly Locals[], value: Locals): string[] {
  const isSymmetric = value.length === 6
  const full = isSymmetric ? [0, 3, 5, 3, 1, 4, 5, 4, 2].map((i) => value[i]!) : value
  const half = basis.map((axis) => [0, 1, 2].map((j) => writer.local([0, 1, 2].map((i) => `${axis[i]} * ${full[3 * i + j]}`).join(' + '))))
  const all = half.flatMap((row) => basis.map((axis) => writer.local(axis.map((c, d) => `${c} * ${row[d]}`).join(' + '))))
  return isSymmetric ? symmetricOf(writer, all) : all
}
