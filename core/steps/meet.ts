/** The curve in which two surfaces meet: edges that both have, and where they cut each other. */
import { Type } from '@sinclair/typebox'
import { DataError } from '../errors'
import { meetSurfaces } from '../shapes/meetSurfaces'
import type { Shape } from '../shapes/Shape'
import { defineStep, workOf } from './StepKind'

export const meet = defineStep({
  id: 'meet',
  version: 1,
  title: 'Intersection',
  words: ['intersection', 'meet', 'intersect', 'where surfaces meet', 'crossing', 'shared edge', 'contact line', 'waterline'],
  icon: 'M4 6 C9 6 15 18 20 18 M4 18 C9 18 15 6 20 6 M10.5 12 a1.5 1.5 0 1 0 3 0 a1.5 1.5 0 1 0 -3 0',
  settings: Type.Object({}),
  inputs: [
    { name: 'of', accepts: ['surface'] },
    { name: 'with', accepts: ['surface'] },
  ],
  defaults: (_, wishes) => ({ ...wishes }),
  look: { width: 1.8 },
  yields: () => 'lines',
  sentence: () => [
    'Intersection of ',
    { token: 'input', input: 'of' },
    ' with ',
    { token: 'input', input: 'with' },
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  shape: workOf<'all', Shape>({
    units: () => ['all'],
    unit(context) {
      const [of, by] = [context.shape('of'), context.shape('with')]
      if (of.kind !== 'surface' || by.kind !== 'surface')
        throw new DataError('no-surface', 'Two surfaces meet in a curve; lines and points do not: choose surfaces.')
      const pieces = meetSurfaces(of, by, context.check)
      return { kind: 'lines', pieces, ...(!pieces.length && { notes: ['the two do not meet'] }) }
    },
    merge: (_, [shape]) => shape!,
  }),
})
