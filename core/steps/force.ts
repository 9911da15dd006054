/** Force and moment on surfaces: of the pressure and the wall shear of a fluid, or of the stress in a solid. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { formatNumber } from '../colour/ticks'
import { DataError } from '../errors'
import { callOf, differenceOf, labelOf, nameOf, numberOf, productOf } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'
import { integrateShape, sizeOfShape } from '../measure/integrateShape'
import { named } from '../measure/reductions'
import type { Reading, ReadingPart } from '../measure/results'
import { powerName, productName } from '../measure/unitNames'
import { VectorSchema } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { elementCount, partsOf } from '../shapes/Shape'
import type { Shape } from '../shapes/Shape'
import { woundBack } from '../shapes/turned'
import { isSameKind, lengthFactor } from '../units/units'
import { defineStep, settingsOf } from './StepKind'
import type { StepContext } from './StepKind'

const quantities = [
  { value: 'force', label: 'force', words: ['force', 'drag', 'lift'] },
  { value: 'moment', label: 'moment', words: ['moment', 'torque'] },
] as const
const sources = [
  { value: 'pressure', label: 'pressure', words: ['pressure'] },
  { value: 'pressure and shear', label: 'pressure and wall shear', words: ['pressure and shear', 'friction'] },
  { value: 'pressure less shear', label: 'pressure less wall shear (given as it acts on the fluid)', words: ['pressure less shear'] },
  { value: 'stress', label: 'stress (of a solid)', words: ['stress'] },
] as const

const points = [
  { value: 'middle', label: 'the middle of the surface', words: ['middle'] },
  { value: 'given', label: 'the point', words: ['about'] },
] as const

const Settings = Type.Object({
  quantity: Type.Union(quantities.map(({ value }) => Type.Literal(value))),
  source: Type.Union(sources.map(({ value }) => Type.Literal(value))),
  pressure: Type.String(),
  shear: Type.String(),
  stress: Type.String(),
  /** Of a moment: about a point that is given, or about the middle of the surface, of which is warned. */
  point: Type.Union(
    points.map(({ value }) => Type.Literal(value)),
    { default: 'given' },
  ),
  about: VectorSchema,
})

export const force = defineStep({
  id: 'force',
  version: 2,
  title: 'Load',
  words: ['load', 'force', 'moment', 'torque', 'drag', 'lift', 'friction'],
  icon: 'M3 12 H15 M11 7 L16 12 L11 17 M20 4 V20',
  settings: Settings,
  inputs: [{ name: 'on', accepts: ['surface'], isList: true }],
  defaults({ pick, box }, wishes) {
    const about = [0, 1, 2].map((d) => (box[d]! + box[d + 3]!) / 2) as Vector
    const known = { pressure: pick(1, 'pressure'), shear: pick(3, 'wall shear'), stress: pick(6, 'stress') }
    return { quantity: 'force' as const, source: 'pressure' as const, point: 'middle' as const, ...known, about, ...wishes }
  },
  presets: [
    { title: 'Load as force on a surface', words: 'drag lift load pressure friction', settings: { quantity: 'force' } },
    { title: 'Load as moment on a surface', words: 'torque about a point', settings: { quantity: 'moment' } },
  ],
  handles: ({ quantity, point }) =>
    quantity === 'moment' && point === 'given' ? [{ handle: 'point', setting: 'about', title: 'Point of the moment' }] : [],
  yields: () => 'reading',
  sentence: ({ quantity, source, point }) => [
    'Load as ',
    { token: 'choice', setting: 'quantity', options: quantities },
    ' on ',
    { token: 'input', input: 'on' },
    ...(quantity === 'moment' ? ([' about ', { token: 'choice', setting: 'point', options: points }] as const) : []),
    ...(quantity === 'moment' && point === 'given' ? ([' ', { token: 'position', setting: 'about' }] as const) : []),
    ' of ',
    { token: 'choice', setting: 'source', options: sources },
    ...variablesOf(source).flatMap((setting, i) => [
      i ? ' and ' : ' ',
      { token: 'variable', setting, kind: setting === 'pressure' ? 'scalar' : setting === 'shear' ? 'vector' : 'any' } as const,
    ]),
  ],
  variables: ({ source }) => variablesOf(source),
  ready: { shear: 'wall shear' },
  reading: (context) => loads(context, settingsOf(Settings, context)),
})

function variablesOf(source: unknown): string[] {
  return source === 'stress' ? ['stress'] : source === 'pressure' ? ['pressure'] : ['pressure', 'shear']
}

interface Load {
  name: string
  /** Force over area. */
  traction: Expression
}

function loads(context: StepContext, settings: Static<typeof Settings>): Reading {
  const given = context.shape('on')
  if (given.kind !== 'surface') throw new DataError('no-surface', 'A force acts on a surface; choose surfaces or a slice.')
  const shape = outOfLoaded(context, given, context.variable(settings.source === 'stress' ? 'stress' : 'pressure'))
  const { quantity } = settings
  const isAboutMiddle = quantity === 'moment' && settings.point === 'middle'
  const about = isAboutMiddle ? middleOf(context, shape) : settings.about
  const isMoment = quantity === 'moment'
  const { lengthUnit } = context
  const lever = differenceOf(nameOf('here'), callOf('vec', ...about.map((x) => numberOf(x, lengthUnit))))
  const found = tractions(context, shape, settings).map(({ name, traction }) => {
    const values = context.values(isMoment ? callOf('cross', lever, traction) : traction, shape)
    const totals = integrateShape(shape, values)
    const unit = productName(values.unit, lengthUnit, 2)
    // a moment is no energy
    return { name, totals, unit: isMoment && unit === 'J' ? 'N·m' : unit, what: labelOf(traction) }
  })
  const total = [0, 1, 2].map((d) => found.reduce((sum, { totals }) => sum + totals.integral[d]!, 0))
  const parts = found.map(({ name, totals, unit }): ReadingPart => ({ name, unit, ...named(totals.integral) }))
  const nonFinite = Math.max(...found.map(({ totals }) => totals.nonFinite))
  const area = `area ${formatNumber(sizeOfShape(shape).measure, 8)} ${lengthUnit ? powerName(lengthUnit, 2) : ''}`
  const point = `(${about.map((x) => formatNumber(x, 6)).join(', ')}) ${lengthUnit ?? ''}`.trim()
  return {
    ...named(total),
    unit: found[0]!.unit,
    ...(parts.length > 1 && { parts }),
    madeOf: [
      ...found.map(({ what }) => `integral of ${isMoment ? `(pos − point) × (${what})` : what} over the surface`),
      ...(isMoment ? [`about ${point}`] : []),
      `${elementCount(shape).toLocaleString('en')} triangles, ${area}`,
      `the normal is ${shape.direction ?? 'that of the surface'}`,
    ],
    cautions: [
      ...(nonFinite ? [`${nonFinite} triangles with values that are not finite are left out.`] : []),
      ...(isAboutMiddle ? [NO_POINT] : []),
    ],
    ...(isAboutMiddle && { mends: [{ caution: NO_POINT, label: `It is about ${point}`, settings: { point: 'given', about } }] }),
  }
}

const NO_POINT = 'No point was given: the moment is that about the middle of the surface, and another one about any other point.'

/** Of its area. */
function middleOf(context: StepContext, shape: Shape): Vector {
  const { mean } = integrateShape(shape, context.values(nameOf('here'), shape))
  const { lengthUnit } = context
  // places are in metres where the unit of length is known
  const factor = lengthFactor('m', lengthUnit)
  return [0, 1, 2].map((d) => Number((factor * mean[d]!).toPrecision(6))) as Vector
}

/**
 * Between two regions, what acts on the surface is that of the one that has the pressure or the stress: the surface with normals out of
 * it, whichever they point out of by themselves.
 */
function outOfLoaded(context: StepContext, shape: Shape, variable: Expression): Shape {
  const isOn = (region: string): boolean => {
    try {
      context.quantity(variable, [region])
      return true
    } catch {
      return false
    }
  }
  const directions = new Set<string>()
  const pieces = shape.pieces.map((piece) => {
    const [first, ...others] = context.catalogueOf(piece.ranges[0]?.part ?? '')?.owners ?? []
    const loaded = first === undefined || isOn(first) ? first : (others.find(isOn) ?? first)
    if (loaded !== undefined) directions.add(`out of ${loaded}`)
    return loaded === first ? piece : { ...piece, elements: woundBack(piece.elements) }
  })
  const said = directions.size ? { direction: [...directions].join(', ') } : {}
  return pieces.every((piece, i) => piece === shape.pieces[i]) ? shape : { ...shape, pieces, ...said }
}

function tractions(context: StepContext, shape: Shape, { source }: Static<typeof Settings>): Load[] {
  const normal = nameOf('normal')
  if (source === 'stress') {
    const stress = context.variable('stress')
    const { components } = context.quantity(stress, partsOf(shape))
    if (components < 6) throw new DataError('no-stress', `“${labelOf(stress)}” is no tensor; choose a stress tensor, or take the pressure.`)
    requireStress(context, stress, shape, 'a stress tensor in Pa')
    return [{ name: 'stress', traction: callOf('dot', stress, normal) }]
  }
  const pressure = absolute(context, context.variable('pressure'), shape, 'a pressure in Pa')
  const own: Load = { name: 'pressure', traction: productOf(pressure, normal) }
  if (source === 'pressure') return [own]
  const example = 'one in Pa, such as -viscosity * dot(grad(U) + transpose(grad(U)), normal)'
  const shear = absolute(context, context.variable('shear'), shape, example)
  const sign = numberOf(source === 'pressure less shear' ? -1 : 1, null)
  return [own, { name: 'shear', traction: productOf(shear, sign) }]
}

/** Solvers without density have pressures and stresses over the density. @param wanted  what to choose instead of anything else */
function absolute(context: StepContext, of: Expression, shape: Shape, wanted: string): Expression {
  const { unit } = context.quantity(of, partsOf(shape))
  if (unit !== null && isSameKind(unit, 'm²/s²')) return productOf(nameOf('density'), of)
  requireStress(context, of, shape, wanted)
  return of
}

/** @throws DataError where the unit is known and is none of a force over an area */
function requireStress(context: StepContext, of: Expression, shape: Shape, wanted: string): void {
  const { unit } = context.quantity(of, partsOf(shape))
  if (unit === null || isSameKind(unit, 'Pa')) return
  const told = unit === '1' ? 'has no unit' : `is in ${unit}`
  throw new DataError('no-stress', `“${labelOf(of)}” ${told} and is no force over an area; choose ${wanted}.`)
}
