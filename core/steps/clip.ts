/** The part of regions, surfaces or lines inside or outside a plane, box, sphere or cylinder. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { boxCentre } from '../mesh/boxes'
import { DataError } from '../errors'
import { boxLevels, cylinderLevel, planeLevel, sphereLevel } from '../shapes/clipForms'
import { cellMeans } from '../shapes/cellMeans'
import { not } from '../shapes/condition'
import type { Condition } from '../shapes/condition'
import { movedLevel } from '../shapes/moved'
import { VectorSchema } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { defineStep, settingsOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  form: Type.Union([Type.Literal('plane'), Type.Literal('box'), Type.Literal('sphere'), Type.Literal('cylinder')]),
  /** Inside of a plane is the side that its normal points to. */
  side: Type.Union([Type.Literal('inside'), Type.Literal('outside')]),
  cells: Type.Union([Type.Literal('cut'), Type.Literal('whole')]),
  /** A point of the plane, the centre of the sphere, or a point of the axis, in the case's length unit. */
  origin: VectorSchema,
  /** Of the plane, or the direction of the axis. */
  normal: VectorSchema,
  /** Corners of the box. */
  low: VectorSchema,
  high: VectorSchema,
  /** Of the sphere or the cylinder. */
  radius: Type.Number({ exclusiveMinimum: 0 }),
})

const forms = [
  { value: 'plane', label: 'plane' },
  { value: 'box', label: 'box' },
  { value: 'sphere', label: 'sphere' },
  { value: 'cylinder', label: 'cylinder' },
] as const

export const cellChoices = [
  { value: 'cut', label: 'cutting cells', words: ['cut', 'exact'] },
  { value: 'whole', label: 'in whole cells (those whose middle is inside)', words: ['whole cells', 'whole'] },
] as const

export const clip = defineStep({
  id: 'clip',
  version: 1,
  title: 'Clip',
  words: ['clip', 'crop', 'cut away', 'cut off', 'half'],
  icon: 'M4 8 L12 4 L20 8 V16 L12 20 L4 16 Z M4 8 L20 16 M12 4 V8',
  settings: Settings,
  inputs: [{ name: 'of', accepts: ['region', 'surface', 'lines'], isList: true }],
  defaults({ box }, wishes) {
    const centre = boxCentre(box)
    const within = (share: number): Vector => [0, 1, 2].map((d) => box[d]! + share * (box[d + 3]! - box[d]!)) as Vector
    const size = Math.min(...[0, 1, 2].map((d) => box[d + 3]! - box[d]!).filter((x) => x > 0))
    return {
      ...({ form: 'plane', side: 'inside', cells: 'cut' } as const),
      ...{ origin: centre, normal: [1, 0, 0] as Vector },
      ...{ low: within(0.25), high: within(0.75), radius: Number.isFinite(size) ? size / 3 : 1 },
      ...wishes,
    }
  },
  handles: ({ form }) =>
    form === 'plane'
      ? [{ handle: 'plane', origin: 'origin', normal: 'normal' }]
      : form === 'box'
        ? [
            { handle: 'point', setting: 'low', title: 'lower corner' },
            { handle: 'point', setting: 'high', title: 'upper corner' },
          ]
        : [
            { handle: 'point', setting: 'origin', title: form === 'sphere' ? 'centre' : 'axis' },
            { handle: 'radius', origin: 'origin', setting: 'radius', ...(form === 'cylinder' && { axis: 'normal' }) },
          ],
  look: { isLit: true, takesPlace: true },
  yields: (_, input) => input,
  sentence: ({ form }) => [
    'Clip ',
    { token: 'input', input: 'of' },
    ' by ',
    { token: 'choice', setting: 'form', options: forms },
    ...placeOf(form),
    ', keeping ',
    {
      token: 'choice',
      setting: 'side',
      options: [
        { value: 'inside', label: form === 'plane' ? 'the side ahead' : 'the inside', words: ['ahead', 'inside', 'above'] },
        { value: 'outside', label: form === 'plane' ? 'the side behind' : 'the outside', words: ['behind', 'outside', 'below'] },
      ],
    },
    ', ',
    { token: 'choice', setting: 'cells', options: cellChoices },
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  variables: () => [],
  keeps(context) {
    const { side, cells } = settingsOf(Settings, context)
    const inside = insideOf(context, cells === 'whole')
    return side === 'inside' ? inside : not(inside)
  },
})

function placeOf(form: Static<typeof Settings>['form']) {
  const radius = [', radius ', { token: 'number', setting: 'radius', quantity: 'length' }] as const
  switch (form) {
    case 'plane':
      return [' at ', { token: 'plane' }] as const
    case 'box':
      return [' from ', { token: 'position', setting: 'low' }, ' to ', { token: 'position', setting: 'high' }] as const
    case 'sphere':
      return [' about ', { token: 'position', setting: 'origin' }, ...radius] as const
    case 'cylinder':
      return [' about ', { token: 'position', setting: 'origin' }, ' along ', { token: 'direction', setting: 'normal' }, ...radius] as const
  }
}

function insideOf(context: StepContext, isWhole: boolean): Condition {
  const { form, origin, normal, low, high, radius } = settingsOf(Settings, context)
  const levels =
    form === 'plane'
      ? [planeLevel(origin as Vector, normal as Vector)]
      : form === 'box'
        ? boxLevels(low as Vector, high as Vector)
        : [form === 'sphere' ? sphereLevel(origin as Vector, radius) : cylinderLevel(origin as Vector, normal as Vector, radius)]
  if (!levels.length) throw new DataError('flat-box', 'The box has no volume; its corners must differ in x, y and z.')
  const moved = context.moved('of')
  return levels
    .map((level) => (moved ? movedLevel(level, moved) : level))
    .map((level): Condition => (isWhole ? { is: 'cells', level: cellMeans(level) } : { is: 'level', level }))
    .reduce((a, b) => ({ is: 'and', of: [a, b] }))
}
