/** A flat sheet of points in a grid, of no case: values are carried onto it. Moved and tilted as a slice is. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { boxCentre } from '../mesh/boxes'
import { cross, direction, VectorSchema } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { looseSurface } from '../shapes/drawnLine'
import type { Shape } from '../shapes/Shape'
import { defineStep, settingsOf, workOf } from './StepKind'

const Settings = Type.Object({
  origin: VectorSchema,
  normal: VectorSchema,
  /** Middle of the sheet, but for its height along the normal. */
  middle: VectorSchema,
  side: Type.Number({ exclusiveMinimum: 0 }),
  count: Type.Integer({ minimum: 2, maximum: 1000 }),
})

export const sheet = defineStep({
  id: 'sheet',
  version: 1,
  title: 'Sheet',
  words: ['sheet', 'grid', 'plane of points', 'cut between points', 'flat grid', 'sampling plane'],
  icon: 'M3 17 L9 7 H21 L15 17 Z M6 12 H18 M12 7 L6 17 M18 7 L12 17',
  settings: Settings,
  inputs: [],
  defaults: ({ box }, wishes) => ({
    ...{ origin: boxCentre(box), normal: [0, 0, 1] as Vector, middle: boxCentre(box) },
    ...{ side: Number((1.05 * Math.max(box[3] - box[0], box[4] - box[1], box[5] - box[2])).toPrecision(4)) || 1, count: 120, ...wishes },
  }),
  handles: () => [{ handle: 'plane', origin: 'origin', normal: 'normal' }],
  look: { plain: '#9AA5A3' },
  yields: () => 'surface',
  sentence: () => [
    'Sheet at ',
    { token: 'plane' },
    ', ',
    { token: 'number', setting: 'side', quantity: 'length' },
    ' wide, ',
    { token: 'number', setting: 'count', quantity: 'count' },
    ' points a side',
  ],
  shape: workOf<'all', Shape>({
    units: () => ['all'],
    unit: (context) => ({ kind: 'surface', pieces: [grid(settingsOf(Settings, context))] }),
    merge: (_, [shape]) => shape!,
  }),
})

function grid({ origin, normal, middle, side, count }: Static<typeof Settings>) {
  const n = direction(normal as Vector)
  const u = direction(cross(Math.abs(n[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0], n))
  const v = cross(n, u)
  const off = origin.reduce((sum, c, d) => sum + (c - middle[d]!) * n[d]!, 0)
  const at = (i: number): number => side * (i / (count - 1) - 0.5)
  const places = Array.from({ length: count * count }, (_, k): Vector => {
    const [i, j] = [at(k % count), at(Math.floor(k / count))]
    return [0, 1, 2].map((d) => middle[d]! + off * n[d]! + i * u[d]! + j * v[d]!) as Vector
  })
  const triangles = Array.from({ length: (count - 1) ** 2 }, (_, q) => {
    const p = (q % (count - 1)) + count * Math.floor(q / (count - 1))
    return [p, p + 1, p + count + 1, p, p + count + 1, p + count]
  })
  return looseSurface(places, triangles.flat())
}
