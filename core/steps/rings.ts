/** Places that count as rings around an axis, 2πr long: totals of a flow with an axis, of a line or a half section of it. */
import { Type } from '@sinclair/typebox'
import { parseFormula } from '../fields/formula/parse'
import type { Expression } from '../fields/formula/parse'
import { VectorSchema } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import type { SentencePiece } from './offers'

const axes = ['x', 'y', 'z'] as const
const choices = ['none', ...axes] as const

/** Settings of steps that can count so. */
export const Rings = {
  around: Type.Union(
    choices.map((choice) => Type.Literal(choice)),
    { default: 'none' },
  ),
  /** Any place on the axis. */
  axisAt: Type.Unsafe<Vector>({ ...VectorSchema, default: [0, 0, 0] }),
}

export function ringWords(around: unknown): SentencePiece[] {
  const options = [
    { value: 'none', label: 'as it lies' },
    ...axes.map((axis) => ({ value: axis, label: `as rings around ${axis} (2πr)`, words: [`around ${axis}`, `rings around ${axis}`] })),
  ]
  const at: SentencePiece[] = around === 'none' ? [] : [' through ', { token: 'position', setting: 'axisAt' }]
  return [', taken ', { token: 'choice', setting: 'around', options }, ...at]
}

/**
 * Length of the ring that each place stands for; undefined where places count as they lie.
 *
 * @param lengthUnit  of the case
 * @param isVolume    positions are those of cells and not of a shape
 */
export function ringLength(around: unknown, axisAt: Vector, lengthUnit: string | null, isVolume: boolean): Expression | undefined {
  const axis = axes.findIndex((name) => name === around)
  if (axis < 0) return undefined
  const unit = lengthUnit === null ? '' : ` '${lengthUnit}'`
  const sides = axes.flatMap((name, d) => (d === axis ? [] : [`${isVolume ? 'pos' : 'here'}.${name} - (${axisAt[d]}${unit})`]))
  return parseFormula(`2 * ${Math.PI} * hypot(${sides.join(', ')})`)
}
