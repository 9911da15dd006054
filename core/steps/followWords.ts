/** The sentence of a step that follows paths. */
import type { FollowSettings } from './follow'
import type { SentencePiece } from './offers'
import { countWords, seedingWords } from './seeding'

const whats = [
  { value: 'drifting', label: 'places that drift', words: ['drifting', 'massless'] },
  { value: 'spheres', label: 'places with spheres', words: ['spheres', 'with mass', 'pellets', 'droplets'] },
]
const releases = [
  { value: 'once', label: 'once' },
  { value: 'moments', label: 'at every moment', words: ['at every moment', 'per moment'] },
  { value: 'every', label: 'every' },
]
const spans = [
  { value: 'moments', label: 'through the moments', words: ['through the moments', 'unsteady'] },
  { value: 'still', label: 'in the flow as it is', words: ['in the flow as it is', 'steady', 'frozen'] },
]
const ways = [
  { value: 'onwards', label: 'onwards' },
  { value: 'back', label: 'back in time', words: ['back', 'backwards'] },
]
const sizeForms = [
  { value: 'listed', label: 'each' },
  { value: 'spread', label: 'spread about (Rosin and Rammler)', words: ['spread about', 'distribution', 'rosin rammler'] },
]
const spreadWords: SentencePiece[] = [
  { token: 'number', setting: 'median', quantity: 'unit', unit: 'mm' },
  ' with exponent ',
  { token: 'number', setting: 'exponent', quantity: 'factor' },
  ' in ',
  { token: 'number', setting: 'nSizes', quantity: 'count' },
  ' sizes of equal mass',
]
const starts = [
  { value: 'flow', label: 'with the flow' },
  { value: 'rest', label: 'from rest' },
  { value: 'given', label: 'with' },
]

export function followWords(settings: FollowSettings): SentencePiece[] {
  const { release, span } = settings
  const inUnit = (setting: string, unit: string): SentencePiece => ({ token: 'number', setting, quantity: 'unit', unit })
  return [
    'Follow ',
    ...countWords(settings),
    { token: 'choice', setting: 'what', options: whats },
    ' by ',
    { token: 'variable', setting: 'variable', kind: 'vector' },
    ' in ',
    { token: 'input', input: 'of' },
    ' from ',
    { token: 'input', input: 'seeds' },
    ...seedingWords(settings),
    ', let go ',
    { token: 'choice', setting: 'release', options: releases },
    ...(release === 'every' ? [' ', inUnit('every', 's')] : []),
    ', ',
    { token: 'choice', setting: 'span', options: spans },
    ...(span === 'still' ? [' for ', inUnit('duration', 's')] : []),
    ', ',
    { token: 'choice', setting: 'way', options: ways },
    ...(settings.what === 'spheres' ? sphereWords(settings) : []),
    ', coloured by ',
    { token: 'colour' },
  ]
}

function sphereWords({ start, sizes }: FollowSettings): SentencePiece[] {
  const inUnit = (setting: string, unit: string): SentencePiece => ({ token: 'number', setting, quantity: 'unit', unit })
  return [
    '; spheres ',
    { token: 'choice', setting: 'sizes', options: sizeForms },
    ' ',
    ...(sizes === 'listed' ? ([{ token: 'numbers', setting: 'diameters', unit: 'mm' }] as const) : spreadWords),
    ' across of ',
    inUnit('density', 'kg/m³'),
    ' in a fluid of ',
    inUnit('fluidDensity', 'kg/m³'),
    ' and ',
    inUnit('viscosity', 'Pa·s'),
    ', weight along ',
    { token: 'direction', setting: 'down' },
    ', starting ',
    { token: 'choice', setting: 'start', options: starts },
    ...(start === 'given' ? [' ', { token: 'direction', setting: 'startVelocity' } as const, ' m/s'] : []),
    ', bounced by ',
    { token: 'input', input: 'bounced' },
    ' keeping ',
    { token: 'number', setting: 'bounce', quantity: 'share' },
    ' of the speed',
  ]
}
