/** How many places, such as particles, there are by volume in the cells of a region, on a surface in it. */
import { Type } from '@sinclair/typebox'
import { formatNumber } from '../colour/ticks'
import { DataError } from '../errors'
import { powerName } from '../measure/unitNames'
import { joinPieces } from '../shapes/Shape'
import type { Shape } from '../shapes/Shape'
import { withOwnCorners } from '../shapes/ownCorners'
import { cellsBehindTriangles, concentrationIn } from '../trace/concentration'
import { defineStep, workOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({})

/** Name of the column. */
const CONCENTRATION = 'concentration'

export const concentration = defineStep({
  id: 'concentration',
  version: 1,
  title: 'Concentration',
  words: ['concentration', 'number density', 'particles per cell', 'how many particles', 'deposition density'],
  icon: 'M4 4 H20 V20 H4 z M12 4 V20 M4 12 H20 M7 7 h.01 M9 9 h.01 M16 8 h.01 M15 15 h.01 M17 17 h.01 M15 17.5 h.01 M17.5 15 h.01',
  settings: Settings,
  inputs: [
    { name: 'of', accepts: ['lines'], makes: 'on-paths', missing: 'Nothing is chosen for “of”; choose points, such as places on paths.' },
    { name: 'in', accepts: ['region'], isList: true },
    { name: 'on', accepts: ['surface'], isList: true, makes: 'slice', isCovered: true },
  ],
  isEmptyOn: (_, { isPoints }) => !isPoints,
  defaults: () => ({}),
  look: { column: CONCENTRATION },
  yields: () => 'surface',
  sentence: () => [
    'Concentration of ',
    { token: 'input', input: 'of' },
    ' in the cells of ',
    { token: 'input', input: 'in' },
    ', on ',
    { token: 'input', input: 'on' },
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  needsUnits: true,
  shape: workOf<'all', Shape>({
    units: () => ['all'],
    unit: concentrationOn,
    merge: (_, [shape]) => shape!,
  }),
})

function concentrationOn(context: StepContext): Shape {
  const { parts } = context.domain('in')
  if (!parts.length) throw new DataError('no-region', 'Cells are those of a region; choose one under “in”.')
  const [of, on] = [context.shape('of'), context.shape('on')]
  if (of.kind !== 'points') throw new DataError('no-points', 'Only points can be counted; choose points or places on paths under “of”.')
  if (on.kind !== 'surface')
    throw new DataError('no-surface', 'The concentration is shown on a surface; choose a slice or a surface under “on”.')
  const { points } = joinPieces(of.pieces)
  const found = concentrationIn(parts, points, context.check)
  const unit = context.lengthUnit && powerName(context.lengthUnit, 3)
  const pieces = on.pieces.map((piece) => {
    const values = cellsBehindTriangles(piece, parts, context.check).flatMap((place) =>
      Array<number>(3).fill(place ? found.at(place) : NaN),
    )
    const own = withOwnCorners(piece)
    return { ...own, columns: [...(own.columns ?? []), Float64Array.from(values)] }
  })
  const n = points.length / 3
  const counted = (count: number): string => count.toLocaleString('en')
  const most = `${formatNumber(found.largest, 4)}${unit ? ` per ${unit}` : ''}`
  return {
    ...on,
    pieces,
    columns: [...(on.columns ?? []), { name: CONCENTRATION, title: 'places per volume', unit: unit && `1/${unit}` }],
    notes: [`${counted(found.nInside)} of ${counted(n)} places lie in ${counted(found.nCells)} cells, at most ${most}`],
  }
}
