/** Copies of surfaces, lines and points, turned about an axis, mirrored or shifted: a sector made a full ring, half a model made whole. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { DataError } from '../errors'
import { diagonal } from '../mesh/boxes'
import { VectorSchema } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import type { Piece } from '../shapes/Shape'
import { mirroredAt, movedPiece, shifted, turnedAbout } from '../shapes/turned'
import type { Motion } from '../shapes/turned'
import type { PeriodicMotion } from '../trace/PeriodicSides'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  form: Type.Union(['turned', 'mirrored', 'shifted'].map((form) => Type.Literal(form))),
  /** The first one included. */
  count: Type.Integer({ minimum: 1, maximum: 360 }),
  /** Degrees from one to the next. */
  angle: Type.Number({ minimum: -360, maximum: 360 }),
  origin: VectorSchema,
  /** The axis, or the normal of the mirror. */
  normal: VectorSchema,
  shift: VectorSchema,
})

/** Degrees that sectors may lack of a whole ring: what is found in the mesh is not exact. */
const RING = 0.1

const forms = [
  { value: 'turned', label: 'turned', words: ['turned', 'rotated', 'around'] },
  { value: 'mirrored', label: 'mirrored', words: ['mirrored', 'mirror', 'reflected'] },
  { value: 'shifted', label: 'shifted', words: ['shifted', 'moved', 'translated'] },
]

export const copies = defineStep({
  id: 'copies',
  version: 1,
  title: 'Copies',
  words: ['copies', 'copy', 'mirror', 'reflect', 'rotate', 'sector', 'full ring', 'periodic', 'symmetry', 'translate', 'repeat'],
  icon: 'M4 8 H14 V20 H4 Z M8 8 V4 H20 V16 H14',
  settings: Settings,
  inputs: [{ name: 'of', accepts: ['region', 'surface', 'lines'], isList: true }],
  isBegunByPeriodic: true,
  defaults({ box, periodic }, wishes) {
    const size = [0, 1, 2].map((d) => box[d + 3]! - box[d]!)
    return {
      ...{ form: 'turned', count: wishes.form === 'mirrored' ? 2 : 4, angle: 90, origin: [0, 0, 0] as Vector },
      ...{ normal: [0, 0, 1] as Vector, shift: [Number((1.2 * size[0]!).toPrecision(3)) || 1, 0, 0] as Vector },
      ...(wishes.form === 'mirrored' && { origin: mirrorOf(box), normal: [1, 0, 0] as Vector }),
      ...(periodic && wholeOf(periodic, wishes.form)),
      ...wishes,
    }
  },
  presets: [
    { title: 'Copies mirrored', words: 'mirror reflect symmetry half model whole', settings: { form: 'mirrored' } },
    { title: 'Copies shifted', words: 'translate shift move repeat periodic', settings: { form: 'shifted' } },
    { title: 'Copies turned', words: 'rotate sector full ring periodic around axis', settings: { form: 'turned' } },
  ],
  handles: ({ form }) => (form === 'mirrored' ? [{ handle: 'plane', origin: 'origin', normal: 'normal' }] : []),
  look: { isLit: true, takesPlace: true },
  takesOutside: true,
  yields: (_, input) => (input === 'region' ? 'surface' : input),
  sentence: ({ form }) => [
    'Copies of ',
    { token: 'input', input: 'of' },
    ', ',
    { token: 'choice', setting: 'form', options: forms },
    ...motionWords(form),
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  variables: () => [],
  shape: workOf<Piece, Piece[]>({
    units: (context) => context.shape('of').pieces,
    unit(context, piece) {
      const { kind } = context.shape('of')
      return motionsOf(context).map((motion) => movedPiece(kind, piece, motion))
    },
    merge(context, found) {
      const { count } = settingsOf(Settings, context)
      const shape = context.shape('of')
      const n = Math.max(count, 1)
      // copy by copy, so that each keeps the order of the blocks
      const pieces = Array.from({ length: found[0]?.length ?? 0 }, (_, i) => found.map((list) => list[i]!)).flat()
      const { direction: _, ...rest } = shape
      return { ...rest, pieces, notes: [...(shape.notes ?? []), ...notesOf(n)] }
    },
  }),
})

/** A mirror at the nearest side of the box. */
function mirrorOf(box: readonly number[]): Vector {
  return [box[0]!, (box[1]! + box[4]!) / 2, (box[2]! + box[5]!) / 2]
}

/** What makes a sector a whole ring, and what stands in a row a row of two. @param form  that is wished */
function wholeOf(periodic: PeriodicMotion, form: unknown): Partial<Static<typeof Settings>> {
  if ('shift' in periodic) return (form ?? 'shifted') === 'shifted' ? { form: 'shifted', count: 2, shift: periodic.shift } : {}
  if ((form ?? 'turned') !== 'turned') return {}
  const { about, axis, degrees } = periodic
  const count = Math.round(360 / Math.abs(degrees))
  const isRing = Math.abs(count * Math.abs(degrees) - 360) < RING
  const turn = { form: 'turned', origin: about, normal: axis } as const
  return isRing ? { ...turn, count, angle: (Math.sign(degrees) * 360) / count } : { ...turn, count: 2, angle: degrees }
}

function motionWords(form: string) {
  const count = [' ', { token: 'number', setting: 'count', quantity: 'count' } as const, ' together'] as const
  switch (form) {
    case 'mirrored':
      return [' at ', { token: 'plane' } as const]
    case 'shifted':
      return [' by ', { token: 'position', setting: 'shift' } as const, ',', ...count]
    default:
      return [
        ' about ',
        { token: 'direction', setting: 'normal' } as const,
        ' through ',
        { token: 'position', setting: 'origin' } as const,
        ' by ',
        { token: 'number', setting: 'angle', quantity: 'factor' } as const,
        ' degrees each,',
        ...count,
      ]
  }
}

function motionsOf(context: StepContext): Motion[] {
  const { form, count, angle, ...places } = settingsOf(Settings, context)
  const [origin, normal, shift] = [places.origin as Vector, places.normal as Vector, places.shift as Vector]
  if (form === 'mirrored') return [shifted([0, 0, 0]), mirroredAt(origin, normal)]
  if (form === 'shifted' && diagonal([0, 0, 0, ...shift]) === 0 && count > 1)
    throw new DataError('no-shift', 'The copies would lie on each other; give them a shift that is not zero.')
  // each from the start, so that a full ring closes
  return Array.from({ length: count }, (_, i) =>
    form === 'shifted' ? shifted(shift.map((c) => i * c) as Vector) : turnedAbout(origin, normal, (i * angle * Math.PI) / 180),
  )
}

function notesOf(count: number): string[] {
  return count > 1 ? ['vectors and tensors turn with their copy'] : []
}
