/** A circle, from which other steps seed and along which they plot. */
import { Type } from '@sinclair/typebox'
import { boxCentre } from '../mesh/boxes'
import { cross, direction, VectorSchema } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { drawnLine } from '../shapes/drawnLine'
import type { Piece } from '../shapes/Shape'
import { defineStep, settingsOf, workOf } from './StepKind'

const Settings = Type.Object({
  origin: VectorSchema,
  normal: VectorSchema,
  radius: Type.Number({ exclusiveMinimum: 0 }),
})

const SIDES = 720

export const circle = defineStep({
  id: 'circle',
  version: 2,
  title: 'Circle',
  words: ['circle', 'ring', 'seed circle', 'round line', 'circumference'],
  icon: 'M4 12 a8 8 0 1 0 16 0 a8 8 0 1 0 -16 0 M12 12 h8',
  settings: Settings,
  inputs: [],
  defaults: ({ box }, wishes) => ({
    ...{ origin: boxCentre(box), normal: [0, 0, 1] as Vector },
    ...{ radius: Number(((box[3] - box[0] || box[4] - box[1] || 4) / 4).toPrecision(2)) },
    ...wishes,
  }),
  handles: () => [
    { handle: 'point', setting: 'origin', title: 'centre' },
    { handle: 'radius', origin: 'origin', setting: 'radius', axis: 'normal' },
  ],
  look: { plain: '#1F2A2E' },
  yields: () => 'lines',
  sentence: () => [
    'Circle about ',
    { token: 'position', setting: 'origin' },
    ' across ',
    { token: 'direction', setting: 'normal' },
    ', radius ',
    { token: 'number', setting: 'radius', quantity: 'length' },
  ],
  shape: workOf<'circle', Piece>({
    units: () => ['circle'],
    unit(context) {
      const { origin, radius, ...settings } = settingsOf(Settings, context)
      const normal = direction(settings.normal as Vector)
      // a circle across z begins on the x axis and goes on towards y
      const u = direction(cross(Math.abs(normal[1]) < 0.9 ? [0, 1, 0] : [0, 0, 1], normal))
      const v = cross(normal, u)
      const places = Array.from({ length: SIDES }, (_, i): Vector => {
        const angle = (2 * Math.PI * i) / SIDES
        return u.map((c, d) => origin[d]! + radius * (Math.cos(angle) * c + Math.sin(angle) * v[d]!)) as Vector
      })
      return drawnLine(places, true)
    },
    merge: (_, pieces) => ({ kind: 'lines', pieces }),
  }),
})
