/** Where what is followed is at a moment: as points, joined to streaks, or with the way it has come. */
import { Type } from '@sinclair/typebox'
import { formatNumber } from '../colour/ticks'
import { DataError } from '../errors'
import { vectorsOf } from '../mesh/vectors'
import { looseLines } from '../shapes/drawnLine'
import { joinPieces } from '../shapes/Shape'
import type { Piece, Shape, ShapeColumn } from '../shapes/Shape'
import { linesThrough, samplePlaces } from '../trace/lineShapes'
import { pathColumns } from '../trace/pathColumns'
import { betweenTimes, endsOfPaths, placesAt, rangeOfAll, streaksOf } from '../trace/pathPlaces'
import type { Places, TimedPaths } from '../trace/pathPlaces'
import { parseUnit } from '../units/units'
import { oneOf } from './oneOf'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  form: oneOf('points', 'streaks', 'trails', 'ends'),
  when: oneOf('moment', 'time'),
  /** Seconds. */
  time: Type.Number(),
  /** Seconds that a trail reaches back. */
  trail: Type.Number({ exclusiveMinimum: 0 }),
  /** What has ended. */
  ended: oneOf('goes', 'stays'),
})

const forms = [
  { value: 'points', label: 'points', words: ['points', 'particles'] },
  { value: 'streaks', label: 'streaks (joined in the order of their release)', words: ['streaks', 'streaklines'] },
  { value: 'trails', label: 'trails', words: ['trails', 'tails'] },
  { value: 'ends', label: 'their ends (whenever that was)', words: ['ends', 'end points'] },
]
const times = [
  { value: 'moment', label: 'at the moment' },
  { value: 'time', label: 'at' },
]
const endings = [
  { value: 'goes', label: 'without what has ended' },
  { value: 'stays', label: 'with what has ended where it did', words: ['with what has ended', 'keeping ended'] },
]

const inputs = [
  {
    name: 'of',
    accepts: ['lines'],
    makes: 'follow',
    missing: 'Nothing is chosen for “on”; choose a step that follows paths, or add one (type “follow”).',
  },
  { name: 'in', accepts: ['region'], isList: true },
] as const

export const onPaths = defineStep({
  id: 'on-paths',
  version: 1,
  title: 'Places on paths',
  words: ['places', 'particles now', 'positions', 'moving particles', 'points on paths', 'streaks', 'trails'],
  icon: 'M3 18 C8 18 8 8 13 8 S18 13 20 13 M8 14 a1.6 1.6 0 1 0 .01 0 M20 13 a1.6 1.6 0 1 0 .01 0',
  settings: Settings,
  inputs,
  narrowed: ({ form }) => (form === 'streaks' ? [{ ...inputs[0], makesWith: { release: 'every' } }, inputs[1]] : inputs),
  isEmptyOn: ({ form }, { kind, settings }) => kind !== 'follow' || (form === 'streaks' && settings['release'] === 'once'),
  defaults: (_, wishes) => ({
    ...{ form: 'points' as const, when: 'moment' as const, time: 0, trail: 10, ended: 'goes' as const },
    ...wishes,
  }),
  presets: [
    { title: 'Streaks', words: 'streaklines smoke dye released joined', settings: { form: 'streaks' } },
    { title: 'Ends of paths', words: 'residence time histogram where particles end deposit', settings: { form: 'ends' } },
    { title: 'Trails behind what is followed', words: 'tails comet path so far', settings: { form: 'trails' } },
  ],
  look: { width: 2, hasHalo: true, takesPlace: true, column: pathColumns.age.name },
  yields: () => 'lines',
  isTraced: true,
  isPoints: ({ form }) => form === 'points' || form === 'ends',
  sentence: ({ form, when }) => [
    'Places on ',
    { token: 'input', input: 'of' },
    ' ',
    ...(form === 'ends' ? [] : ([{ token: 'choice', setting: 'when', options: times }] as const)),
    ...(when === 'time' && form !== 'ends' ? [' ', { token: 'number', setting: 'time', quantity: 'unit', unit: 's' } as const] : []),
    ', as ',
    { token: 'choice', setting: 'form', options: forms },
    ...(form === 'trails' ? [' of ', { token: 'number', setting: 'trail', quantity: 'unit', unit: 's' } as const] : []),
    ...(form === 'ends' ? [] : ([', ', { token: 'choice', setting: 'ended', options: endings }] as const)),
    ', in ',
    { token: 'input', input: 'in' },
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  variables: () => [],
  isOfMoment: true,
  atTime: ({ when }, time) => (when === 'moment' ? { when: 'time' as const, time } : undefined),
  shape: workOf<'all', Shape>({
    units: () => ['all'],
    unit: placesNow,
    merge: (_, [shape]) => shape!,
  }),
})

function placesNow(context: StepContext): Shape {
  const { form, trail, ended } = settingsOf(Settings, context)
  const shape = context.shape('of')
  const columnOf = (name: string): number => (shape.columns ?? []).findIndex((column) => column.name === name)
  const time = columnOf(pathColumns.time.name)
  if (time < 0) throw new DataError('no-paths', 'These lines have no times of their own; choose a step that follows paths under “on”.')
  const paths = pathsOf(shape, time)
  const columns = shape.columns!.map((column, c) => ({ ...column, range: rangeOfAll(shape.pieces.map((own) => own.columns![c]!)) }))
  if (form === 'ends') return pointsAt(context, endsOfPaths(paths), columns, ['values of fields are those of the moment that is shown'])
  const { at: wished, notes } = timeOf(
    context,
    shape.pieces.map(({ columns: own }) => own![time]!),
  )
  const at = paths.sign * wished
  if (form === 'trails') {
    const { points, paths: starts, columns: values } = betweenTimes(paths, at - trail, at)
    return { kind: 'lines', pieces: [{ ...looseLines(points, starts), columns: values.slice() }], columns, notes }
  }
  const places = placesAt(paths, at, ended === 'stays')
  const [nMoving, nAll] = [places.of.length, paths.paths.length - 1].map((n) => n.toLocaleString('en'))
  notes.push(
    places.of.length
      ? `${nMoving} of ${nAll} paths are under way`
      : `none of ${nAll} paths is under way at this time: choose another moment, or show what has ended as well`,
  )
  if (form === 'points') return pointsAt(context, places, columns, notes)
  const [release, place, diameter] = [pathColumns.release, pathColumns.place, pathColumns.diameter].map(({ name }) => columnOf(name))
  const [first, last] = columns[release!]!.range
  if (last <= first) notes.push('each place has let go once only, so there is nothing to join: let go at every moment')
  const streaks = streaksOf(places, release!, [place!, diameter!])
  if (streaks.nApart)
    notes.push(`${streaks.nApart.toLocaleString('en')} gaps where neighbours have been driven far apart; let go more often`)
  const lines = linesThrough(context.domain('in'), streaks.positions, streaks.starts, context.check)
  return { kind: 'lines', pieces: [{ ...lines, columns: streaks.columns }], columns, notes }
}

function pointsAt(context: StepContext, { positions, columns: values }: Places, columns: ShapeColumn[], notes: string[]): Shape {
  const { piece } = samplePlaces(context.domain('in'), vectorsOf(positions), true)
  return { kind: 'points', pieces: [{ ...piece, columns: values }], columns, notes }
}

/** With times that grow along each path: those of paths that go back in time with the other sign. */
function pathsOf({ pieces, columns }: Shape, time: number): TimedPaths & { sign: number } {
  const { points, paths } = joinPieces(pieces)
  const joined = columns!.map((_, c) => joinColumns(pieces, c))
  const times = joined[time]!
  const starts = paths ?? Uint32Array.of(0, times.length)
  const sign = starts.some((start, k) => k + 1 < starts.length && times[start]! > times[starts[k + 1]! - 1]!) ? -1 : 1
  return { points, paths: starts, times: sign < 0 ? times.map((t) => -t) : times, columns: joined, sign }
}

function joinColumns(pieces: readonly Piece[], c: number): Float64Array {
  if (pieces.length === 1) return pieces[0]!.columns![c]!
  return Float64Array.from(pieces.flatMap(({ columns }) => Array.from(columns![c]!)))
}

/** In the unit of the times of the paths. */
function timeOf(context: StepContext, times: readonly Float64Array[]): { at: number; notes: string[] } {
  const { when, time } = settingsOf(Settings, context)
  if (when === 'time') return { at: time, notes: [] }
  const { all: moments, own } = context.moments()
  const { kind, value, unit } = moments[own]!
  if (kind === 'time' && value !== null && moments.length > 1) return { at: value * (parseUnit(unit ?? '')?.factor ?? 1), notes: [] }
  const at = times.reduce((latest, own) => own.reduce((a, b) => Math.max(a, b), latest), -Infinity)
  return { at, notes: [`the case has no course of time: shown at the end of the paths, ${formatNumber(at, 5)} s; “at” takes another time`] }
}
