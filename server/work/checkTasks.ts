/** What the worker computes for the data check. */
import { fieldFigures } from '../../core/check/fieldFigures'
import type { FieldFigures } from '../../core/check/fieldFigures'
import { partFigures } from '../../core/check/partFigures'
import type { PartFigures } from '../../core/check/partFigures'
import type { SurfaceFlow } from '../../core/check/roles'
import { DataError } from '../../core/errors'
import { integrateShape } from '../../core/measure/integrateShape'
import type { Evaluator } from '../../core/study/Evaluator'

/** One thing to look at: the mesh of a part, a field on it, or what a velocity carries through a surface. */
export type CheckSubject = { look: 'part'; part: string } | { look: 'field' | 'flow'; part: string; field: string }

export type CheckResult = PartFigures | FieldFigures | SurfaceFlow

/** @param check  called per block; throws to cancel */
export function checkSubject(evaluator: Evaluator, subject: CheckSubject, check: () => void): CheckResult {
  const { data } = evaluator
  const part = data.part(subject.part)
  if (subject.look === 'part') return partFigures(part, data.catalogue.parts.find((p) => p.name === subject.part)!.points, check)
  const field = data.catalogue.fields.find((f) => f.name === subject.field && f.parts.includes(subject.part))
  if (!field) throw new DataError('no-field', `${subject.part} has no field “${subject.field}”.`)
  return subject.look === 'field' ? fieldFigures(part, field.name, field.components, check) : surfaceFlow(evaluator, subject.part)
}

/** The plan of such a task knows the velocity as `carrier`, so that no name of a file is read as a formula. */
export const CARRIER = 'carrier'

function surfaceFlow(evaluator: Evaluator, part: string): SurfaceFlow {
  const shape = evaluator.partShape(part, false)
  const through = integrateShape(shape, evaluator.values(`dot(${CARRIER}, normal)`, shape))
  const along = integrateShape(shape, evaluator.values(`mag(${CARRIER})`, shape))
  return { flux: through.integral[0]!, area: through.measure, speed: along.mean[0]! }
}
