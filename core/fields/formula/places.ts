/**
 * What depends on the place alone, or on the mesh there: `here`, `arclength`, `cellvolume`, and `distance("Wall")`.
 */
import { FormulaError } from '../../errors'
import { power } from '../../units/units'
import type { Expression, Range } from './parse'
import type { Operation, Scope, Typed } from './typed'

type Call = Extract<Expression, { kind: 'call' }>

export const placeFunctions: Readonly<Record<string, string>> = {
  distance: 'distance to the nearest wall, or to a surface: distance(), distance("Hull")',
}

export const placeNames: Readonly<Record<string, string>> = {
  here: 'place of a corner of a surface or line itself; pos is that of the cells, then mapped',
  arclength: 'length along a line from its beginning',
  cellvolume: 'volume of each cell of a region',
}

/** @returns undefined for other names */
export function ofPlace(name: string, { length }: Scope, range: Range): Typed | undefined {
  const factor = length?.factor ?? 1
  const leaf = (operation: Operation, components: number, exponent: number): Typed => ({
    ...{ operation, of: [], components, range, place: 'any', onShape: true },
    dimensions: length && power(length.dimensions, exponent),
  })
  if (name === 'here') return leaf({ kind: 'pos', factor }, 3, 1)
  if (name === 'arclength') return leaf({ kind: 'arc length', factor }, 1, 1)
  if (name === 'cellvolume') return { ...leaf({ kind: 'cell volume', factor: factor ** 3 }, 1, 3), place: 'cell', onShape: false }
  return undefined
}

export function isOfPlace({ name }: Call): boolean {
  return Object.hasOwn(placeFunctions, name)
}

/** @throws FormulaError */
export function checkOfPlace({ name, arguments: args, options, range }: Call, scope: Scope): Typed {
  const { '': surface, ...others } = options
  if (args.length || Object.keys(others).length) throw new FormulaError('arguments', `Write it as ${name}() or ${name}("Surface").`, range)
  if (surface !== undefined && !scope.hasPart?.(surface)) throw new FormulaError('no-part', `There is no surface “${surface}”.`, range)
  const to = surface === undefined ? (scope.walls ?? []) : [surface]
  if (!to.length)
    throw new FormulaError(
      'no-walls',
      'No surface is known to be a wall; name one: distance("Wall"), or set roles in the data check.',
      range,
    )
  const { length } = scope
  const operation = { kind: 'distance', to, factor: length?.factor ?? 1 } as const
  return { operation, of: [], components: 1, dimensions: length?.dimensions ?? null, place: 'point', onShape: false, range }
}
