/** Points that are given one by one: single, or joined to a line. */
import { Type } from '@sinclair/typebox'
import { boxCentre } from '../mesh/boxes'
import { VectorSchema } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { drawnLine, drawnPoints } from '../shapes/drawnLine'
import type { Shape } from '../shapes/Shape'
import { defineStep, settingsOf, workOf } from './StepKind'

const Settings = Type.Object({
  places: Type.Array(VectorSchema, { minItems: 1, maxItems: 10_000 }),
  joined: Type.Union(['line', 'closed', 'single'].map((joined) => Type.Literal(joined))),
})

const forms = [
  { value: 'line', label: 'joined to a line', words: ['joined', 'line', 'polyline'] },
  { value: 'closed', label: 'joined to a closed line', words: ['closed'] },
  { value: 'single', label: 'each by itself', words: ['single', 'each by itself'] },
]

export const points = defineStep({
  id: 'points',
  version: 1,
  title: 'Points',
  words: ['points', 'point', 'polyline', 'curve', 'centre line', 'path', 'seed points', 'line through points', 'coordinates'],
  icon: 'M4 18 L9 9 L15 14 L20 5 M3 18 a1.5 1.5 0 1 0 3 0 a1.5 1.5 0 1 0 -3 0 M18 5 a1.5 1.5 0 1 0 3 0 a1.5 1.5 0 1 0 -3 0',
  settings: Settings,
  inputs: [],
  defaults({ box }, wishes) {
    const [x, y, z] = boxCentre(box)
    const wide = (box[3] - box[0]) / 4
    const places: Vector[] = [
      [x - wide, y, z],
      [x, y + (box[4] - box[1]) / 8, z],
      [x + wide, y, z],
    ]
    return { places: places.map((place) => place.map((c) => Number(c.toPrecision(4))) as Vector), joined: 'line', ...wishes }
  },
  presets: [{ title: 'Points joined to a line', words: 'polyline curve centre line path through', settings: { joined: 'line' } }],
  onPick: { title: 'Point here', isOn: false, settings: ({ position }) => ({ places: [position], joined: 'single' }) },
  look: { plain: '#1F2A2E' },
  yields: () => 'lines',
  isPoints: ({ joined }) => joined === 'single',
  sentence: () => ['Points ', { token: 'positions', setting: 'places' }, ', ', { token: 'choice', setting: 'joined', options: forms }],
  shape: workOf<'all', Shape>({
    units: () => ['all'],
    unit(context) {
      const { joined, ...settings } = settingsOf(Settings, context)
      const places = settings.places as Vector[]
      if (joined === 'single' || places.length < 2) return { kind: 'points', pieces: [drawnPoints(places)] }
      return { kind: 'lines', pieces: [drawnLine(places, joined === 'closed' && places.length > 2)] }
    },
    merge: (_, [shape]) => shape!,
  }),
})
