/** What steps that trace lines along a vector have in common: their directions and the columns of their lines. */
import type { ShapeColumn } from '../shapes/Shape'
import { oneOf } from './oneOf'
import type { SentencePiece } from './offers'

export const Directions = oneOf('downstream', 'upstream', 'both')

export const directionChoice: SentencePiece = {
  token: 'choice',
  setting: 'direction',
  options: [
    { value: 'downstream', label: 'downstream' },
    { value: 'upstream', label: 'upstream' },
    { value: 'both', label: 'both ways', words: ['both'] },
  ],
}

/** The column by which beads are placed. */
export const TRAVEL_TIME = 'travel-time'

/** Time and length along each line. */
export function travelColumns(timeUnit: string | null, lengthUnit: string | null): ShapeColumn[] {
  return [
    { name: TRAVEL_TIME, unit: timeUnit },
    { name: 'travel-length', unit: lengthUnit },
  ]
}
