/** How places from which lines and paths start lie on a shape. */
import { Type } from '@sinclair/typebox'
import { DataError } from '../errors'
import { callOf, nameOf } from '../fields/formula/expressions'
import { diagonal } from '../mesh/boxes'
import type { Box } from '../mesh/MeshBlock'
import type { Vector } from '../mesh/vectors'
import { cornerValues } from '../shapes/Shape'
import { elementMeasures, latticeIn, placesByWeight, placesInCells, seedPoints, spacedPoints } from '../trace/seeds'
import type { SentencePiece } from './offers'
import type { InputSpec, StepContext } from './StepKind'

const placings = ['even', 'spacing', 'chance', 'flow'] as const

/** Setting of steps that place so. */
export const Seeding = {
  placing: Type.Union(
    placings.map((placing) => Type.Literal(placing)),
    { default: 'even' },
  ),
  spacing: Type.Number({ exclusiveMinimum: 0, default: 0.1 }),
}
interface SeedingSettings {
  placing: string
  spacing: number
}

/** @param box  of what it starts in */
export function seedingDefaults(box: Box): { placing: 'even'; spacing: number } {
  return { placing: 'even', spacing: Number((diagonal(box) / 40).toPrecision(1)) || 0.1 }
}

/** Input that it starts from. @param what  starts there */
export function seedsOf(what: string): InputSpec {
  return {
    name: 'seeds',
    accepts: ['lines', 'surface', 'region'],
    isList: true,
    makes: 'line',
    missing: `Nothing is chosen for “from”; ${what} start along a line: add one (type “line”), or choose a surface or a region.`,
  }
}

/** How many, where that is not told by how far they are apart. */
export function countWords({ placing }: SeedingSettings): SentencePiece[] {
  return placing === 'spacing' ? [] : [{ token: 'number', setting: 'count', quantity: 'count' }, ' ']
}

export function seedingWords({ placing }: SeedingSettings): SentencePiece[] {
  return [
    ' placed ',
    {
      token: 'choice',
      setting: 'placing',
      options: [
        { value: 'even', label: 'evenly' },
        { value: 'spacing', label: 'at a spacing of', words: ['at a spacing of', 'at a spacing', 'spacing', 'spaced'] },
        { value: 'chance', label: 'by chance', words: ['by chance', 'random', 'at random'] },
        { value: 'flow', label: 'by flow (each for an equal share of what goes through)', words: ['by flow', 'by flux'] },
      ],
    },
    ...(placing === 'spacing' ? ([' ', { token: 'number', setting: 'spacing', quantity: 'length' }] as const) : []),
  ]
}

/**
 * Places from which lines and paths start.
 *
 * @param most  places that a spacing may yield; where there would be more, a DataError. A count is met about, and points are all taken
 */
export function placesToStart(context: StepContext, settings: SeedingSettings & { count: number }, most: number): Vector[] {
  const { placing, spacing, count } = settings
  if (placing !== 'spacing') return placesOfCount(context, count, placing)
  const places = isInCells(context)
    ? latticeIn(context.domain('seeds'), spacing, context.check)
    : spacedPoints(context.shape('seeds'), spacing)
  if (places.length <= most) return places
  const [many, few] = [places.length, most].map((n) => n.toLocaleString('en'))
  throw new DataError('too-many', `These are ${many} places to start from, more than ${few}; take a wider spacing.`)
}

/** Whether lines start in the cells of regions, not on shapes. */
function isInCells(context: StepContext): boolean {
  return context.inputs('seeds').length > 0 && !context.hasShapes('seeds')
}

function placesOfCount(context: StepContext, count: number, placing: string): Vector[] {
  if (isInCells(context)) {
    if (placing === 'flow') throw new DataError('no-flow', 'Flow goes through surfaces, not into cells; place evenly or by chance.')
    return placesInCells(context.domain('seeds'), count, placing === 'chance', context.check)
  }
  const shape = context.shape('seeds')
  // points are taken as they are
  if (placing === 'even' || shape.kind === 'points') return seedPoints(shape, count)
  const measures = elementMeasures(shape)
  if (placing === 'chance') return placesByWeight(shape, measures, count)
  if (shape.kind !== 'surface')
    throw new DataError('no-flow', 'Flow goes through surfaces; place evenly, or choose a surface or a slice under “from”.')
  const through = context.values(callOf('dot', context.variable('variable'), nameOf('normal')), shape)
  const weights = through.pieces.map((own, n) => {
    const { values } = cornerValues('surface', shape.pieces[n]!, own)
    return measures[n]!.map((area, e) => area * Math.abs(values[3 * e]! + values[3 * e + 1]! + values[3 * e + 2]!))
  })
  return placesByWeight(shape, weights, count)
}
