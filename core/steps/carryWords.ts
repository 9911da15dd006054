/** What the step Carry can be told, and how it is said. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { diagonal } from '../mesh/boxes'
import type { Box } from '../mesh/MeshBlock'
import { VectorSchema } from '../mesh/vectors'
import type { SentencePiece } from './offers'

const ways = ['between', 'nearest', 'distance', 'faces'] as const
const outsides = ['gap', 'nearest', 'value'] as const
const alignments = ['none', 'moved', 'scaled'] as const

export const CarrySettings = Type.Object({
  variable: Type.String(),
  /** Case that it is carried from; the one that is shown when empty. */
  case: Type.String(),
  by: Type.Union(ways.map((way) => Type.Literal(way))),
  /** Of the nearest points, by inverse distance. */
  count: Type.Integer({ minimum: 1, maximum: 200 }),
  /** Whether only points up to a distance count, in the length unit of the case that is shown. */
  reach: Type.Union([Type.Literal('any'), Type.Literal('within')], { default: 'any' }),
  radius: Type.Number({ exclusiveMinimum: 0, default: 1 }),
  outside: Type.Union(outsides.map((outside) => Type.Literal(outside))),
  /** What stands outside then, in the unit of the values. */
  value: Type.Number(),
  /** Whether what it is carried onto is brought to the source first: turned and shifted, or scaled as well. */
  aligned: Type.Union(
    alignments.map((aligned) => Type.Literal(aligned)),
    { default: 'none' },
  ),
  /** Places on the target and, in the same order, where they are on the source, in the length unit of the case that is shown. */
  here: Type.Array(VectorSchema, { maxItems: 1000, default: [] }),
  there: Type.Array(VectorSchema, { maxItems: 1000, default: [] }),
})

const waysOf = [
  {
    value: 'between',
    label: 'by what lies around (cells; tetrahedra between points; the nearest place on surfaces and lines)',
    words: ['between', 'tetrahedra', 'interpolated'],
  },
  { value: 'nearest', label: 'from the nearest point', words: ['nearest', 'nearest point'] },
  { value: 'distance', label: 'by inverse distance', words: ['inverse distance', 'shepard'] },
  { value: 'faces', label: 'face by face (surfaces; the total stays)', words: ['face by face', 'conservative', 'total stays'] },
]
const reaches = [
  { value: 'any', label: 'at any distance' },
  { value: 'within', label: 'within', words: ['within', 'radius'] },
]
const beyond = [
  { value: 'gap', label: 'nothing', words: ['gaps', 'no value'] },
  { value: 'nearest', label: 'the nearest value', words: ['nearest value'] },
  { value: 'value', label: 'a value' },
]

const alignmentsOf = [
  { value: 'none', label: 'as they lie', words: ['as they lie'] },
  { value: 'moved', label: 'turned and shifted by pairs of points', words: ['turned and shifted', 'aligned'] },
  { value: 'scaled', label: 'turned, shifted and scaled by pairs of points', words: ['scaled and aligned'] },
]

export function carrySentence({ by, reach, outside, aligned }: Static<typeof CarrySettings>): SentencePiece[] {
  return [
    'Carry ',
    { token: 'variable', setting: 'variable', kind: 'any' },
    ' of ',
    { token: 'input', input: 'from' },
    ' in ',
    { token: 'case', setting: 'case' },
    ' onto ',
    { token: 'input', input: 'onto' },
    ', ',
    { token: 'choice', setting: 'by', options: waysOf },
    ...(by === 'distance' ? distanceWords(reach) : []),
    ', ',
    { token: 'choice', setting: 'aligned', options: alignmentsOf },
    ...(aligned === 'none'
      ? []
      : ([' here ', { token: 'positions', setting: 'here' }, ' there ', { token: 'positions', setting: 'there' }] as const)),
    ', outside ',
    { token: 'choice', setting: 'outside', options: beyond },
    ...(outside === 'value' ? [' ', { token: 'number', setting: 'value', quantity: 'factor' } as const] : []),
    ', coloured by ',
    { token: 'colour' },
  ]
}

/** Points within a tenth of everything, where a distance is asked for. */
export function near(box: Box): { reach: 'any'; radius: number } {
  return { reach: 'any', radius: rounded(diagonal(box) / 10) || 1 }
}

function distanceWords(reach: 'any' | 'within'): SentencePiece[] {
  return [
    ' of ',
    { token: 'number', setting: 'count', quantity: 'count' },
    ' points ',
    { token: 'choice', setting: 'reach', options: reaches },
    ...(reach === 'within' ? ([' ', { token: 'number', setting: 'radius', quantity: 'length' }] as const) : []),
  ]
}

/** To digits that are read at a glance. */
export const rounded = (x: number): number => Number(x.toPrecision(4))
