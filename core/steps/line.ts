/** A straight line, from which other steps seed and along which they plot. */
import { Type } from '@sinclair/typebox'
import { NO_CELL } from '../shapes/Shape'
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
  straightLine: ({ start, end }) => ({ start: start as Vector, end: end as Vector }),
  yields: () => 'lines',
  sentence: () => ['Line from ', { token: 'position', setting: 'start' }, ' to ', { token: 'position', setting: 'end' }],
  shape: workOf<'line', Piece>({
    units: () => ['line'],
    unit(context) {
      const { start, end } = settingsOf(LineSettings, context)
      return {
        points: Float64Array.from([...start, ...end]),
        elements: Uint32Array.of(0, 1),
        cells: Uint32Array.of(NO_CELL),
        weightStarts: new Uint32Array(3),
        sources: new Uint32Array(0),
        weights: new Float64Array(0),
        ranges: [],
        paths: Uint32Array.of(0, 2),
      }
    },
    merge: (_, pieces) => ({ kind: 'lines', pieces }),
  }),
})
