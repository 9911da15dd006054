/** The outside of volumes as a surface: all of it, what was on the boundary, what a cut laid open, or what of some surfaces lies there. */
import { Type } from '@sinclair/typebox'
import { DataError } from '../errors'
import { keepPiece } from '../shapes/condition'
import type { Piece } from '../shapes/Shape'
import { defineStep, settingsOf, workOf } from './StepKind'

const Settings = Type.Object({
  what: Type.Union([Type.Literal('all'), Type.Literal('boundary'), Type.Literal('cut')]),
})

const choices = [
  { value: 'all', label: 'all of it', words: ['all'] },
  { value: 'boundary', label: 'what was on the boundary', words: ['boundary'] },
  { value: 'cut', label: 'what a cut laid open', words: ['cut', 'laid open'] },
] as const

export const outside = defineStep({
  id: 'outside',
  version: 1,
  title: 'Outside',
  words: ['outside', 'skin', 'outer surface', 'hull'],
  icon: 'M4 7 L12 3 L20 7 V17 L12 21 L4 17 Z M4 7 L12 11 L20 7 M12 11 V21',
  settings: Settings,
  inputs: [
    { name: 'of', accepts: ['region'], isList: true },
    { name: 'on', accepts: ['surface'], isList: true, isOptional: true, none: 'all sides' },
  ],
  takesOutside: true,
  defaults: (_, wishes) => ({ what: 'all' as const, ...wishes }),
  look: { isLit: true, takesPlace: true },
  yields: () => 'surface',
  sentence: () => [
    'Outside of ',
    { token: 'input', input: 'of' },
    ', ',
    { token: 'choice', setting: 'what', options: choices },
    ', on ',
    { token: 'input', input: 'on' },
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  variables: () => [],
  shape: workOf<Piece, Piece | undefined>({
    units: (context) => (context.inputs('on').length ? context.shape('on').pieces : context.shape('of').pieces),
    unit(context, piece) {
      const { what } = settingsOf(Settings, context)
      if (!context.inputs('on').length) return what === 'all' || (piece.from ?? 'boundary') === what ? piece : undefined
      if (what === 'cut') throw new DataError('not-cut', 'No surface of the case lies where a cut laid something open; choose all of it.')
      let left: Piece | undefined = piece
      for (const condition of context.conditions('of')) left = left && keepPiece({ kind: 'surface' }, left, condition)
      return left
    },
    merge(context, found) {
      const shape = context.shape(context.inputs('on').length ? 'on' : 'of')
      return { ...shape, pieces: found.filter((piece): piece is Piece => piece !== undefined) }
    },
  }),
})
