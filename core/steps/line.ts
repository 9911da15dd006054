/** A straight line, from which other steps seed and along which they plot. */
import { Type } from '@sinclair/typebox'
import { drawnLine } from '../shapes/drawnLine'
import type { Piece } from '../shapes/Shape'
import { defineStep, settingsOf, workOf } from './StepKind'
import { boxCentre } from '../mesh/boxes'
import { VectorSchema } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'

const LineSettings = Type.Object({
  start: VectorSchema,
  end: VectorSchema,
})

export const line = defineStep({
  id: 'line',
  version: 1,
  title: 'Line',
  words: ['line', 'rake', 'seed line', 'probe line', 'radius'],
  icon: 'M5 19 L19 5 M3.5 19 a1.5 1.5 0 1 0 3 0 a1.5 1.5 0 1 0 -3 0 M17.5 5 a1.5 1.5 0 1 0 3 0 a1.5 1.5 0 1 0 -3 0',
  settings: LineSettings,
  inputs: [],
  defaults: ({ box }, wishes) => ({ start: boxCentre(box), end: [box[3], boxCentre(box)[1], boxCentre(box)[2]] as Vector, ...wishes }),
  handles: () => [
    { handle: 'point', setting: 'start', title: 'start of the line' },
    { handle: 'point', setting: 'end', title: 'end of the line' },
  ],
  look: { plain: '#1F2A2E' },
  yields: () => 'lines',
  sentence: () => ['Line from ', { token: 'position', setting: 'start' }, ' to ', { token: 'position', setting: 'end' }],
  shape: workOf<'line', Piece>({
    units: () => ['line'],
    unit(context) {
      const { start, end } = settingsOf(LineSettings, context)
      return drawnLine([start as Vector, end as Vector])
    },
    merge: (_, pieces) => ({ kind: 'lines', pieces }),
  }),
})
