/** Shows parts as they are: outer surfaces of regions, surfaces, lines. */
import { Type } from '@sinclair/typebox'
import { defineStep } from './StepKind'

export const show = defineStep({
  id: 'show',
  version: 1,
  title: 'Show',
  words: ['show', 'display', 'surface', 'boundary', 'geometry', 'outer'],
  icon: 'M12 3 L21 8 L12 13 L3 8 Z M3 12.5 L12 17.5 L21 12.5 M3 17 L12 22 L21 17',
  settings: Type.Object({}),
  inputs: [{ name: 'of', accepts: ['region', 'surface', 'lines'], isList: true }],
  defaults: () => ({}),
  look: { isLit: true, isPlain: true },
  // Show is nobody's parent: others take the part itself
  yields: () => undefined,
  sentence: () => ['Show ', { token: 'input', input: 'of' }, ', ', { token: 'colour' }],
  hasColour: true,
  passesOn: 'outside',
})
