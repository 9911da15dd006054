/** What goes into the steps of a graph: which frame each input is taken from, and what of it a step depends on. */
import { DataError } from '../errors'
import { labelOf } from '../fields/formula/expressions'
import { hasShape, takesOutcomes } from '../steps/StepKind'
import type { InputSpec } from '../steps/StepKind'
import { matchedMoment } from '../study/moments'
import type { StoredRef } from './Expressions'
import type { FramePlan } from './FramePlan'
import type { Graph } from './Graph'
import { isDomain, takesShapes, unitsOf } from './nodes'
import type { Node, PlannedInputs, ShapeNodes } from './nodes'

/** What another frame reads, as this one asks for it. */
function refIn(ref: StoredRef, at: FramePlan, there: FramePlan): StoredRef {
  return there === at || ref.frame ? ref : { ...ref, frame: { case: there.frame.case, moment: there.frame.moment } }
}

/** The frame that an input of a step is taken from. @throws DataError when that case has no such moment */
export function frameOfInput(graph: Graph, step: string, at: FramePlan, spec: InputSpec): FramePlan {
  const { kind, settings } = at.step(step)
  const wished = kind.caseOf?.(settings as never, spec.name) || (spec.isAnywhere ? at.caseWith(step, spec.name) : at.frame.case)
  if (wished === at.frame.case) return at
  const there = graph.cases.get(wished)
  if (!there) throw new DataError('no-case', 'The case that this is taken from is no longer in the study; choose another.')
  const moment = matchedMoment(at.catalogue.moments, at.frame.moment, there.catalogue.moments, 'nearest')
  if (moment === null) throw new DataError('no-moment', 'The case that this is taken from has no such moment.')
  return graph.frame({ ...at.frame, case: wished, moment })
}

/**
 * The frame that another step's curve or reading is taken from: the own one, or that of the case which has a table that the other step
 * is made of. Measurements stand beside whatever case is shown; regions and surfaces of other cases do not.
 */
export function frameOfOutcome(graph: Graph, step: string, at: FramePlan): FramePlan {
  const lacked = at.lackedBy(step)
  const there = lacked && graph.cases.get(lacked.case)
  if (!there) return at
  const isTable = (name: string): boolean => there.catalogue.parts.some((part) => part.name === name && part.abscissa)
  return lacked.parts.every(isTable) ? graph.frame({ ...at.frame, case: lacked.case, moment: 0 }) : at
}

/** What a step looks at on inputs that may be of other cases: its variables there, and the fields of what is not of its own case. */
export function sourceVariables(graph: Graph, step: string, at: FramePlan): { keys: unknown[]; reads: StoredRef[] } {
  const { kind } = at.step(step)
  const keys: unknown[] = []
  const reads: StoredRef[] = []
  for (const [setting, source] of Object.entries(kind.sourceVariables ?? {})) {
    for (const spec of kind.inputs) {
      const there = frameOfInput(graph, step, at, spec)
      const { expressions, catalogue } = there
      const parts = partsOfInput(graph, step, there, spec)
      const variable = there.variable(step, setting)
      // what it is carried onto may have it, too
      keys.push(spec.name, expressions.key(variable, parts), labelOf(variable), unitsOf(expressions, variable, parts), catalogue.lengthUnit)
      reads.push(...expressions.allReads([variable], parts).map((ref) => refIn(ref, at, there)))
      if (spec.name === source || there === at) continue
      const fields = catalogue.fields.filter(({ moments }) => moments.includes(there.frame.moment))
      const refs = parts.flatMap((part) => fields.flatMap((own) => (own.parts.includes(part) ? [{ part, field: own.name }] : [])))
      keys.push(refs.map((ref) => there.version(ref)))
      reads.push(...refs.map((ref) => refIn(ref, at, there)))
    }
  }
  return { keys, reads }
}

function partsOfInput(graph: Graph, step: string, there: FramePlan, { name }: InputSpec): string[] {
  return there.inputs(step, name).flatMap((one) => ('step' in one ? graph.shape(one.step, there.frame).parts : [one.part]))
}

/**
 * What goes into a step: volumes as their meshes and conditions, all else as shapes.
 *
 * @param isForOthers  as others see it: volumes that it passes on are volumes
 */
export function inputsOf(graph: Graph, step: string, at: FramePlan, isForOthers = false): PlannedInputs {
  const { kind, settings } = at.step(step)
  const outside = kind.looksAtOutside?.(settings as never)
  const asShapes = isForOthers ? kind.takesOutside === true : takesShapes(kind)
  const needs: Node[] = []
  const keys: unknown[] = []
  const shapes: ShapeNodes[] = []
  const reads: StoredRef[] = []
  const parts = new Set<string>()
  const shapeParts = new Set<string>()
  for (const spec of kind.inputs) {
    const there = frameOfInput(graph, step, at, spec)
    const isOwn = there === at
    // coordinates of another case may be in another unit
    if (!isOwn) keys.push([there.catalogue.lengthUnit, at.catalogue.lengthUnit])
    for (const input of there.inputs(step, spec.name)) {
      const asDomain = isDomain(there, asShapes ? undefined : spec, input)
      if (asDomain && outside === spec.name) needs.push(...graph.inputShape(there, input).nodes)
      if ('step' in input && takesOutcomes(spec)) {
        const from = frameOfOutcome(graph, input.step, at)
        const outcome = graph.outcome(input.step, from.frame)
        keys.push([spec.name, outcome.key])
        needs.push(...outcome.needs)
        reads.push(...outcome.reads.map((ref) => refIn(ref, at, from)))
      } else if (asDomain && 'step' in input) {
        const domain = graph.domain(input.step, there.frame)
        keys.push([spec.name, domain.key])
        reads.push(...domain.reads.map((ref) => refIn(ref, at, there)))
        needs.push(...domain.needs)
        if (isOwn) for (const part of domain.parts) parts.add(part)
      } else if (asDomain) {
        const ref = { part: (input as { part: string }).part, field: null }
        keys.push([spec.name, ref.part, there.version(ref)])
        reads.push(refIn(ref, at, there))
        if (isOwn) parts.add(ref.part)
      } else if ('step' in input && !hasShape(there.step(input.step).kind)) {
        throw new DataError('no-shape', `“${there.step(input.step).kind.title}” yields a number or a curve, not a shape.`)
      } else {
        const shape = graph.inputShape(there, input)
        keys.push([spec.name, shape.key])
        shapes.push(shape)
        needs.push(...shape.nodes)
        if (isOwn) for (const part of shape.parts) shapeParts.add(part)
      }
    }
  }
  // a result of a volume lies in that volume, whatever its other inputs are
  const own = [...(parts.size ? parts : shapeParts)]
  return { keys, shapes, needs, parts: own, all: [...new Set([...parts, ...shapeParts])], reads, hasDomain: parts.size > 0 }
}

/** What a step looks at that goes through all moments: the volume of its first input, and the variables of its shape. */
export function allMoments(graph: Graph, step: string, at: FramePlan): { keys: unknown[]; needs: Node[]; reads: StoredRef[] } {
  const spec = at.step(step).kind.inputs[0]!
  const keys: unknown[] = []
  const needs: Node[] = []
  const reads: StoredRef[] = []
  for (const { index, value, unit } of at.catalogue.moments) {
    const there = graph.frame({ ...at.frame, moment: index })
    const parts: string[] = []
    keys.push(value, unit)
    for (const input of there.inputs(step, spec.name)) {
      if (!isDomain(there, spec, input)) continue
      const domain = 'step' in input ? graph.domain(input.step, there.frame) : undefined
      const refs = domain?.reads ?? [{ part: (input as { part: string }).part, field: null }]
      keys.push(domain?.key ?? there.version(refs[0]!))
      needs.push(...(domain?.needs ?? []))
      reads.push(...refs.map((ref) => refIn(ref, at, there)))
      parts.push(...(domain?.parts ?? [refs[0]!.part]))
    }
    const expressions = there.shapeExpressions(step)
    keys.push(expressions.map((expression) => there.expressions.key(expression, parts)))
    reads.push(...there.expressions.allReads(expressions, parts).map((ref) => refIn(ref, at, there)))
  }
  return { keys, needs, reads }
}
