/** How places from which lines and paths start lie on a shape. */
import { Type } from '@sinclair/typebox'
import { DataError } from '../errors'
import { callOf, nameOf } from '../fields/formula/expressions'
import type { Vector } from '../mesh/vectors'
import { cornerValues } from '../shapes/Shape'
import { elementMeasures, placesByWeight, placesInCells, seedPoints } from '../trace/seeds'
import type { SentencePiece } from './offers'
import type { InputSpec, StepContext } from './StepKind'

const placings = ['even', 'chance', 'flow'] as const

/** Setting of steps that place so. */
export const Seeding = {
  placing: Type.Union(
    placings.map((placing) => Type.Literal(placing)),
    { default: 'even' },
  ),
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

export const seedingWords: SentencePiece[] = [
  ' placed ',
  {
    token: 'choice',
    setting: 'placing',
    options: [
      { value: 'even', label: 'evenly' },
      { value: 'chance', label: 'by chance', words: ['by chance', 'random', 'at random'] },
      { value: 'flow', label: 'by flow (each for an equal share of what goes through)', words: ['by flow', 'by flux'] },
    ],
  },
]

export function placesToStart(context: StepContext, count: number): Vector[] {
  const { placing = 'even' } = context.settings as { placing?: string }
  if (context.inputs('seeds').length && !context.hasShapes('seeds')) {
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
