/** Slice by a plane, a cylinder or a sphere, once or several times: surfaces through regions, lines through surfaces. */
import { Type } from '@sinclair/typebox'
import { boxCentre, diagonal } from '../mesh/boxes'
import { DataError } from '../errors'
import { isPartial } from '../mesh/Domain'
import type { DomainBlock, DomainMesh } from '../mesh/Domain'
import type { Box, FloatArray } from '../mesh/MeshBlock'
import { runBoxes } from '../mesh/runs'
import { axisName, cross, direction, length, VectorSchema } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { CurvePlaces } from '../shapes/alongCurve'
import { pieceOfCut } from '../shapes/blockShapes'
import { cutCells } from '../shapes/cutCells'
import { cutPiece } from '../shapes/cutShape'
import type { Piece } from '../shapes/Shape'
import { lengthFactor } from '../units/units'
import { cylinderForm, planeForm, sphereForm } from '../shapes/sliceForms'
import type { SliceForm } from '../shapes/sliceForms'
import type { SentencePiece } from './offers'
import { seriesSentence, seriesSettings, seriesSteps } from './series'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { InputSpec, StepContext } from './StepKind'

const Settings = Type.Object({
  form: Type.Union(
    ['plane', 'through', 'cylinder', 'sphere', 'across'].map((form) => Type.Literal(form)),
    { default: 'plane' },
  ),
  /** A point of the plane or of the axis, or the centre, in the case's length unit. */
  origin: VectorSchema,
  /** Of the plane, or the direction of the axis; any length but zero. */
  normal: VectorSchema,
  radius: Type.Number({ exclusiveMinimum: 0, default: 1 }),
  /** Of the plane through three points. */
  first: Type.Unsafe<Vector>({ ...VectorSchema, default: [0, 0, 0] }),
  second: Type.Unsafe<Vector>({ ...VectorSchema, default: [1, 0, 0] }),
  third: Type.Unsafe<Vector>({ ...VectorSchema, default: [0, 1, 0] }),
  /** Place along the curve as a share of its length. */
  share: Type.Number({ minimum: 0, maximum: 1, default: 0.5 }),
  ...seriesSettings,
  /** From one to the next: along the normal or the curve, or of the radius. */
  spacing: Type.Number({ default: 0.1 }),
})

const forms = [
  { value: 'plane', label: 'at (a plane)' },
  { value: 'through', label: 'through the points (a plane)', words: ['through three points', 'three points', '3 points'] },
  { value: 'cylinder', label: 'by cylinder', words: ['by cylinder', 'cylinder', 'cylindrical'] },
  { value: 'sphere', label: 'by sphere', words: ['by sphere', 'sphere', 'spherical'] },
  { value: 'across', label: 'across the curve (a plane that it meets at right angles)', words: ['perpendicular', 'across curve'] },
]

/** A block of the domain or a piece of a surface, and what it is cut along. */
interface Unit {
  form: SliceForm
  of: DomainBlock | Piece
}

const curveInput: InputSpec = { name: 'curve', accepts: ['lines'], isAnywhere: true }

export const slice = defineStep({
  id: 'slice',
  version: 3,
  title: 'Slice',
  words: ['slice', 'cut', 'plane', 'section', 'cross section', 'perpendicular', 'cylinder', 'sphere'],
  icon: 'M3 17 L12 21 L21 17 M3 7 L12 3 L21 7 V17 M3 7 V17 M3 12 L12 16 L21 12 L12 8 Z',
  settings: Settings,
  inputs: [
    { name: 'of', accepts: ['region', 'surface'], isList: true },
    { ...curveInput, isOptional: true, none: 'no curve' },
  ],
  narrowed: ({ form }) => [
    { name: 'of', accepts: ['region', 'surface'], isList: true },
    form === 'across' ? { ...curveInput, makes: 'line' } : { ...curveInput, isOptional: true, none: 'no curve' },
  ],
  // planes side by side do not meet
  isEmptyOn: ({ form, normal }, { kind, settings }) =>
    kind === 'slice' && form === 'plane' && settings['form'] === 'plane' && length(cross(normal, settings['normal'] as Vector)) < 1e-9,
  defaults({ box }, wishes) {
    // a flat thing is cut across
    const isFlat = box[5] - box[2] < 1e-6 * diagonal(box)
    const size = Number((diagonal(box) / 20).toPrecision(1))
    return {
      ...{ form: 'plane', origin: boxCentre(box), normal: (isFlat ? [1, 0, 0] : [0, 0, 1]) as Vector },
      ...threePoints(box),
      ...({ radius: 4 * size, share: 0.5, series: 'one', count: 5, spacing: size } as const),
      ...wishes,
    }
  },
  presets: [
    { title: 'Slice by cylinder', words: 'cylindrical slice unrolled radius', settings: { form: 'cylinder' } },
    { title: 'Slice by sphere', words: 'spherical slice radius', settings: { form: 'sphere' } },
    { title: 'Slice through three points', words: 'plane picked points oblique', settings: { form: 'through' } },
    { title: 'Slice across a curve', words: 'perpendicular normal to line centre line station', settings: { form: 'across' } },
    { title: 'Several slices', words: 'series stack of slices repeated sections', settings: { series: 'several' } },
  ],
  // across a cut that was clicked there is more to see than beside it
  onPick: {
    title: 'Slice here',
    isOn: false,
    settings: ({ position, normal }) => ({ origin: position, normal: across(normal) }),
  },
  handles: ({ form }) =>
    form === 'plane'
      ? [{ handle: 'plane', origin: 'origin', normal: 'normal' }]
      : form === 'through'
        ? (['first', 'second', 'third'] as const).map((setting) => ({ handle: 'point', setting, title: `${setting} point` }) as const)
        : form === 'across'
          ? [{ handle: 'share', setting: 'share', title: 'Place along the curve' }]
          : [
              { handle: 'point', setting: 'origin', title: form === 'sphere' ? 'centre' : 'axis' },
              { handle: 'radius', origin: 'origin', setting: 'radius', ...(form === 'cylinder' && { axis: 'normal' }) },
            ],
  yields: (_, input) => (input === 'surface' ? 'lines' : 'surface'),
  sentence: ({ form, series }) => [
    'Slice ',
    { token: 'input', input: 'of' },
    ' ',
    { token: 'choice', setting: 'form', options: forms },
    ...placeOf(form),
    ...seriesSentence(series, { token: 'number', setting: 'spacing', quantity: 'length' }),
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  shape: workOf<Unit, Piece | undefined>({
    isShared: true,
    units(context) {
      const cuts = formsOf(context)
      const { parts, blocks } = context.domain('of')
      const isMoved = context.moved('of') !== undefined
      if (parts.length)
        return cuts.flatMap((form) => blocks.filter((block) => isMoved || meetsBlock(form, block)).map((of) => ({ form, of })))
      const shape = context.shape('of')
      if (shape.kind !== 'surface') throw new DataError('no-slice', 'Lines and points cannot be sliced; choose a region or a surface.')
      return cuts.flatMap((form) => shape.pieces.map((of) => ({ form, of })))
    },
    unit(context, { form, of }) {
      const moved = context.moved('of')
      if (!('part' in of)) return cutPiece(of, levelOf(form, moved ? moved.onPiece(of, context.shape('of')) : of.points))
      const mesh = of.mesh()
      const runs = mesh && !moved && !isPartial(mesh) ? runBoxes(of.part, of.block) : undefined
      return mesh && sliceBlock(mesh, form, of.part.name, of.block, { moved: moved?.onMesh(mesh, of), runs })
    },
    merge(context, found) {
      const pieces = found.filter((piece): piece is Piece => piece !== undefined && piece.cells.length > 0)
      const kind = context.domain('of').parts.length ? 'surface' : 'lines'
      const [{ normal, direction: words }] = formsOf(context) as [SliceForm]
      return { kind, pieces, direction: words ?? `along ${axisName(normal!) ?? 'the plane’s normal'}` }
    },
  }),
})

/** Corners of a slanting plane through the middle of a box. */
function threePoints(box: Box): { first: Vector; second: Vector; third: Vector } {
  const at = (x: number, y: number, z: number): Vector =>
    [x, y, z].map((share, d) => Number((box[d]! + share * (box[d + 3]! - box[d]!)).toPrecision(4))) as Vector
  return { first: at(0.25, 0.25, 0.4), second: at(0.75, 0.25, 0.4), third: at(0.5, 0.75, 0.7) }
}

function placeOf(form: string): SentencePiece[] {
  const radius = [', radius ', { token: 'number', setting: 'radius', quantity: 'length' }] as const
  const about = [' about ', { token: 'position', setting: 'origin' }] as const
  switch (form) {
    case 'cylinder':
      return [...about, ' along ', { token: 'direction', setting: 'normal' } as const, ...radius]
    case 'sphere':
      return [...about, ...radius]
    case 'through':
      return ['first', 'second', 'third'].flatMap((setting, i): SentencePiece[] => [i ? '; ' : ' ', { token: 'position', setting }])
    case 'across':
      return [
        ' ',
        { token: 'input', input: 'curve' } as const,
        ' at ',
        { token: 'number', setting: 'share', quantity: 'share' } as const,
        ' of its length',
      ]
    default:
      return [' ', { token: 'plane' } as const]
  }
}

function formsOf(context: StepContext): SliceForm[] {
  const settings = settingsOf(Settings, context)
  const { form, radius, share } = settings
  const [origin, normal] = [settings.origin as Vector, settings.normal as Vector]
  const steps = seriesSteps(settings)
  const moved = (by: number): Vector => direction(normal).map((c, d) => origin[d]! + by * c) as Vector
  if (form === 'plane') return steps.map((by) => planeForm(moved(by), normal))
  if (form === 'through') {
    const [a, b, c] = [settings.first, settings.second, settings.third]
    const across = cross([b[0] - a[0], b[1] - a[1], b[2] - a[2]], [c[0] - a[0], c[1] - a[1], c[2] - a[2]])
    if (!(length(across) > 0)) throw new DataError('on-a-line', 'The three points lie on one line, so there is no plane; move one of them.')
    const unit = direction(across)
    return steps.map((by) => planeForm(unit.map((n, d) => a[d]! + by * n) as Vector, unit))
  }
  if (form === 'across') {
    // a centre line may be a table of its own, in another unit of length
    const there = context.elsewhere('curve')
    const curve = new CurvePlaces(there.shape('curve'), lengthFactor(there.lengthUnit, context.lengthUnit))
    return steps.map((by) => {
      const { position, along } = curve.at(share * curve.length + by)
      return planeForm(position, along)
    })
  }
  const radii = steps.map((by) => radius + by).filter((r) => r > 0)
  return radii.map((r) => (form === 'sphere' ? sphereForm(origin, r) : cylinderForm(origin, normal, r)))
}

function meetsBlock(form: SliceForm, { box: [x0, y0, z0, x1, y1, z1] }: DomainBlock): boolean {
  return form.meets([x0, x1, y0, y1, z0, z1], 0)
}

function levelOf(form: SliceForm, points: FloatArray): Float64Array {
  return Float64Array.from({ length: points.length / 3 }, (_, p) => form.at(points, 3 * p))
}

function across(normal: Vector | undefined): Vector {
  if (!normal) return [0, 0, 1]
  return Math.abs(normal[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0]
}

/**
 * Slice of one block; exported for the bench.
 *
 * @param moved  where its points are found, if not where they are in the case
 * @param runs  boxes of its runs of cells, if they are known
 */
export function sliceBlock(
  mesh: DomainMesh,
  form: SliceForm,
  part: string,
  block: number,
  { moved, runs }: { moved?: FloatArray | undefined; runs?: Float32Array | undefined } = {},
): Piece {
  const points = moved ?? mesh.points
  const cut = cutCells(
    mesh,
    (p) => form.at(points, 3 * p),
    (group) => moved !== undefined || form.meets(mesh.groups, 6 * group),
    runs && ((run) => form.meets(runs, 6 * run)),
  )
  return pieceOfCut(cut, mesh, part, block)
}
