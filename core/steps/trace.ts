/** Streamlines of a vector field from seeds spaced evenly on a line. */
import { Type } from '@sinclair/typebox'
import { DataError } from '../errors'
import { labelOf } from '../fields/formula/expressions'
import type { Vector } from '../mesh/vectors'
import type { Piece, ShapeColumn } from '../shapes/Shape'
import { piecesOfLines } from '../trace/lineShapes'
import { endNotes, endTable, namesOf } from '../trace/pathEndings'
import type { Ending } from '../trace/pathEndings'
import { crossingsNote } from '../trace/PeriodicSides'
import { StreamlineTracer } from '../trace/streamlines'
import type { TracedLine } from '../trace/streamlines'
import { periodicSides, sizeOfRegions, surfaceNames } from './boundarySides'
import { countWords, placesToStart, Seeding, seedingDefaults, seedingWords, seedsOf } from './seeding'
import { smoothed, smoothedNote } from './smoothed'
import { directionChoice, Directions, travelColumns } from './streamWords'
import { parseUnit } from '../units/units'
import { timeAlong } from './timeAlong'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { StepContext } from './StepKind'

const MOST_LINES = 5000

const Settings = Type.Object({
  variable: Type.String(),
  count: Type.Integer({ minimum: 1, maximum: MOST_LINES }),
  ...Seeding,
  direction: Directions,
  /** What ends a line that goes on and on. */
  upTo: Type.Union([Type.Literal('length'), Type.Literal('time')], { default: 'length' }),
  /** Seconds. */
  time: Type.Number({ exclusiveMinimum: 0, maximum: 1e12, default: 60 }),
  /** Longest line as a multiple of the domain's diagonal. */
  length: Type.Number({ minimum: 0.01, maximum: 1000 }),
  /** Error allowed per step, as a share of the domain's diagonal. */
  tolerance: Type.Number({ minimum: 1e-12, maximum: 1e-2 }),
})

const MAX_STEPS = 20_000

const limits = [
  { value: 'length', label: 'times its diagonal' },
  { value: 'time', label: 'of travel', words: ['of travel', 'travel'] },
]

export const trace = defineStep({
  id: 'trace',
  version: 4,
  title: 'Trace streamlines',
  words: ['streamlines', 'trace', 'stream', 'flow lines', 'path'],
  icon: 'M3 8 C7 3 10 13 14 8 S19 6 21 8 M3 16 C7 11 10 21 14 16 S19 14 21 16',
  settings: Settings,
  inputs: [{ name: 'of', accepts: ['region'], isList: true }, seedsOf('streamlines')],
  defaults: ({ pick, box }, wishes) => ({
    ...{
      variable: wishes.variable ?? pick(3),
      count: 24,
      ...seedingDefaults(box),
      direction: 'downstream' as const,
      upTo: 'length' as const,
      time: 60,
      length: 2,
      tolerance: 1e-6,
    },
    ...wishes,
  }),
  // downstream of an outlet there is nothing
  begunAtOutlets: { input: 'seeds', settings: { direction: 'upstream' } },
  look: { width: 1.6, hasHalo: true },
  yields: () => 'lines',
  isTraced: true,
  sentence: ({ upTo, ...seeding }) => [
    'Trace ',
    ...countWords(seeding),
    'streamlines of ',
    { token: 'variable', setting: 'variable', kind: 'vector' },
    ' in ',
    { token: 'input', input: 'of' },
    ' from ',
    { token: 'input', input: 'seeds' },
    ...seedingWords(seeding),
    ', ',
    directionChoice,
    ' for up to ',
    upTo === 'time'
      ? { token: 'number', setting: 'time', quantity: 'unit', unit: 's' }
      : { token: 'number', setting: 'length', quantity: 'factor' },
    ' ',
    { token: 'choice', setting: 'upTo', options: limits },
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  shapeVariables: ['variable'],
  needsUnits: true,
  looksAtBoundary: true,
  shape: workOf<Vector[], Traced>({
    units(context) {
      const { parts } = context.domain('of')
      if (!parts.length) throw new DataError('no-region', 'Streamlines need a region of volume cells; choose one under “in”.')
      const variable = labelOf(context.variable('variable'))
      const { components } = context.quantity(
        context.variable('variable'),
        parts.map(({ name }) => name),
      )
      if (components !== 3) throw new DataError('not-vector', `“${variable}” is no vector; streamlines follow a vector such as a velocity.`)
      const seeds = placesToStart(context, settingsOf(Settings, context), MOST_LINES)
      return Array.from({ length: Math.ceil(seeds.length / SEEDS_A_UNIT) }, (_, u) => seeds.slice(u * SEEDS_A_UNIT, (u + 1) * SEEDS_A_UNIT))
    },
    unit: traceLines,
    merge(context, found) {
      const variable = context.variable('variable')
      const { parts } = context.domain('of')
      const onCells = parts.map(({ name }) => name).filter((name) => context.quantity(variable, [name]).place === 'cell')
      const surfaces = surfaceNames(context, sizeOfRegions(context))
      const ofLines = found.map(({ ends }) =>
        ends.map((own) => own.map(({ at, ...end }): Ending => ({ ...end, where: (at && surfaces.at(...at)?.name) ?? end.where }))),
      )
      const endings = ofLines.flat(2)
      const names = namesOf(endings)
      const smoothing = onCells.length ? [smoothedNote(variable, onCells, onCells.length === parts.length)] : []
      return {
        kind: 'lines',
        pieces: found.flatMap(({ pieces }, u) => pieces.map((piece) => withEnds(piece, ofLines[u]!, names))),
        columns: [...travelColumns(timeOf(context).unit, context.lengthUnit), endColumn(names)],
        notes: [...endNotes(endings), ...crossingNotes(found), ...smoothing],
        table: endTable(endings, undefined, false, timeOf(context).unit),
      }
    },
  }),
})

/** Lines traced in one unit of work. */
const SEEDS_A_UNIT = 32

interface Traced {
  pieces: Piece[]
  /** Of each line, upstream before downstream. */
  ends: (Ending & { at: Vector | undefined })[][]
  /** Of periodic sides, and in words which these are. */
  nCrossed: number
  sides: string
}

/** Which end a line has: a number for each, the most frequent one first. */
function endColumn(names: readonly string[]): ShapeColumn {
  const title = `end (${names.map((name, i) => `${i + 1} ${name}`).join(', ')})`
  return { name: 'line-end', unit: '1', title, range: [1, Math.max(names.length, 1)] }
}

/** With the number of the end of each line in place of that of the line. */
function withEnds(piece: Piece, ends: readonly (readonly Ending[])[], names: readonly string[]): Piece {
  const numbers = ends.map((own) => names.indexOf(own[own.length - 1]?.where ?? '') + 1)
  const [times, lengths, lines] = piece.columns as [Float64Array, Float64Array, Float64Array]
  return { ...piece, columns: [times, lengths, lines.map((line) => numbers[line]!)] }
}

function crossingNotes(found: readonly Traced[]): string[] {
  const n = found.reduce((sum, { nCrossed }) => sum + nCrossed, 0)
  return n ? [crossingsNote(n, found[0]!.sides)] : []
}

function traceLines(context: StepContext, seeds: readonly Vector[]): Traced {
  const settings = settingsOf(Settings, context)
  const domain = context.domain('of')
  const { parts } = domain
  const names = parts.map(({ name }) => name)
  const variable = context.variable('variable')
  const followed = context.quantity(variable, names).place === 'point' ? variable : smoothed(variable)
  const size = sizeOfRegions(context)
  const { direction, tolerance } = settings
  const sides = periodicSides(context, size)
  const before = sides.nCrossed
  const { factor, unit } = timeOf(context)
  const maxTime = settings.time / (parseUnit(unit ?? 's')?.factor ?? 1) / factor
  const longest = settings.upTo === 'time' ? { maxLength: Infinity, maxTime } : { maxLength: settings.length * size }
  const options = { ...longest, direction, tolerance, maxSteps: MAX_STEPS, check: context.check, sides }
  const tracer = new StreamlineTracer(domain, (part, block) => context.blockValues(followed, names, part, block))
  try {
    const lines = seeds.map(([x, y, z]) => tracer.trace(x, y, z, options))
    const ends = lines.map((line) => endsOf(line, factor))
    return { pieces: piecesOfLines(lines, parts, factor), ends, nCrossed: sides.nCrossed - before, sides: sides.words }
  } finally {
    tracer.close()
  }
}

/** Upstream, downstream, or both in this order; with the place where a line has left. */
function endsOf({ endings, positions, times }: TracedLine, factor: number): Traced['ends'][number] {
  return endings.map((ending, i) => {
    const isFirst = i < endings.length - 1 || (times[0] ?? 0) < 0
    const at = isFirst ? 0 : positions.length - 3
    const place = ending === 'left the domain' ? (positions.slice(at, at + 3) as Vector) : undefined
    return { where: ending, at: place, size: 0, lasted: Math.abs(times[isFirst ? 0 : times.length - 1] ?? 0) * factor }
  })
}

function timeOf(context: StepContext): { unit: string | null; factor: number } {
  const variable = context.variable('variable')
  const names = context.domain('of').parts.map(({ name }) => name)
  const onCells = context.quantity(variable, names).place !== 'point'
  // smoothed values are in coherent SI, those of a plain field in the unit of its file
  return timeAlong(context.lengthUnit, context.quantity(onCells ? smoothed(variable) : variable, names).unit)
}
