/** A texture on a surface that shows the direction of a vector along it everywhere, under the colours. */
import { Type } from '@sinclair/typebox'
import { DataError } from '../errors'
import { labelOf } from '../fields/formula/expressions'
import { cornerValues } from '../shapes/Shape'
import type { Shape } from '../shapes/Shape'
import { flowTexture } from '../shapes/flowTexture'
import { defineStep, workOf } from './StepKind'

const Settings = Type.Object({ variable: Type.String() })

export const texture = defineStep({
  id: 'texture',
  version: 1,
  title: 'Flow texture',
  words: ['flow texture', 'line integral convolution', 'oil flow', 'skin friction lines', 'streaks', 'wall shear lines', 'surface flow'],
  icon: 'M3 6 C8 3 12 9 21 5 M3 11 C9 8 13 14 21 10 M3 16 C8 13 14 19 21 15 M3 20.5 C9 18 13 22 21 19.5',
  settings: Settings,
  inputs: [{ name: 'on', accepts: ['surface'], isList: true }],
  defaults: ({ pick }, wishes) => ({ variable: wishes.variable ?? pick(3), ...wishes }),
  look: { takesPlace: true },
  yields: () => 'surface',
  sentence: () => [
    'Flow texture of ',
    { token: 'variable', setting: 'variable', kind: 'vector' },
    ' on ',
    { token: 'input', input: 'on' },
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  shapeVariables: ['variable'],
  shape: workOf<'all', Shape>({
    units: () => ['all'],
    unit(context) {
      const on = context.shape('on')
      if (on.kind !== 'surface')
        throw new DataError('no-surface', 'A flow texture lies on a surface; choose one, such as a slice or a wall.')
      const variable = context.variable('variable')
      const { components, pieces } = context.values(variable, on)
      if (on.pieces.length && components !== 3)
        throw new DataError('not-vector', `“${labelOf(variable)}” is no vector; a flow texture shows a vector such as a velocity.`)
      const vectors = on.pieces.map((piece, i) => cornerValues('surface', piece, pieces[i]!).values)
      return { ...on, texture: flowTexture(on.pieces, vectors, context.check) }
    },
    merge: (_, [shape]) => shape!,
  }),
})
