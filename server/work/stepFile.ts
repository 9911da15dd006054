/** The file of a step: its shape with the values of some variables, or its number or curve as a table. */
import { deflateSync } from 'node:zlib'
import { UserError } from '../../core/errors'
import { joinArrays } from '../../core/formats/meshParts'
import { writeCurve, writeReading, writeShape } from '../../core/formats/write/shape'
import { stepKind } from '../../core/steps'
import type { Evaluator } from '../../core/study/Evaluator'
import type { Wanted } from './messages'

/** @throws UserError when the step has nothing that the format can hold */
export function stepFile(evaluator: Evaluator, { format, variables, name }: Wanted & { what: 'file' }): Uint8Array {
  const { plan, data } = evaluator
  const kind = stepKind(plan.steps[plan.target]!.kind)
  if (!kind.shape) {
    if (format !== 'csv') throw new UserError('format', `“${kind.title}” yields numbers, which are written as csv.`)
    return new TextEncoder().encode(kind.curve ? writeCurve(evaluator.curve(plan.target)) : writeReading(name, evaluator.reading(plan.target)))
  }
  const shape = evaluator.shape(plan.target)
  const fields = variables.map((variable) => evaluator.values(variable, shape))
  const pieces = writeShape({ shape, fields, lengthUnit: data.catalogue.lengthUnit, deflate: (bytes) => deflateSync(bytes, { level: 3 }) }, format)
  return joinArrays(Uint8Array, pieces)
}
