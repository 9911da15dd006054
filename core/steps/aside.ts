/** Something drawn aside, to be looked at beside something else. Numbers taken of it are those of the place where it is in the case. */
import { Type } from '@sinclair/typebox'
import { VectorSchema } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { defineStep } from './StepKind'

const Settings = Type.Object({
  offset: Type.Unsafe<Vector>({ ...VectorSchema, default: [0, 0, 0] }),
})

export const aside = defineStep({
  id: 'aside',
  version: 1,
  title: 'Aside',
  words: ['aside', 'beside', 'offset', 'move aside', 'exploded view', 'translate', 'side by side'],
  icon: 'M3 7 H11 V17 H3 Z M13 12 H21 M18 9 L21 12 L18 15',
  settings: Settings,
  inputs: [{ name: 'of', accepts: ['region', 'surface', 'lines'], isList: true }],
  defaults: ({ box }, wishes) => ({ offset: [Number((1.2 * (box[3] - box[0])).toPrecision(3)) || 1, 0, 0] as Vector, ...wishes }),
  look: { isLit: true, takesPlace: true },
  passesOn: 'volume',
  yields: (_, input) => input,
  sentence: () => [
    'Aside ',
    { token: 'input', input: 'of' },
    ', drawn ',
    { token: 'position', setting: 'offset' },
    ' away, coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  drawnSettings: ['offset'],
  drawn: ({ offset }) => ({ offset }),
})
