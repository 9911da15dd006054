/** The flow that something is followed in: at all moments of the case, or as it is at one. */
import { DataError } from '../errors'
import type { Moment } from '../case/catalogue'
import { isWhole } from '../mesh/Domain'
import type { MomentFlow } from '../trace/MovingField'
import { divide, parseUnit, unitName } from '../units/units'
import { smoothed, smoothedNote } from './smoothed'
import type { StepContext } from './StepKind'

export interface FlowThroughTime {
  /** In the order in which they are gone through, at least two; times grow, back in time they are negative. */
  moments: MomentFlow[]
  /** From values of the field to lengths of the case by unit of time. */
  factor: number
  /** -1 back in time. */
  sign: number
  /** Of times; null where that is not known. */
  unit: string | null
  notes: string[]
}

/** Into how many spans the time in a flow that stays as it is is divided: paths have a point at each. */
const STILL_SPANS = 100

export function flowsOf(context: StepContext, { span, duration, way }: { span: string; duration: number; way: string }): FlowThroughTime {
  const sign = way === 'back' ? -1 : 1
  const { all, own } = context.moments()
  const scale = scaleOf(context)
  const inTime = all.filter(({ kind, value }) => kind === 'time' && value !== null)
  const isStill = span === 'still' || inTime.length < 2
  const notes = [...scale.notes]
  if (isStill) {
    if (span === 'moments') notes.push('the case has no course of time, so the flow is taken as it is')
    const flow = flowAt(context, 0)
    const moments = Array.from({ length: STILL_SPANS + 1 }, (_, i) => ({ ...flow, time: (i * duration) / STILL_SPANS }))
    return { ...scale, factor: sign * scale.factor, moments, sign, notes }
  }
  const sorted = inOrder(inTime)
  if (sorted.length < inTime.length) notes.push('of moments at equal times the last one is taken')
  if (sorted.some(({ index }, i) => i > 0 && index < sorted[i - 1]!.index)) notes.push('moments are taken in the order of their times')
  const unit = parseUnit(sorted[0]!.unit ?? '')
  if (!unit) notes.push('the unit of time of the moments is not known; taken as s')
  const factor = unit?.factor ?? 1
  const there = sorted.map(({ index }) => (index === own ? context : context.atMoment(index)))
  const moments = there.map((at, i) => flowAt(at, sign * factor * sorted[i]!.value!))
  if (sign < 0) moments.reverse()
  return { ...scale, factor: sign * scale.factor, moments, sign, notes }
}

/** By time; of equal ones the last. */
function inOrder(moments: readonly Moment[]): Moment[] {
  const byTime = new Map([...moments].sort((a, b) => a.index - b.index).map((moment) => [moment.value!, moment]))
  return [...byTime.values()].sort((a, b) => a.value! - b.value!)
}

function flowAt(context: StepContext, time: number): MomentFlow {
  const domain = context.domain('of')
  const names = domain.parts.map(({ name }) => name)
  const variable = context.variable('variable')
  const { components, place } = context.quantity(variable, names)
  if (components !== 3) throw new DataError('not-vector', 'Paths follow a vector such as a velocity; choose one.')
  const followed = place === 'point' ? variable : smoothed(variable)
  const { all, own } = context.moments()
  const { topology, coordinates } = all[own]!
  return {
    ...{ time, domain },
    vector: (part, block) => context.blockValues(followed, names, part, block),
    // what steps keep of a region may be another part of it at each moment
    mesh: isWhole(domain) ? `${topology} ${coordinates}` : `moment ${own}`,
  }
}

/** Seconds where units are known and this is a velocity; the own unit of length over speed else. */
function scaleOf(context: StepContext): Pick<FlowThroughTime, 'factor' | 'unit' | 'notes'> {
  const variable = context.variable('variable')
  const names = context.domain('of').parts.map(({ name }) => name)
  const onCells = names.filter((name) => context.quantity(variable, [name]).place !== 'point')
  const notes = onCells.length ? [smoothedNote(variable, onCells, onCells.length === names.length)] : []
  // smoothed values are in coherent SI, those of a plain field in the unit of its file
  const { unit } = context.quantity(onCells.length ? smoothed(variable) : variable, names)
  const length = context.lengthUnit === null ? null : parseUnit(context.lengthUnit)
  const speed = unit === null ? null : parseUnit(unit)
  if (!length || !speed)
    return { factor: 1, unit: null, notes: [...notes, 'units are not known, so lengths and times are taken as they stand'] }
  const time = unitName(divide(length.dimensions, speed.dimensions))
  if (time !== 's') notes.push(`the vector is no velocity: its “time” is in ${time}`)
  return { factor: speed.factor / length.factor, unit: time, notes }
}
