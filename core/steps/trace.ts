/** Streamlines of a vector field from seeds spaced evenly on a line. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { DataError } from '../errors'
import { diagonal, unionBox } from '../mesh/boxes'
import { StreamlineTracer } from '../trace/streamlines'
import { shapeOfLines } from '../trace/lineShapes'
import { smoothed, smoothedNote } from './smoothed'
import type { Shape } from './Shape'
import { defineStep, settingsOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  variable: Type.String(),
  count: Type.Integer({ minimum: 1, maximum: 5000 }),
  direction: Type.Union([Type.Literal('downstream'), Type.Literal('upstream'), Type.Literal('both')]),
  /** Longest line as a multiple of the domain's diagonal. */
  length: Type.Number({ minimum: 0.01, maximum: 1000 }),
  /** Error allowed per step, as a share of the domain's diagonal. */
  tolerance: Type.Number({ minimum: 1e-12, maximum: 1e-2 }),
})

const MAX_STEPS = 20_000

export const trace = defineStep({
  id: 'trace',
  version: 1,
  title: 'Trace streamlines',
  words: ['streamlines', 'trace', 'stream', 'flow lines', 'path'],
  settings: Settings,
  inputs: [
    { name: 'of', accepts: ['region'], isList: true },
    { name: 'seeds', accepts: ['lines'], missing: 'Nothing is chosen for “from”; streamlines start along a line: add one (type “line”), or choose it.' },
  ],
  yields: () => 'lines',
  sentence: () => [
    'Trace ',
    { token: 'number', setting: 'count', quantity: 'count' },
    ' streamlines of ',
    { token: 'variable', setting: 'variable', kind: 'vector' },
    ' in ',
    { token: 'input', input: 'of' },
    ' from ',
    { token: 'input', input: 'seeds' },
    ' ',
    {
      token: 'choice',
      setting: 'direction',
      options: [
        { value: 'downstream', label: 'downstream' },
        { value: 'upstream', label: 'upstream' },
        { value: 'both', label: 'both ways' },
      ],
    },
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  shapeVariables: (settings) => [String(settings['variable'])],
  shape: (context) => traceLines(context, settingsOf(Settings, context)),
})

function traceLines(context: StepContext, settings: Static<typeof Settings>): Shape {
  const parts = context.regions('of')
  if (!parts.length) throw new DataError('no-region', 'Streamlines need a region of volume cells; choose one under “in”.')
  const { variable } = settings
  const places = parts.map((part) => {
    const { components, place } = context.quantity(variable, part.name)
    if (components !== 3) throw new DataError('not-vector', `“${variable}” is no vector; streamlines follow a vector such as a velocity.`)
    return place
  })
  const isOnCells = places.includes('cell')
  const followed = isOnCells ? smoothed(variable) : variable
  const tracer = new StreamlineTracer(parts, (part, block) => context.blockValues(followed, part, block))
  const size = diagonal(unionBox(parts.flatMap((part) => part.boxes)))
  const options = {
    direction: settings.direction,
    tolerance: settings.tolerance,
    maxLength: settings.length * size,
    maxSteps: MAX_STEPS,
    check: context.check,
  }
  const seeds = seedPoints(context.shape('seeds'), settings.count)
  const shape = shapeOfLines(seeds.map(([x, y, z]) => tracer.trace(x, y, z, options)), parts, context.lengthUnit)
  if (isOnCells) shape.notes = [...(shape.notes ?? []), smoothedNote(variable)]
  return shape
}

/** Positions evenly spaced by arc length over all segments of a lines shape, half a spacing in from both ends. */
export function seedPoints(shape: Shape, count: number): [number, number, number][] {
  if (shape.kind !== 'lines' || !shape.elements.length) {
    throw new DataError('no-seeds', 'Streamlines start from a line; choose a line or lines under “from”.')
  }
  const { points, elements } = shape
  const ends = [0]
  for (let e = 0; e < elements.length; e += 2) {
    const a = 3 * elements[e]!
    const b = 3 * elements[e + 1]!
    ends.push(ends[ends.length - 1]! + Math.hypot(points[b]! - points[a]!, points[b + 1]! - points[a + 1]!, points[b + 2]! - points[a + 2]!))
  }
  const total = ends[ends.length - 1]!
  const seeds: [number, number, number][] = []
  for (let i = 0, e = 0; i < count; i++) {
    const s = (total * (i + 0.5)) / count
    while (e < ends.length - 2 && ends[e + 1]! < s) e++
    const length = ends[e + 1]! - ends[e]!
    const t = length > 0 ? (s - ends[e]!) / length : 0
    const a = 3 * elements[2 * e]!
    const b = 3 * elements[2 * e + 1]!
    seeds.push([0, 1, 2].map((d) => points[a + d]! * (1 - t) + points[b + d]! * t) as [number, number, number])
  }
  return seeds
}
