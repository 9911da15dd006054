/** Arrows of a vector on surfaces and along lines: evenly, or at the data; whole, along the surface, across it, or along an axis. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { DataError } from '../errors'
import { labelOf } from '../fields/formula/expressions'
import { onesOn, totalsOfDomain } from '../measure/totals'
import { diagonal, unionBox } from '../mesh/boxes'
import type { Box } from '../mesh/MeshBlock'
import { dot } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { evenPlaces, placesOfData, spacingFor } from '../shapes/placing'
import type { Placed } from '../shapes/placing'
import type { Piece, Shape } from '../shapes/Shape'
import { samplePlaces } from '../trace/lineShapes'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  variable: Type.String(),
  placing: Type.Union(['count', 'spacing', 'points', 'cells'].map((placing) => Type.Literal(placing))),
  count: Type.Integer({ minimum: 1, maximum: 100_000 }),
  /** Least distance from one to the next, in the case's length unit. */
  spacing: Type.Number({ minimum: 0 }),
  share: Type.Union(['whole', 'along', 'across', 'x', 'y', 'z'].map((share) => Type.Literal(share))),
  length: Type.Union([Type.Literal('size'), Type.Literal('equal'), Type.Literal('log')], { default: 'size' }),
  /** Of the length that suits the spacing. */
  scale: Type.Number({ minimum: 0, maximum: 1e6, default: 1 }),
})

/** Places of a lattice, of which those outside the volume are left out. */
const MOST_LATTICE = 2_000_000

const placings = [
  { value: 'count', label: 'evenly (about so many)', words: ['evenly', 'even'] },
  { value: 'spacing', label: 'evenly spaced', words: ['spaced', 'spacing'] },
  { value: 'points', label: 'at points', words: ['at points', 'nodes'] },
  { value: 'cells', label: 'at cells', words: ['at cells', 'at faces'] },
]
const shares = [
  { value: 'whole', label: 'whole' },
  { value: 'along', label: 'the part along the surface', words: ['along the surface', 'in plane', 'tangential'] },
  { value: 'across', label: 'the part across the surface', words: ['across the surface', 'normal'] },
  { value: 'x', label: 'the x part', words: ['x part'] },
  { value: 'y', label: 'the y part', words: ['y part'] },
  { value: 'z', label: 'the z part', words: ['z part'] },
]
const lengths = [
  { value: 'size', label: 'long by size', words: ['by size', 'by length', 'scaled'] },
  { value: 'log', label: 'long by the logarithm of size', words: ['logarithmic', 'log'] },
  { value: 'equal', label: 'equally long', words: ['equal', 'equally long'] },
]

export const arrows = defineStep({
  id: 'arrows',
  version: 1,
  title: 'Arrows',
  words: ['arrows', 'vectors', 'vector plot', 'glyphs', 'quiver', 'directions'],
  icon: 'M4 20 L20 4 M12 4 H20 V12 M4 10 L9 5 M14 20 L20 14',
  settings: Settings,
  inputs: [{ name: 'on', accepts: ['region', 'surface', 'lines'], isList: true }],
  defaults: ({ pick, box }, wishes) => ({
    ...{ variable: wishes.variable ?? pick(3), placing: 'count', count: 400, share: 'whole' },
    ...({ spacing: Number((diagonal(box) / 40).toPrecision(1)), length: 'size', scale: 1 } as const),
    ...wishes,
  }),
  onPick: { title: 'Arrows here', isOn: true, settings: () => ({}) },
  look: { plain: '#1F2A2E', isPlain: true, isLit: true },
  yields: () => undefined,
  sentence: ({ placing }) => [
    'Arrows of ',
    { token: 'variable', setting: 'variable', kind: 'vector' },
    ', ',
    { token: 'choice', setting: 'share', options: shares },
    ', on ',
    { token: 'input', input: 'on' },
    ', ',
    ...placingWords(placing),
    ', ',
    { token: 'choice', setting: 'length', options: lengths },
    ', ',
    { token: 'number', setting: 'scale', quantity: 'factor' },
    ' times, coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  shapeVariables: ['variable'],
  needsUnits: true,
  drawnSettings: ['length', 'scale'],
  drawn: ({ length, scale }) => ({ arrows: { length, scale } }),
  shape: workOf<'all', Shape>({
    units: () => ['all'],
    unit: (context) => arrowsOf(context),
    merge: (_, [shape]) => shape!,
  }),
})

function placingWords(placing: string) {
  const choice = { token: 'choice', setting: 'placing', options: placings } as const
  const count = { token: 'number', setting: 'count', quantity: 'count' } as const
  const spacing = { token: 'number', setting: 'spacing', quantity: 'length' } as const
  if (placing === 'count') return [count, ' ', choice]
  if (placing === 'spacing') return [choice, ' by ', spacing]
  return [choice, ' at least ', spacing, ' apart']
}

function arrowsOf(context: StepContext): Shape {
  const { share } = settingsOf(Settings, context)
  const variable = context.variable('variable')
  const { places, spacing, kind } = context.domain('on').parts.length ? placesInside(context) : placesOn(context)
  const shape: Shape = { kind: 'points', pieces: places.map(({ piece }) => piece) }
  const { components, pieces, unit } = context.values(variable, shape)
  if (places.length && components !== 3)
    throw new DataError('not-vector', `“${labelOf(variable)}” is no vector; arrows show a vector such as a velocity.`)
  if (kind !== 'surface' && (share === 'along' || share === 'across'))
    throw new DataError('no-surface', 'Only a surface has a direction along and across it; choose the whole vector, or a surface.')
  const shown = places.map((placed, i): Piece => ({ ...placed.piece, vectors: vectorsOf(share, placed, pieces[i]!.values) }))
  return { ...shape, pieces: shown, arrows: { name: labelOf(variable), unit, longest: longestOf(shown), spacing } }
}

interface Places {
  places: Placed[]
  spacing: number
  kind: Shape['kind'] | 'volume'
}

function placesOn(context: StepContext): Places {
  const { placing, count, spacing: wanted } = settingsOf(Settings, context)
  const on = context.shape('on')
  const spacing = placing === 'count' ? spacingFor(on, count) : wanted
  if (placing === 'spacing' && !(wanted > 0))
    throw new DataError('no-spacing', 'The spacing is zero; give a distance from one arrow to the next.')
  const places = placing === 'points' || placing === 'cells' ? placesOfData(on, placing, wanted) : evenPlaces(on, spacing)
  return { places, spacing: spacingOf(spacing, on), kind: on.kind }
}

/** A lattice of places that is as coarse as the volume allows. */
function placesInside(context: StepContext): Places {
  const { placing, count, spacing: wanted } = settingsOf(Settings, context)
  const domain = context.domain('on')
  if (context.hasShapes('on'))
    throw new DataError('mixed-inputs', 'Arrows stand in volumes or on surfaces, not on both; choose inputs of one kind.')
  if (placing === 'points' || placing === 'cells')
    throw new DataError('not-even', 'In a volume arrows stand evenly; choose “evenly”, or a surface such as a slice for those at the data.')
  if (!domain.blocks.length) return { places: [], spacing: 0, kind: 'volume' }
  const volume = (): number => totalsOfDomain(domain, (mesh) => onesOn(mesh), context.check).measure
  const spacing = placing === 'count' ? Math.cbrt(volume() / count) : wanted
  if (!(spacing > 0)) throw new DataError('no-spacing', 'The spacing is zero; give a distance from one arrow to the next.')
  const { piece } = samplePlaces(domain, lattice(unionBox(domain.blocks.map(({ box }) => box)), spacing, context.check), false)
  return { places: piece.cells.length ? [{ piece, normals: undefined }] : [], spacing, kind: 'volume' }
}

function* lattice(box: Box, spacing: number, check: () => void): Generator<Vector> {
  const counts = [0, 1, 2].map((d) => Math.max(1, Math.round((box[d + 3]! - box[d]!) / spacing))) as Vector
  if (counts[0] * counts[1] * counts[2] > MOST_LATTICE)
    throw new DataError('too-many', `There would be more than ${MOST_LATTICE.toLocaleString('en')} places; give a larger spacing.`)
  const at = (d: number, i: number): number => (box[d]! + box[d + 3]!) / 2 + (i + 0.5 - counts[d]! / 2) * spacing
  for (let k = 0; k < counts[2]; k++) {
    check()
    for (let j = 0; j < counts[1]; j++) for (let i = 0; i < counts[0]; i++) yield [at(0, i), at(1, j), at(2, k)]
  }
}

type Share = Static<typeof Settings>['share']

function vectorsOf(share: Share, { normals }: Placed, values: Float64Array): Float64Array {
  const axis = ({ x: 0, y: 1, z: 2 } as Record<Share, number | undefined>)[share]
  if (share === 'whole') return values.slice()
  const out = new Float64Array(values.length)
  for (let i = 0; i < values.length; i += 3) {
    const own: Vector = [values[i]!, values[i + 1]!, values[i + 2]!]
    const along = [0, 1, 2].map((d) => (axis === undefined ? normals![i + d]! : Number(d === axis))) as Vector
    const size = dot(own, along)
    const part = along.map((c) => size * c)
    for (let d = 0; d < 3; d++) out[i + d] = share === 'along' ? own[d]! - part[d]! : part[d]!
  }
  return out
}

function longestOf(pieces: readonly Piece[]): number {
  let longest = 0
  for (const { vectors } of pieces)
    for (let i = 0; i < vectors!.length; i += 3) {
      const size = Math.hypot(vectors![i]!, vectors![i + 1]!, vectors![i + 2]!)
      if (size > longest && Number.isFinite(size)) longest = size
    }
  return longest
}

/** At the data the distance that suits their number. */
function spacingOf(spacing: number, on: Shape): number {
  const n = on.pieces.reduce((sum, { cells }) => sum + cells.length, 0)
  return spacing > 0 ? spacing : n ? spacingFor(on, n) : 0
}
