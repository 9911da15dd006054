/** A straight line, from which other steps seed and along which they plot. */
import { Type } from '@sinclair/typebox'
import { NO_CELL } from '../shapes/Shape'
import type { Piece } from '../shapes/Shape'
import { defineStep, settingsOf, workOf } from './StepKind'
import { VectorSchema } from '../mesh/vectors'

export const LineSettings = Type.Object({
  start: VectorSchema,
  end: VectorSchema,
})

export const line = defineStep({
  id: 'line',
  version: 1,
  title: 'Line',
  words: ['line', 'rake', 'seed line', 'probe line', 'radius'],
  settings: LineSettings,
  inputs: [],
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
