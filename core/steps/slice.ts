/** Slice by a plane: a surface through regions, lines through surfaces. */
import { Type } from '@sinclair/typebox'
import { DataError } from '../errors'
import type { MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import { cutCells } from './kernels/cutCells'
import { planeLevel, planeMeetsBox, shapeOfCut } from './kernels/blockShapes'
import { cutShape } from './kernels/cutShape'
import { emptyShape, joinShapes } from './Shape'
import type { Shape } from './Shape'
import { defineStep, settingsOf } from './StepKind'
import { axisName, direction, dot, VectorSchema } from './vectors'
import type { Vector } from './vectors'

const Settings = Type.Object({
  /** A point of the plane, in the case's length unit. */
  origin: VectorSchema,
  /** Any length but zero. */
  normal: VectorSchema,
})

export const slice = defineStep({
  id: 'slice',
  version: 1,
  title: 'Slice',
  words: ['slice', 'cut', 'plane', 'section', 'cross section'],
  settings: Settings,
  inputs: [{ name: 'of', accepts: ['region', 'surface'], isList: true }],
  yields: (_, input) => (input === 'surface' ? 'lines' : 'surface'),
  sentence: () => ['Slice ', { token: 'input', input: 'of' }, ' at ', { token: 'plane' }, ', coloured by ', { token: 'colour' }],
  hasColour: true,
  shape(context) {
    const { origin, normal } = settingsOf(Settings, context)
    const n = direction(normal as Vector)
    const offset = dot(n, origin as Vector)
    const regions = context.regions('of')
    const shape = regions.length
      ? sliceRegions(regions, n, offset, context.check)
      : sliceSurface(context.shape('of'), n, offset)
    shape.direction = `along ${axisName(n) ?? 'the plane’s normal'}`
    return shape
  },
})

function sliceSurface(shape: Shape, normal: Vector, offset: number): Shape {
  if (shape.kind !== 'surface') throw new DataError('no-slice', 'Lines and points cannot be sliced; choose a region or a surface.')
  return cutShape(shape, planeLevel(shape.points, normal, offset))
}

function sliceRegions(parts: readonly PartBlocks[], normal: Vector, offset: number, check: () => void): Shape {
  const shapes: Shape[] = []
  for (const part of parts) {
    for (let k = 0; k < part.nBlocks; k++) {
      const [x0, y0, z0, x1, y1, z1] = part.boxes[k]!
      if (!planeMeetsBox([x0, x1, y0, y1, z0, z1], 0, normal, offset)) continue
      check()
      const shape = sliceBlock(part.block(k), normal, offset, part.name, k)
      if (shape.cells.length) shapes.push(shape)
    }
  }
  return shapes.length ? joinShapes('surface', shapes) : emptyShape('surface')
}

/** Slice of one block; exported for the bench. */
export function sliceBlock(mesh: MeshBlock, normal: Vector, offset: number, part: string, block: number): Shape {
  const [nx, ny, nz] = normal
  const { points } = mesh
  const levelAt = (p: number): number => nx * points[3 * p]! + ny * points[3 * p + 1]! + nz * points[3 * p + 2]! - offset
  const cut = cutCells(mesh, levelAt, (group) => planeMeetsBox(mesh.groups, 6 * group, normal, offset))
  return shapeOfCut(cut, part, block)
}
