/**
 * Things drawn where a displacement takes them, and cut there if wanted. A cut of what is deformed consists of the material that a plane
 * meets then: numbers taken of it, as of all that is made of it, are those of that material as it is in the case.
 */
import { Type } from '@sinclair/typebox'
import { diagonal } from '../mesh/boxes'
import { defineStep } from './StepKind'

const Settings = Type.Object({
  /** A vector with the dimension of a length. */
  displacement: Type.String({ default: '' }),
  factor: Type.Number({ minimum: -1e30, maximum: 1e30, default: 1 }),
  /** Whether slices and clips of it are made where it is in the case and carried along, or where it is drawn. */
  cuts: Type.Union([Type.Literal('carried'), Type.Literal('deformed')], { default: 'carried' }),
  behind: Type.Union([Type.Literal('outline'), Type.Literal('nothing')], { default: 'outline' }),
})

const cutChoices = [
  { value: 'carried', label: 'cuts carried along (at once)', words: ['carried', 'carried along'] },
  { value: 'deformed', label: 'cut as deformed', words: ['cut as deformed', 'as deformed'] },
] as const
const choices = [
  { value: 'outline', label: 'its outline as it was behind', words: ['outline', 'undeformed outline', 'undeformed'] },
  { value: 'nothing', label: 'nothing behind' },
] as const

export const deform = defineStep({
  id: 'deform',
  version: 1,
  title: 'Deform',
  words: ['deform', 'deformed shape', 'displacement', 'warp', 'exaggerate', 'bend', 'mode shape', 'undeformed outline'],
  icon: 'M5 20 V6 M9 20 C9 12 12 8 19 6 M5 6 H9 M5 20 H9 M15 5 L19 6 L17 9.5',
  settings: Settings,
  inputs: [{ name: 'of', accepts: ['region', 'surface', 'lines'], isList: true }],
  defaults({ pick, range, box }, wishes) {
    const displacement = wishes.displacement ?? pick(3, 'displacement')
    const [, largest] = range(displacement) ?? [0, 0]
    // as far as a tenth of the size of what is there
    const factor = largest > 0 ? Number(((0.1 * diagonal(box)) / largest).toPrecision(1)) : 1
    return { displacement, factor, cuts: 'carried' as const, behind: 'outline' as const, ...wishes }
  },
  look: { isLit: true, takesPlace: true },
  passesOn: 'volume',
  yields: (_, input) => input,
  sentence: ({ factor }) => [
    'Deform ',
    { token: 'input', input: 'of' },
    ' by ',
    { token: 'variable', setting: 'displacement', kind: 'vector' },
    ', ',
    { token: 'number', setting: 'factor', quantity: 'factor', sweep: [-factor, factor] },
    ' times over, ',
    { token: 'choice', setting: 'cuts', options: cutChoices },
    ', ',
    { token: 'choice', setting: 'behind', options: choices },
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  variables: () => ['displacement'],
  drawnSettings: ['displacement', 'factor', 'cuts', 'behind'],
  moves: ({ factor, cuts }) => (cuts === 'deformed' ? { setting: 'displacement', factor } : undefined),
  drawn: ({ displacement, factor, behind }) => ({ displaced: { variable: displacement, factor, hasOutline: behind === 'outline' } }),
})
