/** What is computed for the data check: one thing at a time. */
import type { Catalogue } from '../case/catalogue'
import type { SurfaceFlow } from '../case/roles'
import { DataError } from '../errors'
import { callOf, nameOf } from '../fields/formula/expressions'
import { integrateShape } from '../measure/integrateShape'
import type { Measurable } from '../measure/reductions'
import { periodicPairs } from '../trace/PeriodicSides'
import type { PeriodicMotion } from '../trace/PeriodicSides'
import { fieldFigures } from './fieldFigures'
import type { FieldFigures } from './fieldFigures'
import { partFigures } from './partFigures'
import type { PartFigures } from './partFigures'

/** One thing to look at: the mesh of a part, a field on it, what a velocity carries through a surface, or two sides that may fit. */
export type CheckSubject =
  { look: 'part'; part: string } | { look: 'field' | 'flow'; part: string; field: string } | { look: 'pair'; part: string; other: string }

/** By which motion one surface lies on the other, and the same in words; null for none. */
export interface PairFigures {
  words: string | null
  motion: PeriodicMotion | null
}

export type CheckResult = PartFigures | FieldFigures | SurfaceFlow | PairFigures

/** @throws DataError when the case has no such part or field */
export function checkSubject(data: Measurable, { parts, fields }: Catalogue, subject: CheckSubject): CheckResult {
  const part = data.part(subject.part)
  const check = (): void => data.check()
  if (subject.look === 'part') return partFigures(part, parts.find((p) => p.name === subject.part)!.points, check)
  if (subject.look === 'pair') {
    const sides = [subject.part, subject.other].map((name) => ({ name, shape: data.partShape(name, false) }))
    const [pair] = periodicPairs(sides)
    return { words: pair?.words ?? null, motion: pair?.motion ?? null }
  }
  const field = fields.find((f) => f.name === subject.field && f.parts.includes(subject.part))
  if (!field) throw new DataError('no-field', `${subject.part} has no field “${subject.field}”.`)
  if (subject.look === 'flow') return surfaceFlow(data, subject.part, subject.field)
  return fieldFigures(part, field.name, field.components, check)
}

function surfaceFlow(data: Measurable, part: string, velocity: string): SurfaceFlow {
  const shape = data.partShape(part, false)
  const through = integrateShape(shape, data.values(callOf('dot', nameOf(velocity), nameOf('normal')), shape))
  const along = integrateShape(shape, data.values(callOf('mag', nameOf(velocity)), shape))
  return { flux: through.integral[0]!, area: through.measure, speed: along.mean[0]! }
}
