/**
 * The outside of volumes as a surface: all of it, what was on the boundary, what a cut laid open, or what of some surfaces lies there: with
 * the values of these, or with those of the volume, which are the ones on its side of a border between materials.
 */
import { Type } from '@sinclair/typebox'
import { DataError } from '../errors'
import { packTriangles, TriangleTree } from '../mesh/TriangleTree'
import { chooseElements } from '../shapes/clipPiece'
import { keepPiece } from '../shapes/condition'
import { joinPieces, triangleCorners } from '../shapes/Shape'
import type { Piece } from '../shapes/Shape'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  what: Type.Union([Type.Literal('all'), Type.Literal('boundary'), Type.Literal('cut'), Type.Literal('side')]),
})

const choices = [
  { value: 'all', label: 'all of it', words: ['all'] },
  { value: 'boundary', label: 'what was on the boundary', words: ['boundary'] },
  { value: 'cut', label: 'what a cut laid open', words: ['cut', 'laid open'] },
  { value: 'side', label: 'its own side of a border', words: ['own side', 'side'] },
] as const

export const outside = defineStep({
  id: 'outside',
  version: 1,
  title: 'Outside',
  words: ['outside', 'skin', 'outer surface', 'hull'],
  icon: 'M4 7 L12 3 L20 7 V17 L12 21 L4 17 Z M4 7 L12 11 L20 7 M12 11 V21',
  settings: Settings,
  inputs: [
    { name: 'of', accepts: ['region'], isList: true },
    { name: 'on', accepts: ['surface'], isList: true, isOptional: true, none: 'all sides' },
  ],
  takesOutside: true,
  defaults: (_, wishes) => ({ what: 'all' as const, ...wishes }),
  look: { isLit: true, takesPlace: true },
  yields: () => 'surface',
  sentence: () => [
    'Outside of ',
    { token: 'input', input: 'of' },
    ', ',
    { token: 'choice', setting: 'what', options: choices },
    ', on ',
    { token: 'input', input: 'on' },
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  variables: () => [],
  shape: workOf<Piece, Piece | undefined>({
    units: (context) => context.shape(shownInput(context)).pieces,
    unit(context, piece) {
      const { what } = settingsOf(Settings, context)
      if (shownInput(context) === 'of') {
        const isWanted = what === 'all' || (piece.from ?? 'boundary') === (what === 'side' ? 'boundary' : what)
        if (!isWanted) return undefined
        return what === 'side' && context.inputs('on').length ? elementsOn(piece, surfacesOf(context)) : piece
      }
      if (what === 'cut') throw new DataError('not-cut', 'No surface of the case lies where a cut laid something open; choose all of it.')
      let left: Piece | undefined = piece
      for (const condition of context.conditions('of')) left = left && keepPiece({ kind: 'surface' }, left, condition)
      return left
    },
    merge(context, found) {
      const shape = context.shape(shownInput(context))
      return { ...shape, pieces: found.filter((piece): piece is Piece => piece !== undefined) }
    },
  }),
})

/** The input whose pieces are shown. */
function shownInput(context: StepContext): 'on' | 'of' {
  return context.inputs('on').length && settingsOf(Settings, context).what !== 'side' ? 'on' : 'of'
}

/** Units of one computation share it. */
const known = new WeakMap<StepContext, TriangleTree>()

function surfacesOf(context: StepContext): TriangleTree {
  let found = known.get(context)
  if (!found) known.set(context, (found = new TriangleTree(packTriangles(triangleCorners(joinPieces(context.shape('on').pieces))))))
  return found
}

/** What a corner may be off a surface, as a share of the side of a triangle; and its middle, since quadrangles may be divided otherwise. */
const CORNER = 1e-4
const MIDDLE = 0.05

/** Triangles of a piece that lie on other triangles. */
function elementsOn(piece: Piece, surfaces: TriangleTree): Piece | undefined {
  const corners = triangleCorners(piece)
  const isOn = new Float64Array(corners.length / 9)
  for (let e = 0; e < isOn.length; e++) {
    const [ax, ay, az, bx, by, bz, cx, cy, cz] = corners.subarray(9 * e, 9 * e + 9) as unknown as number[]
    const side = Math.max(Math.hypot(bx! - ax!, by! - ay!, bz! - az!), Math.hypot(cx! - ax!, cy! - ay!, cz! - az!))
    const isNear = (x: number, y: number, z: number, share: number): boolean =>
      surfaces.nearest(x, y, z, 2 * share * side).distance <= share * side
    const middle = [ax! + bx! + cx!, ay! + by! + cy!, az! + bz! + cz!].map((sum) => sum / 3) as [number, number, number]
    const isAll = isNear(ax!, ay!, az!, CORNER) && isNear(bx!, by!, bz!, CORNER) && isNear(cx!, cy!, cz!, CORNER)
    isOn[e] = isAll && isNear(...middle, MIDDLE) ? 0 : -1
  }
  return chooseElements('surface', piece, isOn)
}
