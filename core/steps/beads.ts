/** Beads on streamlines at equal times from one to the next: where the flow is fast they are far apart. */
import { Type } from '@sinclair/typebox'
import { DataError } from '../errors'
import { diagonal } from '../mesh/boxes'
import { vectorsOf } from '../mesh/vectors'
import type { Shape } from '../shapes/Shape'
import { samplePlaces } from '../trace/lineShapes'
import { beadsOn, rangeOfAll, timedPaths } from '../trace/pathPlaces'
import { TRAVEL_TIME } from './streamWords'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  /** Seconds from one bead to the next. */
  spacing: Type.Number({ exclusiveMinimum: 0 }),
  /** Seconds by which all of them are moved on. */
  shift: Type.Number(),
})

/** Beads on all lines together. */
const MOST_BEADS = 200_000

export const beads = defineStep({
  id: 'beads',
  version: 1,
  title: 'Beads',
  words: ['beads', 'time marks', 'moving points', 'animated streamlines', 'spheres on lines'],
  icon: 'M3 17 C9 15 13 9 21 7 M5 16 a1.6 1.6 0 1 0 .01 0 M11 12.5 a1.6 1.6 0 1 0 .01 0 M18 7.5 a1.6 1.6 0 1 0 .01 0',
  settings: Settings,
  inputs: [
    {
      name: 'of',
      accepts: ['lines'],
      makes: 'trace',
      makesWith: { count: 20 },
      missing: 'Nothing is chosen for “on”; choose streamlines, or add them (type “streamlines”).',
    },
    { name: 'in', accepts: ['region'], isList: true },
  ],
  isEmptyOn: (_, { kind }) => kind !== 'trace',
  defaults({ box, pick, range }, wishes) {
    const fastest = Math.max(...(range(pick(3)) ?? [0, 0]).map(Math.abs))
    return { spacing: fastest > 0 ? Number((diagonal(box) / fastest / 5).toPrecision(1)) : 5, shift: 0, ...wishes }
  },
  look: { width: 1.5 },
  yields: () => 'lines',
  isTraced: true,
  isPoints: () => true,
  sentence: ({ spacing }) => [
    'Beads on ',
    { token: 'input', input: 'of' },
    ', one every ',
    { token: 'number', setting: 'spacing', quantity: 'unit', unit: 's' },
    ', moved on by ',
    { token: 'number', setting: 'shift', quantity: 'unit', unit: 's', sweep: [0, spacing] },
    ', in ',
    { token: 'input', input: 'in' },
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  variables: () => [],
  shape: workOf<'all', Shape>({
    units: () => ['all'],
    unit: beadsNow,
    merge: (_, [shape]) => shape!,
  }),
})

function beadsNow(context: StepContext): Shape {
  const { spacing, shift } = settingsOf(Settings, context)
  const shape = context.shape('of')
  const columns = shape.columns ?? []
  const time = columns.findIndex(({ name }) => name === TRAVEL_TIME)
  if (time < 0) throw new DataError('no-lines', 'These lines have no travel times; choose streamlines under “on”.')
  const unit = columns[time]!.unit
  const found = shape.pieces.map((piece) => beadsOn(timedPaths(piece, time), spacing, shift, MOST_BEADS))
  const n = found.reduce((sum, { of }) => sum + of.length, 0)
  if (n > MOST_BEADS)
    throw new DataError('too-many', `These are more than ${MOST_BEADS.toLocaleString('en')} beads; take a longer time between them.`)
  const places = found.flatMap(({ positions }) => vectorsOf(positions))
  const { piece } = samplePlaces(context.domain('in'), places, true)
  const joined = columns.map((_, c) => Float64Array.from(found.flatMap((one) => Array.from(one.columns[c]!))))
  return {
    kind: 'points',
    pieces: [{ ...piece, columns: joined }],
    columns: columns.map((column, c) => ({ ...column, range: rangeOfAll(shape.pieces.map((own) => own.columns![c]!)) })),
    notes: [`${n.toLocaleString('en')} beads, ${spacing} ${unit ?? ''} from one to the next`],
  }
}
