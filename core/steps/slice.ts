/** Slice by a plane: a surface through regions, lines through surfaces. */
import { Type } from '@sinclair/typebox'
import { boxCentre, diagonal } from '../mesh/boxes'
import { DataError } from '../errors'
import type { DomainBlock, DomainMesh } from '../mesh/Domain'
import { axisName, direction, dot, VectorSchema } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { pieceOfCut, planeLevel, planeMeetsBox } from '../shapes/blockShapes'
import { cutCells } from '../shapes/cutCells'
import { cutPiece } from '../shapes/cutShape'
import type { Piece } from '../shapes/Shape'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  /** A point of the plane, in the case's length unit. */
  origin: VectorSchema,
  /** Any length but zero. */
  normal: VectorSchema,
})

/** A block of the domain, or a piece of a surface. */
type Unit = DomainBlock | Piece

export const slice = defineStep({
  id: 'slice',
  version: 2,
  title: 'Slice',
  words: ['slice', 'cut', 'plane', 'section', 'cross section'],
  icon: 'M3 17 L12 21 L21 17 M3 7 L12 3 L21 7 V17 M3 7 V17 M3 12 L12 16 L21 12 L12 8 Z',
  settings: Settings,
  inputs: [{ name: 'of', accepts: ['region', 'surface'], isList: true }],
  defaults({ box }, wishes) {
    // a flat thing is cut across
    const isFlat = box[5] - box[2] < 1e-6 * diagonal(box)
    return { origin: boxCentre(box), normal: (isFlat ? [1, 0, 0] : [0, 0, 1]) as Vector, ...wishes }
  },
  // across a cut that was clicked there is more to see than beside it
  onPick: {
    title: 'Slice here',
    isOn: false,
    settings: ({ position, normal }) => ({ origin: position, normal: across(normal) }),
  },
  handles: () => [{ handle: 'plane', origin: 'origin', normal: 'normal' }],
  yields: (_, input) => (input === 'surface' ? 'lines' : 'surface'),
  sentence: () => ['Slice ', { token: 'input', input: 'of' }, ' at ', { token: 'plane' }, ', coloured by ', { token: 'colour' }],
  hasColour: true,
  shape: workOf<Unit, Piece | undefined>({
    units(context) {
      const { normal, offset } = planeOf(context)
      const { parts, blocks } = context.domain('of')
      if (parts.length)
        return blocks.filter(({ box: [x0, y0, z0, x1, y1, z1] }) => planeMeetsBox([x0, x1, y0, y1, z0, z1], 0, normal, offset))
      const shape = context.shape('of')
      if (shape.kind !== 'surface') throw new DataError('no-slice', 'Lines and points cannot be sliced; choose a region or a surface.')
      return shape.pieces
    },
    unit(context, unit) {
      const { normal, offset } = planeOf(context)
      if ('part' in unit) {
        const mesh = unit.mesh()
        return mesh && sliceBlock(mesh, normal, offset, unit.part.name, unit.block)
      }
      return cutPiece(unit, planeLevel(unit.points, normal, offset))
    },
    merge(context, found) {
      const pieces = found.filter((piece): piece is Piece => piece !== undefined && piece.cells.length > 0)
      const kind = context.domain('of').parts.length ? 'surface' : 'lines'
      return { kind, pieces, direction: `along ${axisName(planeOf(context).normal) ?? 'the plane’s normal'}` }
    },
  }),
})

function across(normal: Vector | undefined): Vector {
  if (!normal) return [0, 0, 1]
  return Math.abs(normal[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0]
}

function planeOf(context: StepContext): { normal: Vector; offset: number } {
  const { origin, normal } = settingsOf(Settings, context)
  const unit = direction(normal as Vector)
  return { normal: unit, offset: dot(unit, origin as Vector) }
}

/** Slice of one block; exported for the bench. */
export function sliceBlock(mesh: DomainMesh, normal: Vector, offset: number, part: string, block: number): Piece {
  const [nx, ny, nz] = normal
  const { points } = mesh
  const levelAt = (p: number): number => nx * points[3 * p]! + ny * points[3 * p + 1]! + nz * points[3 * p + 2]! - offset
  const cut = cutCells(mesh, levelAt, (group) => planeMeetsBox(mesh.groups, 6 * group, normal, offset))
  return pieceOfCut(cut, mesh, part, block)
}
