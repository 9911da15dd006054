/** A straight line: an object of its own that others seed from and plot along. */
import { Type } from '@sinclair/typebox'
import { emptyShape } from './Shape'
import { defineStep, settingsOf } from './StepKind'
import { VectorSchema } from './vectors'

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
  shape(context) {
    const { start, end } = settingsOf(LineSettings, context)
    return {
      ...emptyShape('lines'),
      points: Float64Array.from([...start, ...end]),
      elements: Uint32Array.of(0, 1),
      cells: new Uint32Array(1),
      weightStarts: new Uint32Array(3),
      paths: Uint32Array.of(0, 2),
    }
  },
})
